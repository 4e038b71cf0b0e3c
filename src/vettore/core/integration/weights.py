"""What each point adds to the area under a spline through all of them.

The area is c·y + e·m with the slopes m of M m = R y (de Boor 1978, ch. IV; slopes.py), so that it is w·y with
w = c + Rᵀ M⁻ᵀ e: one solve with the transposed system, whatever the number of points.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.interpolation.slopes import spline_system


def spline_weights(x: Array, a: float, b: float) -> Array:
    """Return w (n,) with area = Σ w y from a to b under the not-a-knot spline through points of rising x (n ≥ 4)."""
    from scipy.linalg import solve_banded

    h = np.diff(x)
    of_values, of_slopes = _shares(x, h, a, b)
    bands, _ = spline_system(x, np.zeros(len(x)), "cubic")
    turned = np.zeros_like(bands)
    turned[0, 1:], turned[1], turned[2, :-1] = bands[2, :-1], bands[1], bands[0, 1:]
    z = solve_banded((1, 1), turned, of_slopes, check_finite=False)
    # By the secants d of which the right side R y is made.
    by_secants = np.zeros(len(h))
    by_secants[:-1] += 3 * h[1:] * z[1:-1]
    by_secants[1:] += 3 * h[:-1] * z[1:-1]
    for end, second, share in ((0, 1, z[0]), (-1, -2, z[-1])):
        both = h[end] + h[second]
        by_secants[end] += share * (h[end] + 2 * both) * h[second] / both
        by_secants[second] += share * h[end] ** 2 / both
    by_secants /= h
    weights = of_values
    weights[1:] += by_secants
    weights[:-1] -= by_secants
    return weights


def _shares(x: Array, h: Array, a: float, b: float) -> tuple[Array, Array]:
    """Return what the values and the slopes at the points, each (n,), add to the area from a to b."""
    of_values, of_slopes = np.zeros(len(x)), np.zeros(len(x))
    first, last = (int(np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(h) - 1)) for at in (a, b))
    whole = h[first : last + 1]
    low, high = np.zeros(len(whole)), np.ones(len(whole))
    low[0], high[-1] = (a - x[first]) / h[first], (b - x[last]) / h[last]
    # Integrals of Hermite's four cubics over a part of a piece, from 0 to 1 along it.
    parts = [whole * (function(high) - function(low)) for function in (_start, _rise, _end, _fall)]
    of_values[first : last + 1] += parts[0]
    of_values[first + 1 : last + 2] += parts[2]
    of_slopes[first : last + 1] += whole * parts[1]
    of_slopes[first + 1 : last + 2] += whole * parts[3]
    return of_values, of_slopes


def _start(u: Array) -> Array:
    return u * (1 + u * u * (u / 2 - 1))


def _rise(u: Array) -> Array:
    return u * u * (0.5 + u * (u / 4 - 2 / 3))


def _end(u: Array) -> Array:
    return u**3 * (1 - u / 2)


def _fall(u: Array) -> Array:
    return u**3 * (u / 4 - 1 / 3)
