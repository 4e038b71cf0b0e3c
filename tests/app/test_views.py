"""What Data, Fit, Interpolate, Polynomial and Report show of a study, without a window: the words and the numbers."""

from dataclasses import replace

import numpy as np
import pytest

from tests.made import parabola_and_line
from vettore.app.pages.data.present import (
    MOST_ASIDE_LISTED,
    beside,
    came_in,
    in_numbers,
    set_aside,
    text_numbers,
    without_place,
)
from vettore.app.pages.fit.present import LONGEST_NAME, FitState, equation_of, points_of, short_names, values_of
from vettore.app.pages.interpolate.present import Tried, doubts_of, offered
from vettore.app.pages.interpolate.present import present as interpolated
from vettore.app.pages.polynomial.present import Made, from_one, from_two, shelf_of, values_at, with_root_at
from vettore.app.pages.polynomial.present import present as polynomial
from vettore.app.pages.report.present import ALL
from vettore.app.pages.report.present import present as report
from vettore.core.errors import VettoreError
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.rounding import NumberStyle
from vettore.demo.study import demo_study
from vettore.study import edits, edits_of_curves
from vettore.study.derive import derive_fit
from vettore.study.derive_curves import derive_interpolant
from vettore.study.inspect import column_numbers
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import Role
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

STYLE = NumberStyle()
COMMA = NumberStyle(",")


def series_of(name):
    return next(series for series in demo_study().series if series.name.startswith(name))


def typed(**columns):
    """A study of one series of typed columns."""
    table = Table(tuple(RawColumn(name, "m", np.array(v, float)) for name, v in columns.items()), Source("typed"))
    return edits.add_series(Study(), table, "typed")


# Data


def test_how_a_series_came_in_is_told_with_what_stood_beside_it():
    """Name, reading, rows; notes as a tip; only a text file of one's own can be read differently."""
    probe = series_of("Nitrate probe")
    told = came_in(probe)
    assert told.pairs[0] == ("file", "nitrate-probe.csv")
    assert told.pairs[-1] == ("rows", "18, none dropped")
    assert (told.differently, told.notes) == (True, "")
    rating = came_in(series_of("Stage"))
    assert rating.notes.startswith("Notes beside the table:\n")
    made = replace(probe, table=replace(probe.table, source=Source("", kind="typed", notes=("a", "b"))))
    assert came_in(made) == type(told)((("rows", "18, none dropped"),), "Notes beside the table:\na\nb", False)


def test_what_is_set_aside_is_listed_with_its_reason_and_the_rest_counted():
    """Rows as people count them."""
    study = typed(x=range(9), y=range(9))
    study = edits.set_rows_aside(study, "s1", [3], "spilt")
    assert set_aside(study.series[0]) == [("row 4", "spilt")]
    study = edits.set_rows_aside(study, "s1", [0, 1, 2, 5, 6, 7], "")
    listed = set_aside(study.series[0])
    assert len(listed) == MOST_ASIDE_LISTED + 1
    assert listed[-1] == ("and", "2 more")
    assert ("row 1", "no reason given") in listed


def test_a_column_in_numbers_has_the_trades_names_and_its_unit():
    """1, 2, 3, 4 and a blank: mean 2.5, standard deviation 1.291, median absolute deviation 1; y = 2x correlates by 1."""
    study = typed(x=[1, 2, 3, 4, np.nan], y=[2, 4, 6, 8, np.nan])
    series = study.series[0]
    told = dict(in_numbers(column_numbers(series, 1), series.columns[1], "s", STYLE))
    assert told == {
        "count": "4 · 1 blank",
        "mean": "5.0 ± 1.3 m",
        "median": "5.0000 m",
        "standard deviation (n\u00a0−\u00a01)": "2.582 m",
        "variance": "6.667 m²",
        "median absolute deviation": "2.000 m",
        "smallest · largest": "2.000 · 8.000",
        "quartiles": "3.500 · 6.500",
        "sum": "20.0000",
        "correlation with x": "1.00",
        "by ranks": "1.00",
        "covariance": "3.333 s·m",
    }
    assert dict(in_numbers(column_numbers(series, 1), series.columns[1], "", COMMA))["mean"] == "5,0 ± 1,3 m"
    assert text_numbers(["a", "", " ", "b"]) == [("text in", "2 of 4 rows")]


