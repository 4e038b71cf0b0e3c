"""The level that is asked for is the level of the ranges, whatever is refitted on the way to them."""

import numpy as np
import pytest
from scipy import stats

from vettore import core

X = np.linspace(0.5, 9, 24)
DRAWN = np.random.default_rng(4).normal(size=(2, 24))
DATA = {"x": X, "y": 1 + 2 * X + 0.4 * DRAWN[0], "u": np.full(24, 0.1)}
WAYS = {
    "a line": {},
    "weights": {"sigma": "u"},
    "known ±": {"sigma": "u", "absolute_sigma": True},
    "errors of x": {"sigma": "u", "sigma_x": "u"},
    "correlated neighbours": {"noise": "correlated"},
    "a scatter that grows": {"noise": "growing"},
    "a covariance": {"covariance": np.eye(24)},
    "rows far off": {"loss": "huber"},
}
FORMULAS = ("y = a + b*x", "y = a + b*x + c*exp(−x)", "y = a + b*x^n")


@pytest.mark.parametrize("level", [0.5, 0.99])
@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("formula", FORMULAS)
def test_ranges_have_the_level_that_was_asked_for(formula, way, level):
    options = {
        key: DATA[value] if isinstance(value, str) and value in DATA else value for key, value in WAYS[way].items()
    }
    told = core.fit(formula, DATA, level=level, **options)
    assert told.level == level
    freedom = np.inf if options.get("absolute_sigma") else told.degrees_of_freedom
    for one in told.coefficients.values():
        assert (one.high - one.low) / 2 == pytest.approx(
            one.standard_error * stats.t.ppf((1 + level) / 2, freedom), rel=1e-6
        )
        assert (one.high + one.low) / 2 == pytest.approx(one.value, rel=1e-9)


@pytest.mark.parametrize("level", [0.5, 0.99])
@pytest.mark.parametrize("noise", ["poisson", "binomial"])
def test_ranges_of_counts_have_their_level_too(noise, level):
    """The likelihood falls by the same at both ends: half of χ² with one degree of freedom."""
    counts = np.random.default_rng(2).poisson(40 * np.exp(-0.2 * X)).astype(float)
    more = {"trials": 60.0} if noise == "binomial" else {}
    data = {"x": X, "y": counts / 60 if noise == "binomial" else counts}
    told = core.fit("y = A*exp(−k*x)", data, noise=noise, level=level, **more)
    fall = stats.chi2.ppf(level, 1)
    for end in (told.coefficients["k"].low, told.coefficients["k"].high):
        held = core.fit("y = A*exp(−k*x)", data, noise=noise, hold={"k": end}, **more)
        assert held.deviance - told.deviance == pytest.approx(fall, rel=1e-4)


def test_counts_and_shares_ask_for_what_they_need():
    with pytest.raises(core.VettoreError, match="needs trials"):
        core.fit("y = a + b*x", {"x": X, "y": np.full(24, 0.5)}, noise="binomial")
    with pytest.raises(core.VettoreError, match="trials"):
        core.fit("y = a + b*x", {"x": X, "y": np.ones(24)}, noise="poisson", trials=10.0)
    with pytest.raises(core.VettoreError, match="trials"):
        core.fit("y = a + b*x", {"x": X, "y": np.ones(24)}, trials=10.0)
