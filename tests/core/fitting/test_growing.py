"""Scatter that grows with the curve, told by the rows themselves."""

import numpy as np
import pytest

import vettore.core as core
from vettore.core.fitting.noises.growing import _rows_of

FORMULA = "y = A*exp(-k*x)"
X = np.linspace(0.5, 10, 40)


def decay(seed=3, a=0.05, b=0.08):
    mu = 20 * np.exp(-0.3 * X)
    return {"x": X, "y": mu + np.random.default_rng(seed).normal(size=len(X)) * (a + b * mu)}


def test_two_groups_have_each_their_own_scatter():
    """Where a line goes through two groups, σ there is the standard deviation of each, with n − 1 below it."""
    low, high = np.array([1.0, 1.2, 0.9, 1.1, 0.8]), np.array([9.0, 11.5, 10.2, 8.1, 12.0, 9.7])
    data = {"x": np.repeat([1.0, 2.0], [5, 6]), "y": np.concatenate([low, high])}
    told = core.fit("y = a + b*x", data, noise="growing")
    assert told.details.spread.at(np.array([low.mean(), high.mean()])) == pytest.approx(
        [low.std(ddof=1), high.std(ddof=1)], rel=1e-6
    )
    # The line goes through both means, whose errors are near those of textbooks, which know the share of each.
    assert told.curve(np.array([1.0, 2.0])) == pytest.approx([low.mean(), high.mean()], rel=1e-9)
    assert told.curve.standard_error(2.0) == pytest.approx(high.std(ddof=1) / np.sqrt(6), rel=0.2)
    assert told.curve.standard_error(1.0) == pytest.approx(low.std(ddof=1) / np.sqrt(5), rel=0.5)


def test_the_answer_is_its_own_weighted_fit():
    """Rows weighed by the σ that is told give the same coefficients, with smaller errors; no other share is likelier."""
    data = decay()
    told = core.fit(FORMULA, data, noise="growing")
    assert told.converged
    assert told.sigma == pytest.approx(told.details.spread.at(told.fitted), rel=1e-6)
    again = core.fit(FORMULA, data, sigma=told.details.spread.at(told.fitted))
    for name, one in again.coefficients.items():
        assert told.coefficients[name].value == pytest.approx(one.value, rel=1e-7)
        # What is not known of the share is in the ±, too.
        assert 1.0 < told.coefficients[name].standard_error / one.standard_error < 1.3
    assert told.residual_sd == pytest.approx(1, rel=1e-6)
    rows = _rows_of(told)
    share = told.details.spread.b * np.abs(told.fitted).mean()
    share /= share + told.details.spread.a
    for step in (-1e-3, 1e-3):
        assert rows.figure(share + step) > rows.figure(share)
    assert (told.details.spread.a, told.details.spread.b) == pytest.approx((0.05, 0.08), rel=0.6)


def test_what_grows_is_told_from_what_does_not():
    """Even scatter gives the ordinary fit and no small p; growing scatter p below a thousandth, and narrower ranges."""
    data = decay()
    told, even = core.fit(FORMULA, data, noise="growing"), core.fit(FORMULA, data)
    assert told.details.spread.p < 1e-3
    assert told.aicc < even.aicc - 10
    assert told.coefficients["k"].standard_error < 0.6 * even.coefficients["k"].standard_error
    assert all(check.verdict == "good" for check in core.checks(told))
    assert any(check.verdict == "bad" for check in core.checks(even))
    flat = decay(a=0.5, b=0.0)
    told, even = core.fit(FORMULA, flat, noise="growing"), core.fit(FORMULA, flat)
    assert told.details.spread.p > 0.05
    assert told.coefficients["k"].value == pytest.approx(even.coefficients["k"].value, rel=0.03)
    # Counts of parameters: the growth is one more.
    assert told.aicc > even.aicc


def test_ranges_hold_and_the_share_of_false_alarms_is_as_said():
    """Of 50 sets: 95 % ranges of k, and p of even scatter below 0.05 in a few of a hundred (ACCURACY has a thousand)."""
    held, alarms = 0, 0
    for seed in range(50):
        k = core.fit(FORMULA, decay(seed), noise="growing", start={"k": 0.3}).coefficients["k"]
        held += k.low <= 0.3 <= k.high
        told = core.fit(FORMULA, decay(seed, a=0.5, b=0.0), noise="growing", start={"k": 0.3})
        alarms += told.details.spread.p < 0.05
    assert held >= 43
    assert alarms <= 7


def test_intervals_take_the_scatter_as_it_was_told():
    """Profiles and resampling stand near the ranges; blanks and rows left out keep their places."""
    data = decay()
    data["y"][7] = np.nan
    told = core.fit(FORMULA, data, noise="growing")
    low, high = core.profile_intervals(told, data)["k"]
    one = told.coefficients["k"]
    assert (low, high) == pytest.approx((one.low, one.high), rel=0.01)
    low, high = core.bootstrap_intervals(told, data, samples=400)["k"]
    assert (low, high) == pytest.approx((one.low, one.high), rel=0.05)
    # Where the curve is high a new measurement scatters more.
    spare = core.where_next(told, np.array([1.0, 9.0]), improve="k")
    assert spare.now > 0


def test_polynomials_and_limits():
    """A polynomial keeps its names; a coefficient at its limit stays there."""
    data = decay()
    line = core.fit_polynomial(data["x"], data["y"], 2, noise="growing")
    assert line.powers == {"a0": 0, "a1": 1, "a2": 2}
    assert line.details.spread.b > 0
    bounded = core.fit(FORMULA, data, noise="growing", limits={"k": (None, 0.25)})
    assert bounded.coefficients["k"].value == 0.25
    assert bounded.coefficients["k"].at_limit


@pytest.mark.parametrize(
    ("formula", "data", "said"),
    [
        (FORMULA, {"x": X, "y": 20 * np.exp(-0.3 * X)}, "meets every row"),
        (FORMULA, {"x": X[:5], "y": decay()["y"][:5]}, "5 rows for 2 coefficients do not tell"),
        ("ln(y) = a - k*x", {"x": X, "y": np.abs(decay()["y"])}, "write it, not"),
    ],
)
def test_what_cannot_be_told_is_refused(formula, data, said):
    with pytest.raises(core.DataError, match=said):
        core.fit(formula, data, noise="growing")


def test_known_errors_leave_no_scatter_to_tell():
    data = decay()
    with pytest.raises(core.DataError, match="told by the rows"):
        core.fit(FORMULA, data, noise="growing", sigma=0.1)
    with pytest.raises(core.DataError, match="different kinds of noise"):
        core.compare({"even": core.fit(FORMULA, data), "grows": core.fit(FORMULA, data, noise="growing")})