def test_series_beside_are_those_asked_for_in_the_order_of_the_study():
    """Without the shown one, and with the rows in use alone."""
    study = edits.set_rows_aside(demo_study(), "s3", [0], "")
    shown = beside(study, study.series[0], {study.series[0].id, "s3", "s2"})
    assert [one.id for one in shown] == ["s2", "s3"]
    assert len(shown[1].x) == study.series[2].in_use.sum()


def test_rows_without_a_place_on_a_logarithmic_axis_are_named():
    """Those at and below zero that are measured."""
    series = typed(x=[-1, 0, 1, 2], y=[1, 2, 3, 4]).series[0]
    assert without_place(series, Role.X) == "x is not above 0 in rows 1–2: no place on a logarithmic axis."
    assert without_place(series, Role.Y) == ""
    assert without_place(series, Role.X_ERROR) == ""


# Fit


def test_the_chosen_curve_is_shown_before_what_suggests_itself_and_that_before_a_line():
    """A suggestion holds for the contents it was made for."""
    study = parabola_and_line(np.arange(6.0))
    series, line = study.series[1], PolynomialFit(series="s2", degree=1)
    state = FitState({(series.id, series.key): (3, PolynomialFit(series="s2", degree=3))})
    assert FitState().recipe_for(series, None) == line
    assert (state.recipe_for(series, None).degree, state.key_for(series)) == (3, 3)
    assert state.recipe_for(series, study.curves[0]) is study.curves[0]
    other = edits.set_cell(study, "s2", 0, 1, "7").series[1]
    assert (state.recipe_for(series, None).degree, FitState().key_for(other)) == (3, -1)


def test_points_are_drawn_with_their_bars_and_the_span_of_the_rows_in_use():
    """Set aside, blank, outside the span of the fit, and with a ± that is used or not."""
    study = typed(x=[0, 1, 2, 3, 4, 5], y=[1, 2, np.nan, 4, 5, 6], e=[0.1] * 6)
    settings = replace(study.series[0].columns[2], role=Role.Y_ERROR)
    study = edits.set_column(study, "s1", 2, settings)
    series = edits.set_rows_aside(study, "s1", [5], "").series[0]
    plain = points_of(series, PolynomialFit(series="s1", degree=1))
    assert plain.rows.tolist() == [0, 1, 3, 4, 5]
    assert plain.aside.tolist() == [False, False, False, False, True]
    assert (plain.bars, plain.across, plain.span, plain.called) == (None, None, (0.0, 4.0), "y (m)")
    weighed = points_of(series, PolynomialFit(series="s1", degree=1, use_errors=True, span=(1, 3.5)))
    assert weighed.bars.tolist() == [0.1] * 5
    assert weighed.span == (1.0, 3.0)
    assert plain.shown == weighed.shown
    none = edits.set_column(study, "s1", 0, replace(study.series[0].columns[0], role=Role.CARRIED)).series[0]
    assert points_of(none, PolynomialFit(series="s1", degree=1)) is None


def test_a_formula_of_a_transformed_y_is_drawn_on_its_own_axis():
    """ln(y) over x, without bars that are those of y."""
    study = typed(x=[0, 1, 2, 3], y=[1, 2, 4, 8])
    study = edits.add_formula(study, "s1", "ln(y) = a + b*x")
    shown = points_of(study.series[0], study.curves[0])
    assert shown.y.tolist() == pytest.approx(np.log([1, 2, 4, 8]).tolist())
    assert shown.called.startswith("ln(y)")


def test_the_equation_has_a_chip_for_each_coefficient_with_its_unit():
    """Fitted values with ±; shaped ones without; held ones say so."""
    study = parabola_and_line(np.array([0.0, 1, 2, 3, 4.5]))
    fit = derive_fit(edits.add_fit(study, "s2", 1), "c4")
    shown = equation_of(fit, None, STYLE)
    assert shown.plain_text == "y = a0 + a1*x"
    assert list(shown.chips) == ["a0", "a1"]
    assert shown.chips["a1"].value.endswith(" m/s")
    assert shown.chips["a1"].number == values_of(fit)["a1"] == pytest.approx(2)
    assert shown.legend == ""
    shaped = equation_of(fit, {**values_of(fit), "a1": 2.5}, COMMA)
    assert (shaped.chips["a1"].value, shaped.chips["a1"].number) == ("2,5000 m/s", 2.5)
    assert shaped.chips["a0"].number == shown.chips["a0"].number


