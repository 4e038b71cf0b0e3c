"""An answer at a limit: what rests on it is said, and ranges allow all that the limits do."""

import numpy as np
import pytest
from scipy.optimize import minimize_scalar
from scipy.stats import f

from vettore import core

X = np.linspace(0, 30, 25)
# Scatter that pulls the level below 0.
Y = 5 * np.exp(-0.12 * X) - 0.25 + 0.3 * np.sin(7.3 * X)
LIMITS = {"C": (0.0, None)}


def least(k, low):
    """The least squares at a rate k with C not below a value, by hand: A and C enter linearly."""
    basis = np.exp(-k * X)

    def squares(c):
        rest = Y - c
        a = rest @ basis / (basis @ basis)
        return float(np.sum((rest - a * basis) ** 2))

    best = minimize_scalar(squares, bracket=(0, 0.5), method="brent")
    return squares(max(best.x, low))


def test_ranges_are_of_the_likelihood_under_the_limit():
    """Both ends of the range of k are where the least squares under the limit reach the level of the region."""
    result = core.fit("y = A*exp(-k*x) + C", {"x": X, "y": Y}, limits=LIMITS)
    k, level = result.coefficients["k"], result.coefficients["C"]
    assert (level.value, level.at_limit, level.standard_error, level.low) == (0.0, True, None, 0.0)
    assert level.high > 0
    allowed = result.sum_of_squares * (1 + 2 * f.ppf(0.95, 2, result.degrees_of_freedom) / result.degrees_of_freedom)
    for end in (k.low, k.high):
        assert least(end, 0.0) == pytest.approx(allowed, rel=1e-6)
    # With the level free to rise the rate may be much greater, and less so smaller.
    assert k.high - k.value > k.value - k.low
    assert any("The ± of A and k rest on the limit" in text for text in result.warnings)


def test_without_a_limit_that_is_hit_nothing_changes():
    """A limit that the answer does not touch leaves ranges and words as they are."""
    free = core.fit("y = A*exp(-k*x) + C", {"x": X, "y": Y})
    wide = core.fit("y = A*exp(-k*x) + C", {"x": X, "y": Y}, limits={"C": (-50.0, None)})
    for name, one in free.coefficients.items():
        other = wide.coefficients[name]
        assert (other.low, other.high) == pytest.approx((one.low, one.high), rel=1e-6)
    assert not any("limit" in text for text in wide.warnings)


def test_a_line_through_a_limit():
    """Two linear coefficients, one at its limit, by the closed form of what is left."""
    x = np.arange(10.0)
    y = -1 + 2 * x + np.tile([0.1, -0.1], 5)
    result = core.fit("y = a + b*x", {"x": x, "y": y}, limits={"a": (0.0, None)})
    assert result.coefficients["a"].at_limit
    assert result.coefficients["b"].value == pytest.approx(x @ y / (x @ x), rel=1e-9)
    low, high = result.coefficients["b"].low, result.coefficients["b"].high
    reach = result.residual_sd * np.sqrt(2 * f.ppf(0.95, 2, 9))
    # Above the answer a stays 0; below it a may rise.
    assert high == pytest.approx(result.coefficients["b"].value + reach / np.sqrt(x @ x), rel=1e-6)
    assert low < result.coefficients["b"].value - reach / np.sqrt(x @ x)
