"""What the residuals of clean data look like after this very fit, by simulation.

Least squares leaves e = (I − QQᵀ)ε, with Q an orthonormal basis of the columns of the (weighted) Jacobian. Even where ε
has no memory and the same spread everywhere, e has neither: it changes sides more often than a coin, and is smaller where
the leverage is large. With a dozen rows that matters more than chance does, so statistics of e are compared with those of
drawn normal ε, and not with their laws for many rows. Several statistics at once: the smallest of their probabilities is
compared with the smallest of each draw (Westfall & Young 1993, §2.3).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array, Rows
from vettore.core.columns.statistics import ranks

DRAWS, SEED = 1999, 5
# Above this many rows the laws for many rows hold, and drawing takes longer than it is worth.
MOST_ROWS = 200


def clean_residuals(basis: Array, leverage: Array, order: Rows) -> Array:
    """Return drawn residuals of clean data (DRAWS, n), each divided by √(1 − leverage), in an order of the rows."""
    drawn = np.random.default_rng(SEED).normal(size=(DRAWS, len(basis)))
    rest = drawn - (drawn @ basis) @ basis.T
    even = np.where(leverage < 1 - 1e-9, rest / np.sqrt(np.maximum(1 - leverage, 1e-9)), 0.0)
    return np.asarray(even[:, order], dtype=np.float64)


def pattern_probability(ordered: Array, drawn: Array) -> float:
    """Return the probability of residuals (n,) along x with as much of a pattern as these, among drawn ones (draws, n).

    Looked at are the correlation of neighbours and the number of runs of like sign, both ways, the longest run and the
    longer of the runs at the ends.
    """
    own, others = _pattern_statistics(ordered[None, :]), _pattern_statistics(drawn)
    pairs = list(zip(own, others, strict=True))
    return smallest_of([(float(values[0]), many) for values, many in pairs])


def spread_probability(even: Array, drawn: Array, fitted: Array) -> float:
    """Return the probability of a rank correlation of |residual| with the fitted value as far from its usual one."""
    of_fitted = ranks(fitted) - (len(fitted) + 1) / 2
    own = float(ranks(np.abs(even)) @ of_fitted)
    places = np.argsort(np.argsort(np.abs(drawn), axis=1), axis=1) + 1
    others = places @ of_fitted
    return smallest_of([(own, others), (-own, -others)])


def smallest_of(statistics: Sequence[tuple[float, Array]]) -> float:
    """Return the probability that the most extreme of several statistics, each large when it matters, is so extreme."""
    least, least_drawn = 1.0, np.ones(len(statistics[0][1]))
    for own, drawn in statistics:
        ordered = np.sort(drawn)
        count = len(ordered)
        tiny = 1e-9 * (float(ordered[-1]) - float(ordered[0]))
        least = min(least, (1 + count - np.searchsorted(ordered, own - tiny)) / (count + 1))
        least_drawn = np.minimum(least_drawn, (1 + count - np.searchsorted(ordered, drawn - tiny)) / (count + 1))
    return float((1 + np.sum(least_drawn <= least)) / (len(least_drawn) + 1))


def _pattern_statistics(e: Array) -> list[Array]:
    rest = e - e.mean(axis=1, keepdims=True)
    total = np.einsum("ij,ij->i", rest, rest)
    lag = np.einsum("ij,ij->i", rest[:, 1:], rest[:, :-1]) / np.where(total > 0, total, 1.0)
    stays = np.sign(e[:, 1:]) == np.sign(e[:, :-1])
    changes = np.sum(~stays, axis=1).astype(np.float64)
    length = longest = np.ones(len(e))
    for item in stays.T:
        length = np.where(item, length + 1, 1.0)
        longest = np.maximum(longest, length)
    ends = np.maximum(np.cumprod(stays, axis=1).sum(axis=1), np.cumprod(stays[:, ::-1], axis=1).sum(axis=1)) + 1.0
    return [lag, -lag, changes, -changes, longest, ends]
