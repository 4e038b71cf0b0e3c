"""The x of a measured y: for a straight line Fieller's interval, in closed form, for one measurement and for several."""

import numpy as np
import pytest
from scipy import stats

from vettore import core
from vettore.core.inverse import error_of, interval_of

X = np.array([0.0, 1.0, 2.0, 3.0, 5.0, 7.0, 9.0, 10.0])


def line(slope, seed=4):
    y = 1 + slope * X + 0.3 * np.random.default_rng(seed).normal(size=len(X))
    return core.fit("y = a + b*x", {"x": X, "y": y})


def fieller(fit, y, replicates, level):
    """The ends of Fieller (1954) by Draper & Smith (1998), §3.2, of the mean of so many measurements; NaN where open."""
    a, b = fit.values
    s, n, middle = fit.residual_sd, len(X), X.mean()
    spread = float(np.sum((X - middle) ** 2))
    t = stats.t.ppf((1 + level) / 2, n - 2)
    off = (y - a) / b - middle
    g = t**2 * s**2 / (b**2 * spread)
    if g >= 1:
        return np.nan, np.nan
    reach = t * s / abs(b) * np.sqrt((1 - g) * (1 / replicates + 1 / n) + off**2 / spread)
    return middle + (off - reach) / (1 - g), middle + (off + reach) / (1 - g)


@pytest.mark.parametrize("replicates", [1, 2, 5])
@pytest.mark.parametrize(("slope", "y"), [(0.8, 4.0), (-0.5, -1.5), (0.25, 2.2)])
@pytest.mark.parametrize("level", [0.8, 0.95])
def test_a_line_is_read_backwards_with_fieller_s_interval(slope, y, replicates, level):
    fit = line(slope)
    x = (y - fit.values[0]) / fit.values[1]
    scatter = fit.curve.scatter
    error = error_of(fit.curve, x, fit.residual_sd / np.sqrt(replicates))
    assert error == pytest.approx(
        np.hypot(fit.residual_sd / np.sqrt(replicates), float(fit.curve.standard_error(x))) / abs(fit.values[1])
    )
    ends = interval_of(fit.curve, x, y, scatter, replicates, level, (-100.0, 100.0), error)
    assert ends == pytest.approx(fieller(fit, y, replicates, level), rel=1e-9)


def test_an_exact_level_has_the_band_of_the_curve_alone():
    fit = line(0.8)
    x = (4.0 - fit.values[0]) / fit.values[1]
    exact = interval_of(fit.curve, x, 4.0, None, 1, 0.95, (-100.0, 100.0), error_of(fit.curve, x, 0.0))
    assert exact == pytest.approx(fieller(fit, 4.0, np.inf, 0.95), rel=1e-9)


def test_where_the_line_may_be_level_the_interval_is_open():
    """With a slope that is not told from 0 no x is spoken against on one side at least."""
    fit = line(0.02, seed=9)
    assert fieller(fit, 1.1, 1, 0.95) == pytest.approx((np.nan, np.nan), nan_ok=True)
    x = (1.1 - fit.values[0]) / fit.values[1]
    low, high = interval_of(fit.curve, x, 1.1, fit.curve.scatter, 1, 0.95, (-1e4, 1e4), 1.0)
    assert low is None or high is None
