"""Answers that fit equally: the customary one is given, and one that means something else is told beside it."""

import numpy as np
import pytest

from vettore import core
from vettore.core.errors import DataError

T = np.linspace(0, 30, 40)
NOISE = np.random.default_rng(0).normal(0, 0.03, 40)


def test_rates_that_may_change_places_are_both_told():
    """Only B of A → B → C is measured: k₁ and k₂ swapped, with another A, are the same curve."""
    data = {"t": T, "B": 6 * 0.3 / (0.1 - 0.3) * (np.exp(-0.3 * T) - np.exp(-0.1 * T)) + NOISE}
    formula = "B = A*k1/(k2 - k1)*(exp(-k1*t) - exp(-k2*t))"
    for start in (None, {"k1": 0.4, "k2": 0.08}):
        result = core.fit(formula, data, start=start)
        (other,) = [one for one in result.alternatives if one.sum_of_squares < 1.001 * result.sum_of_squares]
        a, k1, k2 = result.values
        assert (other.values["k1"], other.values["k2"]) == pytest.approx((k2, k1), rel=1e-6)
        assert other.values["A"] * other.values["k1"] == pytest.approx(a * k1, rel=1e-6)
        assert sum("Another answer fits as well: A = " in text for text in result.warnings) == 1
    two = core.fit(
        "y = A*exp(-k*t) + B*exp(-l*t)", {"t": T, "y": 5 * np.exp(-0.4 * T) + 3 * np.exp(-0.05 * T) + NOISE}
    )
    assert two.warnings == ()


@pytest.mark.parametrize(("height", "rate", "phase"), [(-2, 1.3, 0.5), (3, 1.3, 4.0), (1.5, 2.0, -2.0), (-1, 0.7, 9)])
@pytest.mark.parametrize(
    "formula",
    [
        "y = A*sin(w*t + p) + C",
        "y = A*cos(w*t - p) + C",
        "y = C + A*exp(-k*t)*sin(2*pi*t/T + p)",
        "y = A*sin(p + w*t)",
    ],
)
def test_a_wave_has_a_height_above_zero_and_a_phase_within_a_turn(formula, height, rate, phase):
    """Whatever the data were made with; nothing is told beside it, since other signs say the same."""
    wave = (np.cos if "cos" in formula else np.sin)(rate * T + phase) * (np.exp(-0.05 * T) if "exp" in formula else 1)
    result = core.fit(formula, {"t": T, "y": height * wave + ("C" in formula) + NOISE})
    assert result.coefficients["A"].value > 0
    assert -np.pi < result.coefficients["p"].value <= np.pi
    assert result.r_squared > 0.99
    assert result.warnings == ()


@pytest.mark.parametrize(
    ("columns", "options", "words"),
    [
        ({"x": np.arange(20.0), "y": np.zeros(20)}, {"noise": "poisson"}, "Every count is 0"),
        ({"x": np.arange(20.0), "y": np.ones(20)}, {"noise": "binomial", "trials": 5}, "Every share is 1"),
    ],
)
def test_counts_that_are_all_none_or_all_are_refused_for_that(columns, options, words):
    """Not for a likelihood that rises without end."""
    with pytest.raises(DataError, match=words):
        core.fit("y = A*exp(-k*x)", columns, **options)


def test_x_so_far_off_that_a_coefficient_leaves_the_numbers_is_told_with_the_formula_that_fits():
    """exp(-k·10⁴) needs a height of 10⁸⁶⁸: the sentence says so, and the formula it offers does fit."""
    x = 1e4 + np.linspace(0, 60, 40)
    for formula, wave in (
        ("y = A*exp(-k*x) + C", 1.0),
        ("y = A*exp(-k*x)*sin(w*x + p) + C", np.sin(0.7 * (x - 1e4) + 0.4)),
    ):
        data = {"x": x, "y": 5 * np.exp(-0.2 * (x - 1e4)) * wave + 1 + NOISE}
        with pytest.raises(DataError, match="Count x from there") as refused:
            core.fit(formula, data)
        offered = str(refused.value).split(": ")[-1].rstrip(".")
        assert core.fit(offered, data).coefficients["k"].value == pytest.approx(0.2, rel=0.05)
    # Where the numbers reach the answer is carried back.
    near = core.fit("y = A*exp(-k*x) + C", {"x": x, "y": 5 * np.exp(-0.05 * (x - 1e4)) + 1 + NOISE})
    assert near.coefficients["k"].value == pytest.approx(0.05, rel=0.1)


def test_coefficients_that_no_rows_can_tell_apart_are_the_reason_that_is_given():
    """a·exp(b + c·x): a and b are one number."""
    data = {"x": np.arange(20.0), "y": np.round(50 * np.exp(-0.1 * np.arange(20.0)))}
    result = core.fit("y = a*exp(b + c*x)", data)
    assert result.warnings == ("a and b cannot be told apart here, so no uncertainty can be known.",)
    counted = core.fit("y = a*exp(b + c*x)", data, noise="poisson")
    assert counted.warnings == result.warnings
