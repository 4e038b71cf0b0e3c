"""Formulas of any kind are fitted without starting values, to reference digits, and fail honestly."""

import json
import math
from pathlib import Path

import numpy as np
import pytest

import vettore.core as core

REFERENCE = Path(__file__).parents[2] / "reference"
NONLINEAR = sorted((REFERENCE / "nonlinear").glob("*.json"))


def digits(values, certified):
    return min(
        15.0 if u == v else max(0.0, -math.log10(abs(u - v) / abs(v))) for u, v in zip(values, certified, strict=True)
    )


@pytest.mark.parametrize("how", ["start_1", "start_2", "none"])
@pytest.mark.parametrize("path", NONLINEAR, ids=lambda path: path.stem)
def test_reference_problems_agree_to_nine_digits(path, how):
    """Values and standard errors, from both published starts and from none."""
    problem = json.loads(path.read_text())
    start = None if how == "none" else dict(zip(problem["parameters"], problem[how], strict=True))
    result = core.fit(problem["formula"], problem["data"], start=start)
    told = [result.coefficients[name] for name in problem["parameters"]]
    assert digits([one.value for one in told], problem["certified"]) >= 9
    if problem["residual_sd"] > 1e-9:
        assert digits([one.standard_error for one in told], problem["certified_sd"]) >= 9
        assert result.residual_sd == pytest.approx(problem["residual_sd"], rel=1e-8)
    assert result.converged
    assert list(result.coefficients) == sorted(result.coefficients, key=problem["formula"].split("=")[1].find)


def test_longley_agrees_to_twelve_digits():
    """The classic of nearly dependent columns, with six predictors."""
    problem = json.loads((REFERENCE / "linear" / "Longley.json").read_text())
    formula = "y = b0 + " + " + ".join(f"b{i}*x{i}" for i in range(1, 7))
    result = core.fit(formula, problem["data"])
    assert digits(result.values, problem["certified"]) >= 12
    assert digits([c.standard_error for c in result.coefficients.values()], problem["certified_sd"]) >= 12
    with pytest.raises(core.DataError, match="several columns"):
        _ = result.curve


def test_a_formula_gives_what_a_polynomial_gives():
    """A line as a formula, by its curve too, agrees with the line as a polynomial; weights and rows left out as well."""
    rng = np.random.default_rng(4)
    x = np.linspace(1, 9, 30)
    y = 2 + 3 * x + rng.normal(0, 0.3, 30)
    y[5] = np.nan
    sigma = rng.uniform(0.5, 1, 30)
    one = core.fit("y = a0 + a1*x", {"x": x, "y": y}, sigma=sigma)
    other = core.fit_polynomial(x, y, 1, sigma=sigma)
    np.testing.assert_allclose(one.values, other.values, rtol=1e-13)
    np.testing.assert_allclose(one.covariance, other.covariance, rtol=1e-11)
    assert one.left_out == other.left_out == (6,)
    for what in ("r_squared", "aicc", "residual_sd", "left_one_out_error"):
        assert getattr(one, what) == pytest.approx(getattr(other, what), rel=1e-9)
    at = np.array([0.5, 4.2])
    np.testing.assert_allclose(one.curve.standard_error(at), other.curve.standard_error(at), rtol=1e-9)
    np.testing.assert_allclose(one.curve.crossings(20.0, 0, 10), other.curve.crossings(20.0, 0, 10), rtol=1e-12)
    assert one.curve.area(1, 5) == pytest.approx(other.curve.area(1, 5), rel=1e-12)
    assert one.curve.area_error(1, 5) == pytest.approx(other.curve.area_error(1, 5), rel=1e-9)


MODELS = [
    ("y = A*exp(-k*t) + C", {"A": 6.0, "k": 0.04, "C": 2.0}, 0.05),
    (
        "y = A*exp(-((t - m)/w)^2) + B*exp(-((t - n)/v)^2) + C",
        {"A": 5.0, "m": 30.0, "w": 8.0, "B": 3.0, "n": 70.0, "v": 5.0, "C": 1.0},
        0.05,
    ),
    ("y = V*t/(K + t)", {"V": 10.0, "K": 20.0}, 0.1),
    ("y = A*sin(w*t + p) + C", {"A": 2.0, "w": 0.31, "p": 0.7, "C": 5.0}, 0.1),
    ("y = A/(1 + exp(-(t - m)/s)) + C", {"A": 4.0, "m": 55.0, "s": 6.0, "C": 1.0}, 0.05),
    ("y = A*t^n + C", {"A": 0.3, "n": 1.7, "C": 4.0}, 0.5),
    ("y = A*exp(-exp(b - c*t))", {"A": 8.0, "b": 2.0, "c": 0.07}, 0.05),
    ("ln(y) = a - b*ln(t + t0)", {"a": 4.0, "b": 1.2, "t0": 3.0}, 0.01),
]


