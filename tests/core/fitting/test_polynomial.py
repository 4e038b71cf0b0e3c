"""Polynomial fits: certified digits, invariants, and refusals in a sentence."""

import json
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import vettore.core as core
from vettore.core.fitting.linear import polynomial

LINEAR = sorted((Path(__file__).parents[2] / "reference" / "linear").glob("*.json"))
REFERENCE = [path for path in LINEAR if "degree" in json.loads(path.read_text())]


def digits(values, certified):
    """The fewest digits in which values agree with certified ones."""
    pairs = [(u, v) for u, v in zip(values, certified, strict=True) if v]
    return min((15.0 if u == v else -math.log10(abs(u - v) / abs(v)) for u, v in pairs), default=15.0)


@pytest.mark.parametrize("path", REFERENCE, ids=lambda path: path.stem)
def test_reference_problems_agree_to_twelve_digits(path):
    """Coefficients, standard errors and the residual scatter agree with certified results."""
    problem = json.loads(path.read_text())
    result = core.fit_polynomial(
        problem["data"]["x"], problem["data"]["y"], problem["degree"], intercept=problem["intercept"]
    )
    errors = [coefficient.standard_error for coefficient in result.coefficients.values()]
    assert digits(result.values, problem["certified"]) >= 12
    if problem["residual_sd"] > 1e-9:
        assert digits(errors, problem["certified_sd"]) >= 12
        assert digits([result.residual_sd], [problem["residual_sd"]]) >= 12
        assert result.r_squared == pytest.approx(problem["r_squared"], rel=1e-12)
    else:
        assert max(errors) < 1e-9
        assert result.exact
    assert result.degrees_of_freedom == problem["degrees_of_freedom"]


columns = st.integers(6, 30).flatmap(
    lambda n: st.tuples(
        st.lists(st.integers(-1000, 1000), min_size=n, max_size=n, unique=True),
        st.lists(st.floats(-100, 100).map(lambda v: round(v, 3)), min_size=n, max_size=n),
        st.permutations(range(n)),
        st.integers(0, 4),
        st.booleans(),
    )
)


@settings(max_examples=60)
@given(columns, st.floats(0.01, 100), st.floats(-50, 50).map(lambda v: round(v, 6)))
def test_invariants(case, scale, shift):
    """Permuting rows changes nothing; scaling and shifting y does the same to the fit; unit weights are none."""
    x, y, order, degree, intercept = case
    x, y = np.array(x) / 7, np.array(y)
    degree = max(degree, 1)
    fit = core.fit_polynomial(x, y, degree, intercept)
    error = [c.standard_error for c in fit.coefficients.values()]
    tolerance = {"rtol": 1e-9, "atol": 1e-9 * (1 + np.max(np.abs(y)))}

    def same(other, values, errors):
        np.testing.assert_allclose(other.values, values, **tolerance)
        np.testing.assert_allclose([c.standard_error for c in other.coefficients.values()], errors, **tolerance)

    same(core.fit_polynomial(x[list(order)], y[list(order)], degree, intercept), fit.values, error)
    same(core.fit_polynomial(x, y * scale, degree, intercept), np.array(fit.values) * scale, np.array(error) * scale)
    same(core.fit_polynomial(x, y, degree, intercept, weights=np.ones(len(x))), fit.values, error)
    if intercept:
        moved = list(fit.values)
        moved[0] += shift
        same(core.fit_polynomial(x, y + shift, degree), moved, error)
    halves = np.ones(len(x) + 1)
    halves[[0, -1]] = 0.5
    split = core.fit_polynomial(np.append(x, x[0]), np.append(y, y[0]), degree, intercept, weights=halves)
    np.testing.assert_allclose(split.values, fit.values, **tolerance)
    assert split.degrees_of_freedom == fit.degrees_of_freedom + 1


@pytest.mark.parametrize("intercept", [True, False])
@pytest.mark.parametrize("degree", [1, 3, 10])
@pytest.mark.parametrize("weighted", [True, False])
def test_many_rows_give_the_same_as_few(intercept, degree, weighted, monkeypatch):
    """The one-pass method for long columns agrees with the exact one."""
    rng = np.random.default_rng(5)
    x = rng.uniform(2, 9, 3000)
    y = np.sin(x) + rng.normal(0, 0.1, len(x))
    sigma = rng.uniform(0.5, 2, len(x)) if weighted else None
    slow = core.fit_polynomial(x, y, degree, intercept, sigma=sigma)
    monkeypatch.setattr(polynomial, "MOST_ROWS_EXACT", 10)
    fast = core.fit_polynomial(x, y, degree, intercept, sigma=sigma)
    np.testing.assert_allclose(fast.values, slow.values, rtol=1e-7 if degree > 3 else 1e-11)
    np.testing.assert_allclose(np.sqrt(np.diag(fast.covariance)), np.sqrt(np.diag(slow.covariance)), rtol=1e-7)
    np.testing.assert_allclose(fast.residuals, slow.residuals, atol=1e-10)
    np.testing.assert_allclose(fast.leverage, slow.leverage, atol=1e-10)


