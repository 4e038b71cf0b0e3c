"""Oscillating tails: the areas between the zeros of the oscillation, and the limit to which their sums go.

From a place on, the half line is cut into half periods; the sums of their areas are extrapolated by Wynn's (1956) epsilon
algorithm, which is exact for sums of geometric sequences and good for alternating ones. Terms that do not fall have no sum.
"""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from vettore.core.arrays import Array
from vettore.core.integration.adaptive import EPS, GAUSS, KRONROD, NODES, Function

HALF_PERIODS, EXTRAPOLATED = 400, 60
# Terms have to fall at least like this power of x, and not ever more slowly, or they go to a level and have no sum.
SLOWEST_POWER, KEEPS_FALLING = 0.05, 0.8
WINDOW = 12
# Each half period is done in so many pieces, so that one pair of rules settles it.
PIECES = 2


def wave_tail(f: Function, start: float, way: float, half_period: float) -> tuple[float, float, float]:
    """Return (area, error, area of |f|) from ``start`` on, towards +∞ (``way`` 1) or −∞; an infinite error where none."""
    edges = start + way * half_period * np.arange(HALF_PERIODS * PIECES + 1) / PIECES
    middle, half = (edges[1:] + edges[:-1]) / 2, np.abs(edges[1:] - edges[:-1]) / 2
    values = f((middle[:, None] + half[:, None] * NODES).ravel()).reshape(len(half), len(NODES))
    if not np.isfinite(values).all():
        return 0.0, math.inf, 0.0
    kronrod = (values @ KRONROD * half).reshape(HALF_PERIODS, PIECES).sum(axis=1)
    wrong = np.abs(values @ (KRONROD - GAUSS) * half)
    size = float(np.sum(np.abs(values) @ KRONROD * half))
    rounding = float(np.sum(np.where(wrong > 1e-10 * size, wrong, 0.0))) + 50 * EPS * size
    first, last = float(np.max(np.abs(kronrod[:10]))), float(np.max(np.abs(kronrod[-10:])))
    if first == 0.0 == last:
        return 0.0, 0.0, size
    if not _falls(np.abs(kronrod), np.abs(edges[PIECES::PIECES])):
        return 0.0, math.inf, size
    sums = np.cumsum(kronrod)
    if last <= EPS * size:
        return float(sums[-1]), rounding, size
    area, change = epsilon(sums[-EXTRAPOLATED:])
    earlier, _ = epsilon(sums[-EXTRAPOLATED - 30 : -30])
    return area, max(10 * change, abs(area - earlier)) + rounding, size


def _falls(terms: Array, x: Array) -> bool:
    """Whether the terms fall like a power of x or faster, told from their largest in three windows."""
    n = len(terms)
    ends = [n // 4, n // 2, n]
    high = [float(np.max(terms[end - WINDOW : end])) for end in ends]
    if high[2] <= 4 * EPS * high[0]:
        return True
    place = [math.log(max(float(x[end - 1]), 1e-300)) for end in ends]
    slopes = [math.log(high[k] / high[k + 1]) / (place[k + 1] - place[k]) for k in (0, 1)]
    return slopes[1] > SLOWEST_POWER and slopes[1] > KEEPS_FALLING * slopes[0]


def epsilon(sums: Array) -> tuple[float, float]:
    """Return the limit of a sequence by Wynn's algorithm, and how far its last estimates are apart."""
    before, values = np.zeros(len(sums) + 1), np.array(sums, dtype=np.float64)
    estimates = [float(values[-1])]
    with np.errstate(all="ignore"):
        for column in range(1, len(sums)):
            change = values[1:] - values[:-1]
            # Where neighbours agree to the last digit the sequence has arrived.
            still = np.abs(change) <= 4 * EPS * np.abs(values[1:]) if column % 2 else change == 0
            if still.any() and column % 2:
                estimates.append(float(values[-1]))
                break
            before, values = values, before[1:-1] + 1 / change
            if column % 2 == 0:
                if not np.isfinite(values).all():
                    break
                estimates.append(float(values[-1]))
    spreads = [abs(a - b) for a, b in pairwise(estimates)]
    if not spreads:
        return estimates[-1], math.inf
    # Rounding takes over after the estimates were nearest to each other.
    best = int(np.argmin(spreads))
    return estimates[best + 1], spreads[best]