@pytest.mark.parametrize("scale", [1e-6, 1.0, 1e6])
@pytest.mark.parametrize(("formula", "true", "noise"), MODELS, ids=[m[0] for m in MODELS])
def test_no_starts_are_needed_at_any_scale(formula, true, noise, scale):
    """Without starts the sum of squares is at or below that of the truth, with x in units a million times apart."""
    t = np.linspace(1, 100, 60)
    left, right = formula.split(" = ")
    made = core.practice(f"z = {right}", true, x=t, noise=noise, seed=5)
    y = np.exp(made.y) if left == "ln(y)" else made.y
    result = core.fit(formula, {"t": t * scale, "y": y}, seed=2)
    assert result.sum_of_squares <= float(np.sum((made.y - made.true_y) ** 2)) * (1 + 1e-9)
    assert result.converged


def test_the_same_seed_gives_the_same_bits_and_scaling_y_scales_the_answer():
    """Deterministic for a seed; coefficients that carry y's unit scale with it, the others stay."""
    made = core.practice(MODELS[0][0], MODELS[0][1], x=np.linspace(0, 90, 40), noise=0.1, seed=3)
    data = {"t": made.x, "y": made.y}
    one, two = (core.fit(MODELS[0][0], data, seed=9) for _ in range(2))
    assert one.values == two.values
    scaled = core.fit(MODELS[0][0], {"t": made.x, "y": made.y * 1000})
    assert scaled.values == pytest.approx([one.values[0] * 1000, one.values[1], one.values[2] * 1000], rel=1e-8)
    held = core.fit(MODELS[0][0], data, hold={"C": 2.0})
    assert held.coefficients["C"].held
    assert held.coefficients["C"].standard_error is None
    assert held.degrees_of_freedom == 38
    seen = []
    core.fit(MODELS[0][0], data, progress=lambda number, squares: seen.append((number, squares)) or True)
    assert len(seen) == 1


def test_intervals_hold_the_truth_as_often_as_they_say():
    """On 300 practice sets the 95 % interval of a rate holds it in 92 to 98 of 100."""
    t, inside = np.linspace(0, 90, 25), 0
    for seed in range(300):
        made = core.practice(MODELS[0][0], MODELS[0][1], x=t, noise=0.2, seed=seed)
        k = core.fit(MODELS[0][0], {"t": t, "y": made.y}, start={"k": 0.05}).coefficients["k"]
        inside += k.low <= 0.04 <= k.high
    assert 276 <= inside <= 294


@pytest.mark.parametrize("formula", ["y = A*x^n", "y = A*x^n + C", "y = A*max(x - m, 0)^n + C"])
def test_a_power_may_begin_at_zero(formula):
    """Where x^n is 0 whatever n, its derivative is 0 and no obstacle."""
    x = np.linspace(0, 9, 40)
    y = 0.7 * np.maximum(x - 2, 0) ** 1.4 if "max" in formula else 0.7 * x**1.4
    result = core.fit(formula, {"x": x, "y": y + 0.01 * np.sin(5 * x)})
    assert result.coefficients["n"].value == pytest.approx(1.4, abs=0.03)
    assert np.isfinite(result.curve.standard_error(x)).all()


def test_terms_that_cannot_be_told_apart_are_said():
    """The other is fitted, the surplus one is left at 0 and named; it is no error."""
    x = np.linspace(1, 5, 12)
    result = core.fit("y = a*x + b*(2x) + c", {"x": x, "y": 3 * x + 1 + np.sin(x)})
    assert "cannot be told apart" in result.warnings[0]
    twin = core.fit("y = A*exp(-k*x) + B*exp(-k*x)", {"x": x, "y": 3 * np.exp(-x)})
    assert all(c.standard_error is None or np.isfinite(c.standard_error) for c in twin.coefficients.values())
    zero = core.fit("y = a + b*(x - x)", {"x": x, "y": x})
    assert "zero in every row" in zero.warnings[0]


@pytest.mark.parametrize(
    ("right", "against"),
    [
        ("A*exp(-k*x) + C", "mean"),
        ("A*exp(-k*x) + 2*C", "mean"),
        ("A*exp(-k*x)", "zero"),
        ("a*x + 3b", "mean"),
        ("a*x", "zero"),
    ],
)
def test_r_squared_is_against_the_mean_when_there_is_a_constant(right, against):
    """A constant counts however it is written, in linear and in nonlinear models."""
    x = np.linspace(0, 5, 20)
    result = core.fit(f"y = {right}", {"x": x, "y": 3 * np.exp(-x) + 1 + 0.01 * np.sin(9 * x)})
    assert result.r_squared_against == against