def test_a_witness_agrees_on_everything_reported():
    """Weighted statistics agree with the textbook formulas on the raw design matrix."""
    rng = np.random.default_rng(1)
    x, sigma = np.linspace(1, 5, 17), rng.uniform(0.1, 0.5, 17)
    y = 2 - 3 * x + 0.5 * x**2 + rng.normal(0, sigma)
    fit = core.fit_polynomial(x, y, 2, sigma=sigma)
    a, w = np.vander(x, 3, increasing=True), 1 / sigma**2
    normal = np.linalg.inv(a.T @ (a * w[:, None]))
    c = normal @ (a.T @ (w * y))
    r = y - a @ c
    s2 = w @ r**2 / 14
    np.testing.assert_allclose(fit.values, c, rtol=1e-9)
    np.testing.assert_allclose(fit.covariance, s2 * normal, rtol=1e-8)
    np.testing.assert_allclose(fit.residuals, r, atol=1e-10)
    np.testing.assert_allclose(fit.fitted, a @ c, atol=1e-10)
    np.testing.assert_allclose(fit.leverage, w * np.sum((a @ normal) * a, axis=1), rtol=1e-9)
    mean = w @ y / w.sum()
    assert fit.r_squared == pytest.approx(1 - w @ r**2 / (w @ (y - mean) ** 2), rel=1e-12)
    absolute = core.fit_polynomial(x, y, 2, sigma=sigma, absolute_sigma=True)
    np.testing.assert_allclose(absolute.covariance, normal, rtol=1e-8)
    np.testing.assert_allclose(np.diag(fit.correlation), 1)
    point = np.array([1.0, 2.6, 2.6**2])
    assert float(fit.curve.standard_error(2.6)) == pytest.approx(math.sqrt(s2 * point @ normal @ point), rel=1e-9)
    left_out = []
    for i in range(17):
        keep = np.arange(17) != i
        part = core.fit_polynomial(x[keep], y[keep], 2, sigma=sigma[keep])
        left_out.append(y[i] - float(part.curve(x[i])))
    assert fit.left_one_out_error == pytest.approx(np.sqrt(np.mean(np.square(left_out))), rel=1e-9)


def test_rows_without_numbers_are_left_out_and_named():
    """Blank and infinite rows do not take part; the result says which they were."""
    fit = core.fit_polynomial([1, 2, None, 4, 5, 6], [1, 2.5, 3, math.inf, 5, 6.5], 1)
    assert fit.left_out == (3, 4)
    assert fit.n == 4
    assert "Row 3" in fit.warnings[0]
    assert "Row 4" in fit.warnings[1]


REFUSED = {
    "lengths differ": (([1, 2, 3], [1, 2, 3, 4, 5], 1), "rows 4–5 of y have no x"),
    "all x equal": (([2, 2, 2], [1, 2, 3], 1), "Every row in use has x = 2"),
    "too few rows": (([1, 2], [1, 2], 3), "4 coefficients, but only 2 rows"),
    "too few different x": (([1, 1, 2, 2], [1, 2, 3, 4], 2), "x takes only 2 different values"),
    "broken degree": (([1, 2, 3], [1, 2, 3], 1.5), "whole number"),
    "degree in words": (([1, 2, 3], [1, 2, 3], "2"), "whole number"),
    "nothing left": (([1, None], [None, 2], 1), "nothing is left"),
    "words": (([1, "a"], [1, 2], 1), "not a number"),
    "too large": (([1, 2, 3], [1e308, -1e308, 1.7e308], 1), "leave the range"),
    "too small": (([1e100, 2e100, 3e100], [1e-130, 2e-130, 4e-130], 2), "leaves the range"),
}


@pytest.mark.parametrize("case", REFUSED)
def test_refusals_say_what_was_found(case):
    """A request that cannot be met is a DataError in a sentence."""
    arguments, words = REFUSED[case]
    with pytest.raises(core.DataError, match=words) as caught:
        core.fit_polynomial(*arguments)
    assert str(caught.value).endswith((".", "fit."))


def test_wrong_weights_are_refused_with_their_rows():
    """A standard deviation of zero is no weight; the rows are named."""
    with pytest.raises(core.DataError, match="rows 2–3 are not") as caught:
        core.fit_polynomial([1, 2, 3, 4], [1, 2, 3, 4], 1, sigma=[1, 0, -1, 1])
    assert caught.value.rows == (2, 3)
    with pytest.raises(core.DataError, match="give one of them"):
        core.fit_polynomial([1, 2, 3], [1, 2, 3], 1, sigma=[1, 1, 1], weights=[1, 1, 1])


def test_no_freedom_and_constant_y_are_results_not_errors():
    """As many coefficients as rows leave no uncertainty; a constant y leaves no R²."""
    through = core.fit_polynomial([1, 2, 3], [1, 4, 2], 2)
    assert through.residual_sd is None
    assert all(c.standard_error is None for c in through.coefficients.values())
    assert "passes through every point" in through.warnings[-1]
    level = core.fit_polynomial([1, 2, 3, 4], [5, 5, 5, 5], 1)
    assert level.r_squared is None
    assert level.values == (5.0, 0.0)
    with pytest.raises(core.DataError, match="leaves the range"):
        core.fit_polynomial([1e200, 2e200, 3e200], [1e-100, 2e-100, 3e-100], 1)


def test_weights_of_evidence_choose_the_simplest_exact_fit():
    """Akaike weights add up to one, and an exact fit is not beaten by a more complicated exact one."""
    x = np.arange(12.0)
    exact = [core.fit_polynomial(x, 1 + 2 * x, degree) for degree in (0, 1, 2, 3)]
    assert core.akaike_weights(exact) == (0.0, 1.0, 0.0, 0.0)
    y = x**2 + np.random.default_rng(2).normal(0, 1, 12)
    noisy = [core.fit_polynomial(x, y, degree) for degree in range(5)]
    weights = core.akaike_weights(noisy)
    assert sum(weights) == pytest.approx(1)
    assert weights.index(max(weights)) == 2
