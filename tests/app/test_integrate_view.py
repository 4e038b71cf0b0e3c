"""What the Integrate page shows of a state, without a window."""

import math

import numpy as np
import pytest

from tests.made import parabola_and_line
from vettore.app.pages.integrate.derived import AreaRequest, FunctionRequest, request_of
from vettore.app.pages.integrate.making import running_area, with_peaks
from vettore.app.pages.integrate.present import MOST_STRIPS_SHOWN, NO_POINTS, present
from vettore.app.pages.integrate.state import IntegrateState, Typed
from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.study import edits, edits_of_curves
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import BetweenEnds, CurveOf, Level, PointsOf
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

X = np.linspace(0, 10, 101)
STYLE = NumberStyle()


@pytest.fixture
def study():
    """y = x² in m over s, another series, a parabola fitted to the first."""
    return parabola_and_line(X)


def view(study, state, curve="", style=STYLE):
    """The view of a state, with everything that it asks for worked out."""
    try:
        wanted = request_of(study, state)
        answer, refusal = (wanted.answer() if wanted else None), ""
    except ValueError as error:
        answer, refusal = None, str(error)
    return present(study, state, curve, answer, refusal, style)


def test_an_area_is_told_with_its_unit_its_parts_and_its_steps(study):
    """The trapezoid through 101 points of x² is 333.35; each row of the table is one strip."""
    shown = view(study, IntegrateState().on("s1"))
    told = shown.shown
    assert (told.number.split(" ")[0], told.unit) == ("333.350", "m·s")
    assert dict(told.pairs)["baseline"] == "zero"
    assert dict(told.pairs)["joined by"] == "straight pieces"
    assert len(told.strips) == MOST_STRIPS_SHOWN
    assert told.full.shape == (100, 4)
    assert told.full[-1].tolist() == pytest.approx([9.9, 10.0, (9.9**2 + 100) / 2, (9.9**2 + 100) / 20])
    assert [cell[0] for cell in told.rungs] == [
        "13 strips",
        "25 strips",
        "50 strips",
        "100 strips",
        "parabolas",
        "smooth spline",
    ]
    assert told.rungs[0][2] == ""
    assert told.rungs[-2][1] == "333.33"
    assert told.drawing.limits == (0.0, 10.0)
    assert told.drawing.running[1][-1] == pytest.approx(333.35)
    assert shown.status[:2] == ("101 rows in use", "straight pieces")
    assert not shown.awaited


def test_what_can_be_chosen(study):
    """The fitted curve only where one is chosen; every other series and curve as a baseline; the decimal comma."""
    state = IntegrateState().on("s1")
    assert [choice.possible for choice in view(study, state).rules] == [True, True, True, False]
    assert all(choice.possible for choice in view(study, state, curve="c3").rules)
    offered = view(study, state).baselines
    assert list(offered.values()) == [Level(), BetweenEnds(), PointsOf("s2"), CurveOf("c3")]
    assert offered["points of lower"] == PointsOf("s2")
    comma = view(study, state, style=NumberStyle(","))
    assert comma.shown.number.startswith("333,350")


def test_kept_areas_have_their_share_and_one_is_shown(study):
    """A quarter and three quarters; the kept one is chosen, its button lets it go; another series has none of them."""
    for start, end in ((0.0, 5.0), (5.0, 10.0)):
        study = edits_of_curves.add_area(study, AreaRecipe("s2", start, end))
    state = IntegrateState().on("s2").turned(study.areas[1].id)
    shown = view(study, state)
    assert [choice.words for choice in shown.kept] == ["area 1   25.00 · 25 %", "area 2   75.00 · 75 %"]
    assert [choice.chosen for choice in shown.kept] == [False, True]
    assert shown.keep == "Let go of this area"
    assert state.turned(study.areas[1].id).kept == ""
    assert view(study, state.on("s1")).kept == ()
    assert view(study, state.on("s1")).keep == "Keep this area"
    waiting = present(study, state, "", None, "", STYLE)
    assert (waiting.awaited, waiting.shown) == (True, None)
    assert [choice.words for choice in waiting.kept] == ["area 1", "area 2"]


def test_what_cannot_be_is_said(study):
    """A baseline that does not reach so far, a wrong limit of a function, an empty study."""
    short = edits.set_rows_aside(study, "s2", list(range(50, 101)), "")
    state = IntegrateState("s1", AreaRecipe("s1", baseline=PointsOf("s2")))
    assert "does not reach so far" in view(short, state).refusal
    typed = IntegrateState("s1", AreaRecipe("s1"), typed=Typed("exp(-x)", "0", "soon"), of_function=True)
    assert view(study, typed).refusal == "“soon” is no limit; write a number, or inf."
    empty = view(Study(), IntegrateState().on(""))
    assert (empty.invites, empty.awaited) == (NO_POINTS, False)
    with pytest.raises(DataError, match="no limit"):
        request_of(study, typed)