def test_long_names_have_a_symbol_that_is_not_taken():
    """The legend says what it stands for; short names stay."""
    long = "a very long name of a column"
    study = typed(**{long: range(6), "y": [1, 3, 2, 5, 4, 6], "x": range(6)})
    fit = derive_fit(edits.add_fit(study, "s1", 1), "c2")
    assert len(long) > LONGEST_NAME
    assert short_names(fit) == {long: "X"}
    assert equation_of(fit, None, STYLE).legend == f"X: {long}"


# Interpolate


def test_what_is_read_between_points_stands_in_a_table_in_words_and_in_full():
    """A straight piece of the pond's temperature; gaps in its record are named; a pennant for each value."""
    pond = series_of("Pond")
    recipe = demo_study().interpolant_of(pond.id).changed(method="linear", read_at=(13.0, 14.5, 99.0))
    view = interpolated(pond, recipe, derive_interpolant(pond, recipe), STYLE)
    assert view.sentence.startswith("Straight pieces: The plain choice")
    assert view.gaps == ("12 … 15.5 h", "34.5 … 37 h")
    assert view.header == ("hour (h)", "water (°C)")
    # Where the curve ends nothing is read.
    assert view.rows == (("13", "20.8800"), ("14.5", "21.4800"))
    assert view.full == ((13.0, pytest.approx(20.88)), (14.5, pytest.approx(21.48)))
    assert [flag[2:] for flag in view.flags] == [("20.8800 °C", True), ("21.4800 °C", True)]
    far = recipe.changed(outside="constant")
    assert interpolated(pond, far, derive_interpolant(pond, far), STYLE).rows[-1][0] == "99, beyond"


def test_doubts_are_told_with_the_unit_of_y():
    """A monotone curve does not overshoot; a smoothing one has a penalty; too few points leave nothing to leave out."""
    study = typed(x=[0, 1, 2, 3, 4], y=[0, 1, 1, 2, 2])
    monotone = derive_interpolant(study.series[0], study.interpolant_of("s1"))
    told = dict(doubts_of(monotone, "m", STYLE))
    assert (told["overshoot"], told["pieces"]) == ("0 m", "4")
    assert told["leave-one-out error"].endswith(" m")
    smooth = derive_interpolant(study.series[0], study.interpolant_of("s1").changed(method="smoothing", penalty=2.0))
    assert dict(doubts_of(smooth, "m", STYLE))["smoothing penalty λ"] == "2.000"
    three = typed(x=[0, 1, 2], y=[0, 1, 0])
    curve = derive_interpolant(three.series[0], three.interpolant_of("s1"))
    assert dict(doubts_of(curve, "", STYLE))["leave-one-out error"] == "—"


def test_methods_are_offered_by_what_they_miss_the_impossible_last():
    """A method that needs more points says so, and why."""
    study = typed(x=range(8), y=[v**2 for v in range(8)])
    recipe = study.interpolant_of("s1")
    curves = {
        name: derive_interpolant(study.series[0], recipe.changed(method=name)) for name in ("linear", "cubic", "next")
    }
    tried = (*(Tried(name, curve) for name, curve in curves.items()), Tried("periodic", None, "The ends differ."))
    shown = offered(tried, STYLE)
    assert [one.key for one in shown] == ["cubic", "linear", "next", "periodic"]
    assert shown[1].note == "± 1.0"
    assert (shown[3].note, shown[3].about) == ("needs more points", "The ends differ.")


# Polynomial


def shelf(*coefficients):
    """Polynomials by ascending coefficients, on a shelf."""
    study = Study()
    for one in coefficients:
        study = edits_of_curves.add_polynomial(study, "made", Polynomial(one), "", "")
    return shelf_of(study)


