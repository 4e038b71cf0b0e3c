"""Curves: areas, crossings, turning points and bands of fitted polynomials."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import vettore.core as core
from vettore.core.arithmetic import chebyshev


def curve_through(*powers, low=-3.0, high=4.0, n=40):
    x = np.linspace(low, high, n)
    return core.fit_polynomial(x, np.polynomial.polynomial.polyval(x, powers), len(powers) - 1).curve


@settings(max_examples=60)
@given(st.lists(st.floats(-2.5, 3.5).map(lambda v: round(v, 2)), min_size=1, max_size=6, unique=True))
def test_crossings_are_the_roots(roots):
    """Every simple root inside the limits is found, once, in order; between them lie the turning points."""
    roots = sorted(roots)
    if min(np.diff(roots), default=1) < 0.05:
        return
    curve = curve_through(*np.polynomial.polynomial.polyfromroots(roots))
    found = curve.crossings(0.0, -3, 4)
    np.testing.assert_allclose(found, roots, atol=1e-7)
    turns = [point.x for point in curve.turning_points(-3, 4)]
    assert len(turns) == len(roots) - 1
    assert all(a < t < b for a, t, b in zip(roots[:-1], turns, roots[1:], strict=True))


def test_a_touching_crossing_counts_once():
    """A curve that only touches the level crosses it at one x, with no error to give."""
    (only,) = curve_through(4.0, -4.0, 1.0).crossings_with_error(0.0, -3, 4)
    assert only.x == pytest.approx(2.0, abs=1e-6)


def test_area_and_slope_are_exact_and_signed():
    """The area is that of the antiderivative; limits turned round change its sign; spans add up."""
    curve = curve_through(1.0, -2.0, 0.5, 3.0)
    primitive = np.polynomial.Polynomial([1, -2, 0.5, 3]).integ()
    assert curve.area(-1, 2) == pytest.approx(primitive(2) - primitive(-1), rel=1e-12)
    assert curve.area(2, -1) == -curve.area(-1, 2)
    assert curve.area(-1, 0.3) + curve.area(0.3, 2) == pytest.approx(curve.area(-1, 2), rel=1e-12)
    x = np.linspace(-3, 4, 9)
    np.testing.assert_allclose(curve.slope(x), -2 + x + 9 * x**2, rtol=1e-11)
    (top, bottom) = curve_through(0.0, -3.0, 0.0, 1.0).turning_points(-3, 4)
    assert (top.kind, round(top.x, 9), bottom.kind, round(bottom.y, 9)) == ("top", -1.0, "bottom", -2.0)


def test_errors_of_line_slope_and_area_match_the_textbook():
    """For a straight line the errors of mean, slope, area and inverse reading have closed forms."""
    rng = np.random.default_rng(3)
    x = np.linspace(0, 9, 10)
    fit = core.fit_polynomial(x, 2 * x + rng.normal(0, 1, 10), 1)
    s, sxx = fit.residual_sd, np.sum((x - x.mean()) ** 2)
    assert float(fit.curve.standard_error(x.mean())) == pytest.approx(s / math.sqrt(10), rel=1e-12)
    assert float(fit.curve.slope_error(0.0)) == pytest.approx(fit.coefficients["a1"].standard_error, rel=1e-12)
    centre = s * math.sqrt(1 / 10 + (3 - x.mean()) ** 2 / sxx)
    assert fit.curve.area_error(1, 5) == pytest.approx(4 * centre, rel=1e-9)
    (at,) = fit.curve.crossings_with_error(6.0, 0, 9, exact=True)
    assert at.standard_error == pytest.approx(
        float(fit.curve.standard_error(at.x)) / fit.coefficients["a1"].value, rel=1e-9
    )
    low, high = fit.curve.band(4.0)
    new_low, new_high = fit.curve.band(4.0, of="new")
    assert new_low < low < float(fit.curve(4.0)) < high < new_high
    assert fit.curve.is_beyond(9.5)
    assert not fit.curve.is_beyond(9.0)


def test_through_the_origin_the_curve_stays_there():
    """Without an intercept the curve is 0 at 0, without uncertainty."""
    fit = core.fit_polynomial([1, 2, 3, 4], [1.1, 3.9, 9.2, 15.8], 2, intercept=False)
    assert float(fit.curve(0.0)) == pytest.approx(0, abs=1e-12)
    assert float(fit.curve.standard_error(0.0)) == pytest.approx(0, abs=1e-12)
    assert list(fit.coefficients) == ["a1", "a2"]
    assert fit.r_squared_against == "zero"


@given(st.lists(st.floats(-5, 5), min_size=2, max_size=9))
def test_differentiating_undoes_integrating(c):
    """The derivative of the antiderivative is the series itself."""
    c = np.array(c)
    np.testing.assert_allclose(chebyshev.derivative(chebyshev.antiderivative(c)), c, atol=1e-12)
