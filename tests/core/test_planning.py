"""Plans before there are data, against closed forms and fits of what was planned."""

import itertools

import numpy as np
import pytest

import vettore.core as core
from vettore.core.design.planning import plan_rows

PLACES = np.linspace(0, 12, 121)


def test_the_best_places_are_those_of_textbooks():
    """A slope at both ends, half each; a decay at the start and 1/k after it; a level anywhere; whatever is guessed of a line."""
    for b in (0.1, -30.0):
        plan = plan_rows("y = a + b*x", {"a": 1, "b": b}, PLACES, 6, "b", sigma=0.2)
        assert plan.x == (0, 0, 0, 12, 12, 12)
        assert plan.standard_errors["b"] == pytest.approx(0.2 / np.sqrt(6 * 36))
    decay = plan_rows("c = A*exp(-k*t)", {"A": 10, "k": 0.25}, PLACES, 8)
    assert decay.x == pytest.approx((0, 0, 0, 0, 4, 4, 4, 4))
    square = plan_rows("y = a + b*x + c*x^2", {"a": 1, "b": 1, "c": 1}, PLACES, 9)
    assert square.x == pytest.approx((0, 0, 0, 6, 6, 6, 12, 12, 12))


def test_the_errors_foretold_are_those_of_a_fit_of_the_plan():
    """With σ known, of exact values at the places that were planned."""
    guess = {"V": 10.0, "K": 2.0}
    for improve in ("K", "all", ("value", 6.0)):
        plan = plan_rows(core.model("saturation"), guess, np.linspace(0.5, 20, 40), 7, improve, sigma=0.3)
        x = np.array(plan.x)
        y = 10 * x / (2 + x)
        told = core.fit("y = V*x/(K + x)", {"x": x, "y": y}, sigma=0.3, absolute_sigma=True, start=guess)
        for name, error in plan.standard_errors.items():
            assert told.coefficients[name].standard_error == pytest.approx(error, rel=1e-6)
    assert plan.standard_error == pytest.approx(told.curve.standard_error(6.0), rel=1e-6)


def test_no_plan_is_better_than_the_one_told():
    """Of all plans of five rows at nine places; evenly spread rows are worse, and so much as is said."""
    places, guess = np.linspace(0, 12, 9), {"A": 5.0, "k": 0.3, "C": 1.0}

    def error(chosen):
        x = np.array(chosen)
        slopes = np.column_stack([np.exp(-0.3 * x), -5 * x * np.exp(-0.3 * x), np.ones(len(x))])
        gram = slopes.T @ slopes
        return np.inf if np.linalg.cond(gram) > 1e13 else float(np.sqrt(np.linalg.inv(gram)[1, 1]))

    every = min(map(error, itertools.combinations_with_replacement(places.tolist(), 5)))
    plan = plan_rows("y = A*exp(-k*x) + C", guess, places, 5, "k")
    assert plan.standard_error == pytest.approx(every, rel=0.02)
    assert plan.even == pytest.approx(error(np.linspace(0, 12, 5)), rel=1e-6)
    held = plan_rows("y = A*exp(-k*x) + C", {"A": 5.0, "k": 0.3}, places, 5, "k", hold={"C": 1.0})
    assert held.standard_error < plan.standard_error
    dear = plan_rows("y = a + b*x", {"a": 1, "b": 1}, [0, 6, 12], 4, "b", price=[1, 1, 100])
    assert 12 not in dear.x


@pytest.mark.parametrize(
    ("formula", "guess", "asked", "said"),
    [
        ("y = a + b*x", {"a": 1}, {}, "here b and x have none"),
        ("y = a + b*x", {"a": 1, "b": 1, "x": 1}, {}, "here all have one"),
        ("y = a + b*x", {"a": 1, "b": 1, "c": 1}, {}, "c, which is no coefficient"),
        ("y = a + b*x", {"a": 1, "b": 1}, {"rows": 1}, "has 2 to 200 rows"),
        ("y = a + b*x", {"a": 1, "b": 1}, {"x": [3.0]}, "cannot tell the coefficients apart"),
        ("y = a + b*x", {"a": 1, "b": 1}, {"improve": "q"}, "no fitted coefficient “q”"),
        ("y = a + b*x", {"a": 1, "b": 1}, {"sigma": 0.0}, "above 0"),
    ],
)
def test_what_cannot_be_planned_is_told(formula, guess, asked, said):
    given = {"x": [0.0, 1.0, 2.0], "rows": 4, "improve": "all", "sigma": 1.0, **asked}
    with pytest.raises(core.DataError, match=said):
        plan_rows(formula, guess, given["x"], given["rows"], given["improve"], sigma=given["sigma"])


def test_a_plan_is_printed(run):
    """Places with how often, the ± to come, and what even spreading costs; JSON by its schema; refusals in a sentence."""
    asked = ("plan", "c = A*exp(-k*t)", "--guess", "A=10", "--guess", "k=0.25", "--x", "0..12", "--rows", "6")
    code, out, _ = run(*asked, "--sigma", "0.2")
    assert code == 0
    assert out.splitlines() == [
        "measure at x  3 × 0, 3 × 4.02",
        "  A          10.00 ± 0.12",
        "  k          0.2500 ± 0.0084",
        "as many evenly spread rows make the radius of their joint confidence region 1.29 times as large",
    ]
    assert run(*asked, "--json")[0] == 0
    assert "Give either a formula or --model" in run("plan", "--x", "0..1", "--rows", "3")[2]
    assert "holds nothing to measure" in run("plan", "y = a*x", "--guess", "a=1", "--x", "2..1", "--rows", "3")[2]