@pytest.mark.parametrize(
    ("formula", "data", "words"),
    [
        ("y = ln(k*(x - x - 1)^2*(-1))*0 + a*sqrt(0 - k^2 - 1)", {"x": [1, 2, 3], "y": [1, 2, 3]}, "no finite value"),
        ("y = A*exp(-k*x) + C", {"x": [1, 2], "y": [1, 2]}, "only 2 rows"),
        ("y = x", {"x": [1, 2], "y": [1, 2]}, "no coefficient"),
        ("a + b*x", {"x": [1, 2, 3], "y": [1, 2, 3]}, "no measured column"),
        ("y = a*x", {"x": [1, 2, 3], "y": [1, 2]}, "not equally long"),
        ("y = a*ln(x)", {"x": [-1.0, 2, 3], "y": [1, 2, 3]}, "no value in 1 of the rows"),
    ],
)
def test_what_cannot_be_fitted_is_refused_in_a_sentence(formula, data, words):
    """No warning leaks and no NaN comes back."""
    with pytest.raises(core.DataError, match=words):
        core.fit(formula, data)


def test_a_coefficient_without_effect_is_named_and_the_rest_converges():
    """It drops out: a result with a status and a sentence, not a search that fails."""
    x = np.linspace(0, 10, 30)
    result = core.fit("y = A*exp(-k*x) + 0*q", {"x": x, "y": np.exp(-x) + 0.01 * np.sin(9 * x)})
    assert result.converged
    assert "q has no effect" in result.warnings[0]
    assert result.coefficients["k"].value == pytest.approx(1, abs=0.1)


def test_constant_y_and_one_x_are_results_or_sentences():
    """A constant y has no R²; x with one value leaves the rate unknown, without a made-up error."""
    x = np.linspace(0, 5, 10)
    flat = core.fit("y = A*exp(-k*x) + C", {"x": x, "y": np.full(10, 3.0)})
    assert flat.r_squared is None
    assert np.isfinite([c.value for c in flat.coefficients.values()]).all()
    single = core.fit("y = A*exp(-k*x)", {"x": np.full(6, 2.0), "y": [1, 1.1, 0.9, 1, 1.05, 0.95]})
    assert single.coefficients["k"].standard_error is None
    assert any("cannot be told apart" in warning for warning in single.warnings)


def test_what_looks_like_a_slip_in_the_formula_is_said():
    """A column's name misspelt, or no column on the right; short names and real coefficients are left alone."""
    rng = np.random.default_rng(3)
    time = np.linspace(0, 90, 30)
    data = {"time": time, "oxygen": 6 * np.exp(-0.04 * time) + 2 + rng.normal(0, 0.1, 30)}
    told = core.fit("oxygen = A*exp(-k*tiem) + C", data).warnings
    assert told[0] == "tiem is no column and was fitted as a coefficient; the column time is spelt alike."
    assert "A, k and tiem cannot be told apart" in told[1]
    assert core.fit("oxygen = a + b", data).warnings[0].startswith("The right side names no column")
    for formula in ("oxygen = A*exp(-k*time) + C", "oxygen = c", "oxygen = rate*time + level"):
        assert core.fit(formula, data).warnings == ()


def test_infinities_and_numbers_at_the_end_of_the_range_leak_no_warning():
    """Infinite cells take their rows out and are named; numbers too large for sums are refused in a sentence."""
    x = np.arange(12.0)
    odd = 2 + 3 * x
    odd[2], odd[5] = np.inf, -np.inf
    for told in (core.fit("y = a + b*x", {"x": x, "y": odd}), core.fit_polynomial(x, odd, 1)):
        assert told.left_out == (3, 6)
        assert told.values == pytest.approx((2, 3))
    many = core.fit_many("y = a + b*x", [{"x": x, "y": odd}, {"x": x, "y": 2 * x}])
    np.testing.assert_allclose(many.values, [[2, 3], [0, 2]], atol=1e-12)
    large = {"x": x, "y": 1.7e308 * np.linspace(0.9, 1, 12)}
    with pytest.raises(core.DataError, match="Change its unit"):
        core.fit("y = a + b*x", large)
    with pytest.raises(core.DataError, match="Change its unit"):
        core.fit("y = A*exp(-k*x)", large, start={"k": 1})
