"""Studies that older versions wrote open with all that was decided in them. The files were written by those versions."""

from pathlib import Path

import pytest

from vettore.files.study_file import open_study, study_bytes, study_from_bytes
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kinds.readings import (
    AreaReading,
    FormulaReading,
    PlaceReading,
    SlopeReading,
    TurnsReading,
    ValueReading,
)

FOLDER = Path(__file__).parent / "studies"
ASKED = [
    PlaceReading(id="r9", curve="c8", name="River sample", at=250.0),
    ValueReading(id="r11", curve="c10", name="At the summer mark", at=0.7),
]
ASKED_LATER = [
    SlopeReading(id="r15", curve="c10", name="steep", at=0.6),
    AreaReading(id="r16", curve="c10", name="area", at=0.4, to=0.9),
    TurnsReading(id="r17", curve="c10"),
    FormulaReading(id="r18", curve="c10", formula="twice = 2*area"),
    PlaceReading(id="r19", curve="c10", name="mark", at=0.2, signals=(0.1, 0.3)),
]


@pytest.mark.parametrize("version", [1, 2, 3])
def test_a_study_of_an_older_format_opens_with_all_that_was_decided(version):
    """Series, fits, readings and the report of every format; reports of the first two gain no working."""
    study = open_study(FOLDER / f"format-{version}.vettore")
    assert list(study.readings) == ASKED + (ASKED_LATER if version == 3 else [])
    assert study.series[2].set_aside[0].reason == 'lamp "off"'
    report = study.report
    assert (report.note, report.paper, report.decimal_mark) == ("A note", "Letter", ",")
    assert report.left_out == (("data",) if version == 3 else ("data", "working"))
    assert derive_fit(study, study.curves[1].id).result.r_squared == pytest.approx(0.99852582, abs=1e-8)
    place = derive_reading(study, study.readings[0]).crossings[0]
    assert (place.x, place.standard_error) == pytest.approx((5.624636, 0.017089), abs=1e-6)


@pytest.mark.parametrize("version", [2, 3])
def test_curves_areas_and_polynomials_of_an_older_study_are_there(version):
    """How points are joined, areas, the shelf, held coefficients and limits."""
    study = open_study(FOLDER / f"format-{version}.vettore")
    fit = study.curves[-1]
    assert (fit.model, fit.hold, fit.limits, fit.loss) == (
        "exponential-decay-level",
        (("C", 2.0),),
        (("k", 0.0, None),),
        "huber",
    )
    joined = study.interpolant_of(fit.series)
    assert (joined.method, joined.read_at) == ("natural", (3.0, 7.5))
    assert (study.areas[0].start, study.areas[0].end, study.areas[0].rule, study.areas[0].name) == (
        2.0,
        30.0,
        "simpson",
        "first half",
    )
    assert study.polynomials[0].coefficients == (1.0, 0.0, -2.5)
    if version == 3:
        assert [area.rule for area in study.areas] == ["simpson", "fit", "trapezoid"]
        assert (study.functions[0].formula, study.functions[0].end) == ("x*exp(-x)", "inf")
        assert (study.fillings[0].source, study.fillings[0].every) == (fit.series, 5.0)


@pytest.mark.parametrize("version", [1, 2, 3])
def test_an_older_study_is_written_in_the_present_format(version):
    """Opened and saved, it is the same study."""
    study = open_study(FOLDER / f"format-{version}.vettore")
    again = study_from_bytes(study_bytes(study), "again.vettore")
    for part in ("title", "counter", "curves", "readings", "report", "interpolants", "areas", "polynomials"):
        assert getattr(again, part) == getattr(study, part)
