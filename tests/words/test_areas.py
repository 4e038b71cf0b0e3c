"""Areas, functions and values between points in words, those that cannot be had among them."""

import numpy as np
import pytest

from tests.made import parabola_and_line
from vettore.core.rounding import NumberStyle
from vettore.study import edits, edits_of_curves
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds, CurveOf, FormulaOfX, Level, PointsOf, Spans
from vettore.words.areas import area_lines, baseline_words, between_lines

STYLE = NumberStyle()


@pytest.fixture
def study():
    return parabola_and_line(np.linspace(0, 10, 41))


def test_an_area_has_its_name_or_its_number(study):
    """Its limits, its rule and what it stands on; an area that cannot be had says why under the same name."""
    for name in ("flood", ""):
        study = edits_of_curves.add_area(study, AreaRecipe("s1", start=1.0, end=9.0, name=name))
    lines = area_lines(study, study.series[0], STYLE)
    assert [line.label for line in lines] == [
        "flood, 1 to 9 s, trapezoid rule, above zero",
        "area 2, 1 to 9 s, trapezoid rule, above zero",
    ]
    study = edits_of_curves.add_area(study, AreaRecipe("s1", baseline=PointsOf("s2"), name="between"))
    study = edits_of_curves.add_area(study, AreaRecipe("s1", baseline=PointsOf("s2")))
    short = edits.set_rows_aside(study, "s2", list(range(20, 41)), "")
    for line, name in zip(area_lines(short, short.series[0], STYLE)[2:], ("between", "area 4"), strict=True):
        assert line.label == name
        assert "does not reach so far" in line.text


def test_values_between_points_say_when_they_cannot_be_had(study):
    """The value with its unit; a place for which there is nothing is answered by a sentence."""
    recipe = study.interpolant_of("s1").changed(read_at=(2.1, 3.0))
    study = edits_of_curves.set_interpolant(study, recipe)
    lines = between_lines(study, study.series[0], STYLE)
    assert [line.label for line in lines] == [f"y at x = {x} s (monotone cubic)" for x in ("2.1", "3")]
    assert float(lines[1].text.split()[0]) == pytest.approx(9)
    bare = edits.set_rows_aside(study, "s1", list(range(40)), "")
    (line,) = between_lines(bare, bare.series[0], STYLE)
    assert line.label == ""
    assert line.text


def test_what_an_area_stands_on_is_named(study):
    """A level by its number, the line between the ends, another series, a fitted curve."""
    fit = study.curves[0].id
    told = [
        baseline_words(study, one, STYLE)
        for one in (
            Level(),
            Level(2.5),
            BetweenEnds(),
            PointsOf("s2"),
            CurveOf(fit),
            Spans(((0.0, 1.0), (8.0, 9.5))),
            FormulaOfX("2*x"),
        )
    ]
    assert told[:5] == ["zero", "2.5", "line between the ends", "points of lower", "quadratic of upper"]
    assert told[5:] == ["line through 0 … 1; 8 … 9.5", "2*x"]


def test_a_baseline_whose_series_was_taken_out_says_so(study):
    """What is not kept yet may follow a series, or a curve, that is taken out on another page."""
    fit = study.curves[0].id
    bare = edits.remove_series(edits.remove_series(study, "s2"), "s1")
    told = [baseline_words(bare, one, STYLE) for one in (PointsOf("s2"), CurveOf(fit))]
    assert told == ["points of what was taken out", "what was taken out"]
