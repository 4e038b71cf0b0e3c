"""Peaks in a study: kept through the file, with units and readings, and numbered alike over other files."""

import math

import numpy as np
import pytest

from vettore.core import fit_peaks
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.files.study_file import study_bytes, study_from_bytes
from vettore.study import edits, edits_of_curves
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.fitting.quantities import coefficient_units, derived_quantities
from vettore.study.fitting.several import fit_each, fit_together
from vettore.study.kept_numbers import Outcome, kept_numbers
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import FormulaOfX
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.readings.formula import FormulaReading
from vettore.study.peaks_and_points import Why, two_areas
from vettore.study.replay import replayed
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table
from vettore.words.areas import area_lines
from vettore.words.peaks import beside_points

X = np.linspace(350, 650, 300)
PIGMENTS = ((430, 32, 0.89), (470, 30, 0.5), (560, 22, 0.2))


def table(peaks=PIGMENTS, seed=1):
    y = sum(h * np.exp(-4 * math.log(2) * ((X - m) / w) ** 2) for m, w, h in peaks)
    y = y + 0.03 + 1e-4 * (X - 350) + np.random.default_rng(seed).normal(0, 0.004, len(X))
    return Table((RawColumn("wavelength", "nm", X), RawColumn("A", "", y)), Source("pond4.csv"))


def study(**chosen):
    made = edits.add_series(Study(), table(), "Pond 4")
    return edits.add_peaks(made, "s1", PeaksRecipe(series="s1", **chosen))


@pytest.fixture(scope="module")
def found():
    return study()


def test_peaks_of_a_series_are_those_of_the_core_with_units(found):
    fit, by_itself = derive_fit(found, "c2"), fit_peaks(X, table().columns[1].values)
    assert (fit.name, fit.recipe.name) == ("3 peaks on a slope", "Peaks on a slope")
    assert [peak.area.value for peak in fit.peaks.peaks] == [peak.area.value for peak in by_itself.peaks]
    assert dict(zip(fit.result.coefficients, coefficient_units(fit), strict=True))["place2"] == "nm"
    quantities = {quantity.name: (quantity.value, unit) for quantity, unit in derived_quantities(fit)}
    assert quantities == {f"area of peak {peak.number}": (peak.area.value, "nm") for peak in by_itself.peaks}
    assert fit.curve is not None
    assert fit.curve(470.0) == pytest.approx(float(by_itself.curve(470.0)))


def test_what_was_decided_of_peaks_is_kept_through_the_file():
    made = study(
        shape="mixed",
        background="level",
        count=3,
        equal_widths=True,
        places=(430.0, 470.0, 560.0),
        hold=(("place3", 560.0),),
        limits=(("place2", 460.0, 480.0),),
        links=(("share2", "share1"),),
    )
    again = study_from_bytes(study_bytes(made), "x.vettore")
    assert again.curves == made.curves
    fit = derive_fit(again, "c2")
    assert fit.peaks.peaks[2].place.value == 560.0
    assert fit.name == "3 mixed peaks on a level"
    assert "share2" not in fit.result.coefficients


def test_readings_take_areas_of_peaks_with_what_they_share(found):
    """The ratio of overlapping areas is known better, or worse, than two areas apart would tell."""
    made = edits.keep(found, FormulaReading(curve="c2", formula="area2/area1"))
    answer, peaks = derive_reading(made, made.readings[0]), derive_fit(found, "c2").peaks
    first, second = (peak.area for peak in peaks.peaks[:2])
    assert answer.value == pytest.approx(second.value / first.value, rel=1e-12)
    apart = answer.value * math.hypot(first.standard_error / first.value, second.standard_error / second.value)
    slopes = peaks.spreads[2]["area"][1] / first.value - second.value / first.value**2 * peaks.spreads[1]["area"][1]
    assert answer.standard_error == pytest.approx(math.sqrt(slopes @ peaks.fit.covariance @ slopes), rel=1e-9)
    assert answer.standard_error > 1.2 * apart
    assert answer.unit == ""


def test_over_other_files_peaks_keep_their_numbers_and_what_is_gone_is_said(found):
    other = table(((432, 32, 0.7), (558, 22, 0.3), (610, 15, 0.2)), seed=2)
    again, _ = replayed(found, [other])
    rows = {row.number: row for row in kept_numbers(again, again.series[0])}
    assert abs(rows["place3"].value - 558) < 1
    assert abs(rows["place4"].value - 610) < 1
    assert rows["area of peak 3"].unit == "nm"
    assert (rows["peak 2"].outcome, rows["peak 2"].reason[:15]) == (Outcome.NONE, "Peak 2 is gone:")
    assert "is new" in rows["peak 4"].reason
    assert "place2" not in rows
    # The study itself is as it was.
    assert found.curves[0].expected == ()


def test_over_several_series_each_has_its_own_and_common_ones_are_refused(found):
    made = edits.add_series(found, table(seed=5), "Pond 5")
    several = fit_each(made.series, found.curves[0])
    assert [len(row.coefficients) for row in several.rows] == [11, 11]
    with pytest.raises(VettoreError, match="alone"):
        fit_together(made.series, found.curves[0], ["place1"])


def test_a_span_alone_is_searched_for_peaks_and_the_background_follows_the_column():
    made = study(span=(520.0, 650.0), background="B*exp(-wavelength/d)")
    fit = derive_fit(made, "c2")
    assert fit.name == "1 peak on a formula"
    assert fit.result.x.min() >= 520
    column = made.series[0].columns[0]
    renamed = edits.set_column(made, "s1", 0, column.__class__("lambda", "nm", column.role, column.raw))
    assert renamed.curves[0].background == "B*exp(-lambda/d)"
    assert derive_fit(renamed, "c2").result.sum_of_squares == pytest.approx(fit.result.sum_of_squares)


def test_areas_of_points_and_of_fitted_peaks_say_where_they_differ_and_why(found):
    """A cut at the valley gives the shoulder what is its neighbour's; of a peak that stands alone both agree."""
    fit = derive_fit(found, "c2")
    made = found
    for start, end in ((449.0, 520.0), (500.0, 620.0), (548.0, 572.0)):
        baseline = FormulaOfX("0.03 + 0.0001*(x - 350)")
        made = edits_of_curves.add_area(made, AreaRecipe("s1", start, end, baseline=baseline))
    shoulder, alone, cut = (two_areas(made, made.series[0], area) for area in made.areas)
    assert (shoulder.numbers, shoulder.why) == ((2,), Why.CUT)
    assert (alone.numbers, alone.why) == ((3,), None)
    assert (cut.numbers, cut.why) == ((3,), Why.FEET)
    assert alone.fitted == fit.peaks.peaks[2].area.value
    sentences = beside_points(fit, made, NumberStyle())
    assert len(sentences) == 2
    assert sentences[0].endswith("a cut between peaks that overlap gives one what belongs to the other.")
    labels = [line.label for line in area_lines(made, made.series[0], NumberStyle())]
    assert labels.count("fitted there") == 3