def test_a_polynomial_is_told_by_roots_turning_points_slope_and_area():
    """x² + x − 2 = (x + 2)(x − 1)."""
    (one,) = shelf([-2, 1, 1])
    view = polynomial(one, STYLE)
    assert view.sentence == "2 real roots, all single."
    assert [row[0] for row in view.root_rows] == ["−2.00000", "1.00000"]
    assert view.full_roots[1][:3] == (1.0, 0.0, 1.0)
    assert view.turns == (("minimum at (x, y)", "(−0.5000, −2.250)"),)
    assert view.marks == ((-0.5, -2.25, "bottom", "minimum at −0.5000"),)
    assert dict(view.follows) == {
        "slope": "2\u00a0x +\u00a01",
        "area from 0": "0.33333\u00a0x³ +\u00a00.5\u00a0x² −\u00a02\u00a0x",
    }
    assert view.home == (-2.75, 1.75)
    complex_roots = polynomial(shelf([1, 0, 1])[0], STYLE)
    assert [row[0] for row in complex_roots.root_rows] == ["0 − 1.00000 i", "0 + 1.00000 i"]
    double = polynomial(shelf([1, -2, 1])[0], STYLE)
    assert double.root_rows[0][0] == "1.00000 (2×)"
    # Its turning point is the root, which has its number there already.
    assert double.marks[0][3] == ""
    zero = polynomial(shelf([0])[0], STYLE)
    assert (zero.root_rows, zero.put_back) == ((), "")


def test_polynomials_are_made_from_two_and_from_one():
    """Names say how; a quotient its rest; what cannot be is refused."""
    p, q = shelf([-1, 0, 1], [-1, 1])
    assert (p.letter, q.letter) == ("p", "q")
    assert from_two("×", p, q, STYLE) == Made(Polynomial([1, -1, -1, 1]), "", "p × q")
    assert from_two("÷", p, q, STYLE) == Made(Polynomial([1, 1]), "rest 0", "p ÷ q")
    assert from_two("∘", p, q, STYLE).polynomial.coefficients == (0.0, -2.0, 1.0)
    assert from_two("gcd", p, q, STYLE) == Made(Polynomial([-1, 1]), "", "gcd(p, q)")
    assert from_two("+", p, q, STYLE).polynomial.coefficients == (-2.0, 1.0, 1.0)
    assert from_two("−", p, q, STYLE).polynomial.coefficients == (0.0, -1.0, 1.0)
    with pytest.raises(VettoreError):
        from_two("÷", p, shelf([0])[0], STYLE)
    assert from_one("slope", p, 0, STYLE) == Made(Polynomial([0, 2]), "", "slope of p")
    assert from_one("area", q, 0, STYLE) == Made(Polynomial([0, -1, 0.5]), "", "area of q from 0")
    assert from_one("shift", q, 2.5, COMMA) == Made(Polynomial([1.5, 1]), "", "q(x + 2,5)")
    assert values_at(q, [0, 2], COMMA) == ([("0", "−1,0000000"), ("2", "1,0000000")], [(0, -1.0), (2, 1.0)])


def test_a_dragged_root_takes_the_others_along_and_keeps_the_leading_coefficient():
    """A double root moves as one."""
    moved = with_root_at(Polynomial([-4, 2, 2]), 1, 3.0)
    assert moved.coefficients == pytest.approx((-12.0, -2.0, 2.0))
    assert with_root_at(Polynomial([1, -2, 1]), 0, 2.0).coefficients == pytest.approx((4.0, -4.0, 1.0))


def test_a_polynomial_whose_fit_is_gone_stays_as_it_was():
    """With its letter; letters go on after the eighth."""
    study = parabola_and_line(np.arange(6.0))
    study = edits_of_curves.add_polynomial(study, "from the fit", Polynomial([0, 0, 1]), "", study.curves[0].id)
    assert shelf_of(study)[0].polynomial.covariance is not None
    gone = replace(study, parts=tuple(part for part in study.parts if part.id != study.curves[0].id))
    assert shelf_of(gone)[0].polynomial.coefficients == (0.0, 0.0, 1.0)
    assert [one.letter for one in shelf(*[[1.0]] * 9)][-2:] == ["w", "p1"]


# Report


def test_the_report_offers_each_fit_and_all():
    """The reported one is marked; without a fit there is all that the study holds."""
    study = demo_study()
    view = report(study)
    assert view.subjects == (
        ("Nitrate probe · Straight line", study.curves[0].id),
        ("Stage–discharge rating · Quadratic", study.curves[1].id),
        ("All fits, and all else", ALL),
    )
    assert view.subject == study.report.curve
    assert (view.some, view.has_figure, view.has_series) == (True, True, True)
    assert report(edits.set_report(study, study.report.changed(fits="all"))).subject == ALL
    empty = report(Study())
    assert empty.subjects == (("All that the study holds", ALL),)
    assert (empty.subject, empty.some, empty.has_figure, empty.has_series) == (ALL, False, False, False)
