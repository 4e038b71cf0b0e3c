"""Results in a script: sent and stored whole, in one line, as dict, as table, in a notebook."""

import json
import pickle

import numpy as np
import pytest

import vettore.core as core

X = np.linspace(0, 10, 20)
Y = 3 * np.exp(-0.3 * X) + 0.05 * np.sin(9 * X)
DATA = {"x": X, "y": Y}
FORMULA = "y = A*exp(-k*x)"
RESULTS = {
    "polynomial": lambda: core.fit_polynomial(X, Y, 2),
    "formula": lambda: core.fit(FORMULA, DATA),
    "linear": lambda: core.fit("y = a + b*x", DATA, sigma=np.full(20, 0.1), absolute_sigma=True),
    "robust": lambda: core.fit(FORMULA, DATA, loss="huber"),
    "many": lambda: core.fit_many(FORMULA, [DATA] * 3),
    "shared": lambda: core.fit_shared(FORMULA, [DATA] * 2, ["k"]),
    "area": lambda: core.integrate(X, Y),
    "function": lambda: core.integrate_function("exp(-x)", 0, np.inf),
    "unsettled": lambda: core.integrate_function("1/x", 0, 1),
    "description": lambda: core.describe(Y),
    "practice": lambda: core.practice("y = a*x", {"a": 1.0}, X),
}


@pytest.mark.parametrize("name", RESULTS)
def test_every_result_tells_itself(name):
    """A line of a few words, a dict that is JSON and the same again after being sent, a table of the same numbers."""
    result = RESULTS[name]()
    again = pickle.loads(pickle.dumps(result))
    assert repr(again) == repr(result)
    assert len(repr(result)) < 160
    told = result.to_dict()
    assert json.loads(json.dumps(told, allow_nan=False)) == again.to_dict()
    frame, html = result.to_frame(), result._repr_html_()
    assert html.count("<tr>") == len(frame) + 1
    assert all(f"<th>{column}</th>" in html for column in frame.columns)


def test_a_fit_in_one_line_and_as_a_table():
    """Coefficients with their ±, to few digits in the line and with all in dict and table."""
    result = core.fit(FORMULA, DATA)
    assert (
        repr(result)
        == "<FitResult: y = A*exp(-k*x); A = 2.98777 ± 0.025, k = 0.298693 ± 0.004; R² = 0.999261, n = 20>"
    )
    told, frame = result.to_dict(), result.to_frame()
    assert told["coefficients"]["k"]["value"] == result.coefficients["k"].value == frame["value"][1]
    assert list(frame["coefficient"]) == ["A", "k"]
    assert told["aicc"] == result.aicc
    assert told["rows"] == list(range(1, 21))
    held = core.fit(FORMULA, DATA, hold={"A": 3.0})
    assert "A = 3, k = " in repr(held)
    assert "<td>True</td>" in held._repr_html_()


def test_a_sent_fit_answers_all_that_the_first_one_does():
    """Curve, band, leverage, R², the better answer beside a given start: nothing is lost on the way."""
    y = Y.copy()
    for result in (core.fit(FORMULA, DATA), core.fit_polynomial(X, y, 3), core.fit("y = a + b*x", DATA)):
        again = pickle.loads(pickle.dumps(result))
        np.testing.assert_array_equal(again.curve(X), result.curve(X))
        np.testing.assert_array_equal(again.curve.band(X), result.curve.band(X))
        np.testing.assert_array_equal(again.leverage, result.leverage)
        assert again.curve.area(0, 5) == result.curve.area(0, 5)
        assert (again.r_squared, again.total_sum_of_squares, again.has_constant, again.bic) == (
            result.r_squared,
            result.total_sum_of_squares,
            result.has_constant,
            result.bic,
        )
    t = np.linspace(0, 30, 31)
    pulse = {"t": t, "y": 5 * np.exp(-(((t - 20) / 1.5) ** 2)) + 1 + 0.05 * np.sin(9 * t)}
    start = {"A": 4.0, "c": 5.0, "w": 1.0, "B": 1.0}
    result = core.fit("y = A*exp(-((t - c)/w)^2) + B", pulse, start=start)
    again = pickle.loads(pickle.dumps(result))
    assert again.better is not None
    assert again.better.sum_of_squares == result.better.sum_of_squares
    assert again.warnings == result.warnings


@pytest.mark.parametrize("method", ["linear", "monotone", "cubic", "smoothing", "polynomial", "nearest"])
def test_curves_through_points_are_sent_whole(method):
    """Values, slopes and areas."""
    curve = core.interpolate(X, Y, method=method)
    again = pickle.loads(pickle.dumps(curve))
    at = np.linspace(0.1, 9.9, 30)
    np.testing.assert_array_equal(again(at), curve(at))
    np.testing.assert_array_equal(again.slope(at), curve.slope(at))
    assert again.area(1, 2) == curve.area(1, 2)
    polynomial = pickle.loads(pickle.dumps(core.Polynomial([1, 2, 3])))
    assert polynomial(2.0) == 17


def test_names_are_markup_in_a_notebook():
    """A column's name that is markup is text."""
    data = {"x": X, "<b>y</b>": Y}
    assert "<b>" not in core.fit("`<b>y</b>` = a + b*x", data)._repr_html_()
