"""Studies that older versions wrote open with all that was decided in them. The files were written by those versions."""

import io
import json
import zipfile
from pathlib import Path

import pytest

from vettore.files.refusals import FileError
from vettore.files.study_file import open_study, study_bytes, study_from_bytes, study_from_parts
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.kinds.baselines import BetweenEnds, CurveOf, FormulaOfX, Level, Spans
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
    PlaceReading(id="r9", curve="c8", name="River sample", at=250.0, exact=True),
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


def test_what_older_versions_left_out_or_got_wrong_is_still_a_study():
    """A reading without x reads at 0, an area without an end ends where it begins, orphans of a removed series go."""
    series = {"id": "s1", "name": "a", "data": "d", "rows": 0, "source": {"name": "made"}, "raw": [], "columns": []}
    old = {
        "format": 3,
        "title": "t",
        "counter": 9,
        "series": [series],
        "curves": [
            {"id": "c2", "series": "s1", "degree": 1},
            {"id": "c3", "series": "s8", "degree": 2, "formula": ""},
        ],
        "readings": [
            {"id": "r4", "curve": "c2", "asked": "y at x"},
            {"id": "r5", "curve": "c2", "asked": "area between x", "at": 2.0, "to": None},
            {"id": "r6", "curve": "c3", "asked": "tops and bottoms"},
        ],
        "areas": [
            {"id": "a7", "series": "s1", "floor": "points:s8"},
            {"id": "a8", "series": "s1", "floor": "formula:x"},
            {"id": "a10", "series": "s1", "floor": "spans:0.0..2.0,8.0..9.5"},
            {"id": "a11", "series": "s1", "floor": "fit:c2"},
            {"id": "a12", "series": "s1", "floor": "0.5"},
            {"id": "a13", "series": "s1", "floor": "ends"},
            {"id": "a14", "series": "s1"},
            {"id": "a9", "series": "s8"},
        ],
    }
    study = study_from_parts(old, lambda part: "\r\n", "old.vettore")
    assert [part.id for part in study.parts] == ["s1", "c2", "r4", "r5", "a8", "a10", "a11", "a12", "a13", "a14"]
    assert [area.baseline for area in study.areas] == [
        FormulaOfX("x"),
        Spans(((0.0, 2.0), (8.0, 9.5))),
        CurveOf("c2"),
        Level(0.5),
        BetweenEnds(),
        Level(),
    ]
    assert study.readings == (
        ValueReading(id="r4", curve="c2", at=0.0),
        AreaReading(id="r5", curve="c2", at=2.0, to=2.0),
    )
    assert study.report.left_out == ("working",)


@pytest.mark.parametrize(
    "content",
    [
        {"title": "no format"},
        {"format": 3, "title": "t", "counter": 0, "readings": [{"asked": "the moon"}]},
        {"format": 3, "title": "t", "counter": 0, "series": [7]},
        {"format": 4, "title": "t", "counter": 0, "parts": [{"kind": "moon", "id": "x1"}]},
        {
            "format": 4,
            "title": "t",
            "counter": 0,
            "parts": [{"kind": "value reading", "id": "r1", "curve": "c9", "at": 1.0}],
        },
        {
            "format": 4,
            "title": "t",
            "counter": 0,
            "parts": [{"kind": "function", "id": "f1", "formula": "x", "start": "0", "end": "1"}] * 2,
        },
    ],
)
def test_what_no_version_wrote_is_damaged(content):
    """Said in a sentence, whatever is wrong."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("study.json", json.dumps(content))
    with pytest.raises(FileError, match="damaged"):
        study_from_bytes(out.getvalue(), "odd.vettore")
