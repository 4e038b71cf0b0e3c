"""Slopes at the knots for the cubic methods. With hᵢ = xᵢ₊₁ − xᵢ and dᵢ = (yᵢ₊₁ − yᵢ)/hᵢ:

C² splines (de Boor 1978, ch. IV) solve  hᵢ mᵢ₋₁ + 2(hᵢ₋₁ + hᵢ) mᵢ + hᵢ₋₁ mᵢ₊₁ = 3(hᵢ dᵢ₋₁ + hᵢ₋₁ dᵢ)  with two end
conditions: third derivative continuous at the second knot (not-a-knot), no bending (natural), given slopes (clamped),
or the same slope and bending at both ends (periodic).

Monotone (Fritsch & Carlson 1980 with Brodlie's weighted harmonic mean, Fritsch & Butland 1984). Local: Akima's (1970)
weights in the modified form that does not swing where neighbouring slopes are equal.

``y`` may have shape (n,) or (n, k) for the methods that are linear in y.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault


def _across(steps: Array, y: Array) -> Array:
    return steps if y.ndim == 1 else steps[:, None]


def spline_slopes(x: Array, y: Array, ends: str, given: tuple[float, float] = (0.0, 0.0)) -> Array:
    """Return the slopes of the C² spline; ``ends`` is cubic (not-a-knot), natural, clamped or periodic."""
    n, h = len(x), np.diff(x)
    d = np.diff(y, axis=0) / _across(h, y)
    if ends == "periodic":
        return _periodic_slopes(h, d)
    if n == 2:
        if ends == "clamped":
            return np.stack([np.full(y.shape[1:], given[0]), np.full(y.shape[1:], given[1])])
        return np.stack([d[0], d[0]])
    if n == 3 and ends == "cubic":
        # One parabola through three points.
        bend = (d[1] - d[0]) / (h[0] + h[1])
        return np.stack([d[0] - h[0] * bend, d[0] + h[0] * bend, d[1] + h[1] * bend])
    from scipy.linalg import solve_banded

    bands, right = _system(h, d, ends, given)
    if ends in ("natural", "clamped"):
        # Rows of one size, so that pivots do not mix them up where x is very large or small.
        bands[1, 0], bands[0, 1], right[0] = bands[1, 0] * h[0], bands[0, 1] * h[0], right[0] * h[0]
        bands[1, -1], bands[2, -2], right[-1] = bands[1, -1] * h[-1], bands[2, -2] * h[-1], right[-1] * h[-1]
    return np.asarray(solve_banded((1, 1), bands, right, overwrite_ab=True, overwrite_b=True, check_finite=False))


def spline_system(x: Array, y: Array, ends: str, given: tuple[float, float] = (0.0, 0.0)) -> tuple[Array, Array]:
    """Return the tridiagonal system for the slopes: bands (3, n) above, on and below the diagonal, and right side."""
    h = np.diff(x)
    return _system(h, np.diff(y, axis=0) / _across(h, y), ends, given)


def _system(h: Array, d: Array, ends: str, given: tuple[float, float]) -> tuple[Array, Array]:
    n = len(h) + 1
    bands, right = np.zeros((3, n)), np.empty((n, *d.shape[1:]))
    hs = _across(h, d)
    bands[0, 2:], bands[2, :-2] = h[:-1], h[1:]
    np.add(h[:-1], h[1:], out=bands[1, 1:-1])
    bands[1, 1:-1] *= 2
    np.multiply(hs[1:], d[:-1], out=right[1:-1])
    right[1:-1] += hs[:-1] * d[1:]
    right[1:-1] *= 3
    if ends == "natural":
        bands[1, 0], bands[0, 1], right[0] = 2.0, 1.0, 3 * d[0]
        bands[1, -1], bands[2, -2], right[-1] = 2.0, 1.0, 3 * d[-1]
    elif ends == "clamped":
        bands[1, 0], bands[0, 1], right[0] = 1.0, 0.0, given[0]
        bands[1, -1], bands[2, -2], right[-1] = 1.0, 0.0, given[1]
    else:
        both = h[0] + h[1]
        bands[1, 0], bands[0, 1] = h[1], both
        right[0] = ((h[0] + 2 * both) * h[1] * d[0] + h[0] ** 2 * d[1]) / both
        both = h[-1] + h[-2]
        bands[1, -1], bands[2, -2] = h[-2], both
        right[-1] = (h[-1] ** 2 * d[-2] + (2 * both + h[-1]) * h[-2] * d[-1]) / both
    return bands, right


def _periodic_slopes(h: Array, d: Array) -> Array:
    """Solve the cyclic system by one tridiagonal solve with two right sides (Sherman & Morrison 1950)."""
    from scipy.linalg import solve_banded

    m = len(h)
    if m == 1:
        return np.zeros((2, *d.shape[1:]))
    hs = h if d.ndim == 1 else h[:, None]
    before_h, before_hs = np.roll(h, 1), np.roll(hs, 1, axis=0)
    diagonal = 2 * (before_h + h)
    right = 3 * (hs * np.roll(d, 1, axis=0) + before_hs * d)
    if m == 2:
        matrix = np.array([[diagonal[0], h[0] + before_h[0]], [h[1] + before_h[1], diagonal[1]]])
        inner = np.linalg.solve(matrix, right)
        return np.concatenate([inner, inner[:1]])
    low, high = h[0], before_h[-1]
    shift = -diagonal[0]
    bands = np.zeros((3, m))
    bands[1] = diagonal
    bands[1, 0] -= shift
    bands[1, -1] -= low * high / shift
    bands[0, 1:], bands[2, :-1] = before_h[:-1], h[1:]
    unit = np.zeros(m)
    unit[0], unit[-1] = shift, high
    columns = right if right.ndim > 1 else right[:, None]
    solved = solve_banded((1, 1), bands, np.column_stack([columns, unit]))
    main, extra = solved[:, :-1], solved[:, -1]
    factor = (main[0] + low / shift * main[-1]) / (1 + extra[0] + low / shift * extra[-1])
    inner = main - extra[:, None] * factor
    inner = inner if right.ndim > 1 else inner[:, 0]
    return np.concatenate([inner, inner[:1]])


def monotone_slopes(x: Array, y: Array) -> Array:
    """Return slopes that keep the curve between neighbouring points."""
    h, d = np.diff(x), np.diff(y)
    if len(x) == 2:
        return np.array([d[0], d[0]])
    m = np.zeros(len(x))
    first, second = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    slope = d / h
    same = slope[:-1] * slope[1:] > 0
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = (first + second) / (first / slope[:-1] + second / slope[1:])
    m[1:-1] = np.where(same, mean, 0.0)
    m[0] = _end_slope(h[0], h[1], slope[0], slope[1])
    m[-1] = _end_slope(h[-1], h[-2], slope[-1], slope[-2])
    return m


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    """Return the slope of the end parabola, held to the side and three times the size of the end secant."""
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if slope * d0 <= 0:
        return 0.0
    if d0 * d1 <= 0 and abs(slope) > 3 * abs(d0):
        return 3 * d0
    return float(slope)


def local_slopes(x: Array, y: Array) -> Array:
    """Return Akima's slopes in the modified form."""
    d = np.diff(y) / np.diff(x)
    if len(d) == 1:
        return np.array([d[0], d[0]])
    before = 2 * d[0] - d[1]
    after = 2 * d[-1] - d[-2]
    m = np.concatenate([[2 * before - d[0], before], d, [after, 2 * after - d[-1]]])
    left = np.abs(m[1:] - m[:-1]) + np.abs(m[1:] + m[:-1]) / 2
    weight_left, weight_right = left[2:], left[:-2]
    total = weight_left + weight_right
    flat = total <= 1e-9 * max(float(total.max()), 1e-300)
    with np.errstate(divide="ignore", invalid="ignore"):
        mixed = (weight_left * m[1:-2] + weight_right * m[2:-1]) / total
    # Where both weights vanish the neighbouring slopes are all zero or pairwise equal.
    return np.where(flat, (m[1:-2] + m[2:-1]) / 2, mixed)


def check_periodic(y: Array) -> None:
    """Insist that the ends meet. Raises DataError."""
    if abs(float(y[0] - y[-1])) > 1e-9 * max(float(np.max(np.abs(y))), 1e-300):
        raise DataError(
            f"A periodic curve needs the same y at both ends, but the first is {y[0]:g} and the last {y[-1]:g}. "
            "Add the first row again one period later.",
            Fault.BAD_ROWS,
        )
