"""Ranges over all shares that few rows leave likely: by drawing, in the limit of many rows, and as often as they say."""

import numpy as np
import pytest
from scipy import stats

from vettore import core
from vettore.core.fitting.noises.restricted import edge_shares, even_shares, over_shares


def rows(n, seed=3):
    rng = np.random.default_rng(seed)
    x = np.linspace(0.5, 10, n)
    mu = 1 + 2 * x
    return x, mu, mu + rng.normal(size=n) * (0.1 + 0.08 * mu)


def evened(x, mu, y):
    slopes = np.column_stack([np.ones(len(x)), x])

    def even(share):
        g = 1 - share + share * mu / mu.mean()
        return slopes / g[:, None], (y - mu) / g, 2 * np.log(g).sum()

    return even


def test_the_range_is_that_of_coefficients_drawn_with_their_shares():
    """Shares are drawn by the likelihood that is left when coefficients and scatter are integrated out, then those."""
    even, shares, rng = evened(*rows(9)), edge_shares(0.999), np.random.default_rng(1)
    covariance = over_shares(even, shares)
    figures, moves, errors, together = [], [], [], []
    for share in shares:
        a, r, log_det = even(share)
        c, left, *_ = np.linalg.lstsq(a, r, rcond=None)
        inverse = np.linalg.inv(a.T @ a)
        figures.append(-0.5 * (7 * np.log(left[0]) + log_det - np.linalg.slogdet(inverse)[1]))
        moves.append(c)
        errors.append(np.sqrt(np.diag(inverse) * left[0] / 7))
        together.append(inverse * left[0] / 7 + np.outer(c, c))
    weights = np.exp(np.array(figures) - max(figures))
    drawn = rng.choice(len(shares), 400_000, p=weights / weights.sum())
    values = np.array(moves)[drawn] + np.array(errors)[drawn] * rng.standard_t(7, (len(drawn), 1))
    half = np.quantile(np.abs(values), 0.95, axis=0)
    assert np.sqrt(np.diag(covariance)) * stats.t.ppf(0.975, 7) == pytest.approx(half, rel=0.01)
    # What goes together: within each share, and in how its answer is off the one that is given.
    mixed = np.average(together, axis=0, weights=weights)
    assert covariance[0, 1] / np.sqrt(covariance[0, 0] * covariance[1, 1]) == pytest.approx(
        mixed[0, 1] / np.sqrt(mixed[0, 0] * mixed[1, 1]), rel=1e-9
    )


def test_of_many_rows_the_share_is_known():
    x, _, y = rows(3000)
    told = core.fit("y = a + b*x", {"x": x, "y": y}, noise="growing")
    again = core.fit("y = a + b*x", {"x": x, "y": y}, sigma=told.sigma)
    for name, one in again.coefficients.items():
        assert told.coefficients[name].standard_error == pytest.approx(one.standard_error, rel=0.01)
    assert not [note for note in told.warnings if "hardly" in note]


@pytest.mark.parametrize("noise", ["correlated", "growing"])
def test_ranges_of_few_rows_hold(noise):
    """Of 120 lines of 10 rows; with the likeliest share taken for the true one, they held in fewer than 90 %."""
    x, held = np.linspace(0.5, 10, 10), 0
    alike = np.linalg.cholesky(0.5 ** np.abs(np.subtract.outer(np.arange(10), np.arange(10))))
    rng = np.random.default_rng(2)
    for _ in range(120):
        drawn = rng.normal(size=10)
        errors = 0.4 * alike @ drawn if noise == "correlated" else drawn * (0.2 + 0.05 * (1 + 2 * x))
        told = core.fit("y = a + b*x", {"x": x, "y": 1 + 2 * x + errors}, noise=noise)
        held += told.coefficients["b"].low <= 2 <= told.coefficients["b"].high
    assert held / 120 >= 0.92
    assert "10 rows hardly tell" in " ".join(told.warnings)


def test_shares_are_as_likely_as_they_are_said_to_be():
    assert even_shares(0.8).mean() == pytest.approx(0.4)
    assert np.all(np.diff(even_shares(0.8)) == pytest.approx(0.02))
    near, middle = np.diff(edge_shares(1.0))[[0, 19]]
    assert near < middle / 10


def test_neighbours_that_drift_together_are_said_to():
    walk = np.cumsum(np.random.default_rng(11).normal(size=40))
    told = core.fit("y = a + b*x", {"x": np.arange(40.0), "y": walk}, noise="correlated")
    assert told.details.memory.phi > 0.99
    assert "as alike as is allowed" in " ".join(told.warnings)
    even = core.fit(
        "y = a + b*x", {"x": np.arange(40.0), "y": np.random.default_rng(1).normal(size=40)}, noise="correlated"
    )
    assert "as alike as is allowed" not in " ".join(even.warnings)