def test_a_function_is_told_read_and_crossed(study):
    """e^(−x²) over all x; x² − 2x where it is 0 and at 3; what is kept is known again."""
    typed = Typed("exp(-x^2)", "-inf", "inf")
    shown = view(study, of(typed))
    assert shown.shown.number.startswith("1.77245385091")
    assert (shown.series, shown.titles) == (None, ("x", "exp(-x^2)"))
    assert shown.shown.drawing.running[1][-1] == pytest.approx(math.sqrt(math.pi), rel=1e-4)
    assert shown.keep_function == "Keep this function"
    crossed = view(study, of(Typed("x^2 - 2*x", "0", "4", at_x="3", where_y="0")))
    assert crossed.asks.at_x == "y = 3.0000000"
    assert crossed.asks.where_y == "x = 0; 2.0000000"
    assert [round(flag[0], 9) for flag in crossed.asks.flags] == [3.0, 0.0, 2.0]
    assert crossed.shown.rungs[-1][2] == "order 2.0"
    kept = edits_of_curves.add_function(study, "x^2 - 2*x", "0", "4")
    again = view(kept, of(Typed("x^2 - 2*x", "0", "4")))
    assert (again.keep_function, again.functions[0].chosen) == ("Let go of it", True)
    one = view(study, of(Typed("x^2", "0", "3", "6", "left")))
    assert one.shown.number == style_of(FunctionRequest("x^2", 0.0, 3.0, 6, "left").answer().area.area)
    assert "no value here" in view(study, of(Typed("a*x"))).refusal
    assert view(study, of(Typed("1/x", "0", "1"))).shown.number == "not settled"


def of(typed):
    """The state of a page that shows a function beside a series."""
    return IntegrateState("s1", AreaRecipe("s1"), typed=typed, of_function=True)


def test_a_rule_is_drawn_as_what_it_is_and_its_points_are_listed(study):
    """Chords lie above e^x, steps jump, parabolas meet it at the points; weights times values are the area."""
    for rule, height, weights in (
        ("trapezoid", (1 + math.e) / 2, [0.5, 0.5]),
        ("left", 1.0, [1.0]),
        ("midpoint", math.exp(0.5), [1.0]),
    ):
        shown = view(study, of(Typed("exp(x)", "0", "1", "1", rule))).shown
        assert shown.drawing.shape_of(np.array([0.5]))[0] == pytest.approx(height)
        assert shown.full[:, 2].tolist() == weights
        assert float(shown.full[:, 1] @ shown.full[:, 2]) == pytest.approx(float(shown.number), rel=1e-7)
    shown = view(study, of(Typed("exp(x)", "0", "1", "4", "simpson"))).shown
    assert (np.array(shown.full)[:, 2] * 12).tolist() == pytest.approx([1, 4, 2, 4, 1])
    assert shown.drawing.shape_of(shown.full[:, 0]) == pytest.approx(np.exp(shown.full[:, 0]))
    assert shown.strips[1] == ("0.25", "1.2840", "0.3333")
    assert view(study, of(Typed("exp(x)", "0", "1", "some"))).refusal.startswith("“some” is no number of strips")


def style_of(area):
    return STYLE.number(area, 8)


def test_peaks_and_the_running_area_are_made(study):
    """Two peaks are kept above the line between their feet; a running area says where it came from."""
    y = 5 * np.exp(-((X - 3) ** 2) / 0.3) + 3 * np.exp(-((X - 7) ** 2) / 0.3)
    trace = Table((RawColumn("minute", "min", X), RawColumn("signal", "mV", y)), Source("made"))
    study = edits.add_series(study, trace, "trace")
    series = study.series[-1]
    count, made = with_peaks(study, series, AreaRecipe(series.id, rule="fit", curve="c3"), STYLE)
    assert count == len(made.areas) == 2
    assert {(area.rule, area.baseline) for area in made.areas} == {("trapezoid", BetweenEnds())}
    assert made.areas[0].name == "peak at 3"
    answer = AreaRequest(study, series, AreaRecipe(series.id)).answer()
    table, name = running_area(series, answer.area)
    assert (name, table.columns[1].unit) == ("trace, running area", "mV·min")
    assert dict(table.source.how)["made from"] == "trace"
