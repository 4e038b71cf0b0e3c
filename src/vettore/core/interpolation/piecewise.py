"""Polynomial pieces between breaks, in powers of the distance from the break on their left.

    p(x) = ((a₃ u + a₂) u + a₁) u + a₀,   u = x − breakᵢ

Evaluation finds the piece once by ``searchsorted`` and runs Horner on gathered coefficients. Areas are exact sums of
antiderivatives. Roots: pieces whose Bernstein coefficients do not change sign have none; the others are solved as
companion eigenvalues in one batch and polished by Newton.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from vettore.core.arithmetic.numbers import power_of_two_near
from vettore.core.arrays import Array, Rows

# A root this far outside its piece, in lengths of the piece, still counts as at its end.
EDGE = 1e-9
# Evaluate at most so many x at once: gathered coefficients then stay in cache.
BLOCK = 16_384
# From so many x on it pays to look where they lie.
WORTH_A_LOOK = 256


@dataclass(frozen=True, eq=False)
class Pieces:
    """``breaks`` (k + 1,) and ``powers`` (4, k), lowest power first; ``left_open`` pieces hold their right end."""

    breaks: Array
    powers: Array
    left_open: bool = False

    def places(self, x: Array) -> Rows:
        """Return the piece of every x; those outside belong to the piece at the end."""
        side: Literal["left", "right"] = "left" if self.left_open else "right"
        first, breaks = 0, self.breaks
        if len(x) >= WORTH_A_LOOK and len(breaks) > len(x):
            # Neighbours in x lie in a small part of very many breaks, which is then searched alone.
            ends = (np.min(x), np.max(x))
            if ends[0] <= ends[1]:
                first, last = np.searchsorted(breaks, ends, side=side).tolist()
                breaks = breaks[first:last]
        values = np.searchsorted(breaks, x, side=side)
        values += first - 1
        return np.clip(values, 0, self.powers.shape[1] - 1, out=values)

    def value(self, x: Array, order: int = 0) -> Array:
        """Return the value or a derivative at x (n,)."""
        powers = _derivative(self.powers, order)
        out = np.empty(x.shape)
        flat, into = x.ravel(), out.ravel()
        for start in range(0, len(flat), BLOCK):
            part = flat[start : start + BLOCK]
            where = self.places(part)
            u = part - self.breaks.take(where)
            total = powers[-1].take(where)
            for row in powers[-2::-1]:
                total *= u
                total += row.take(where)
            into[start : start + BLOCK] = total
        return into.reshape(x.shape)

    def running(self) -> Array:
        """Return the area from the first break to each break, shape (k + 1,)."""
        steps = np.diff(self.breaks)
        return np.concatenate([[0.0], np.cumsum(_antiderivative(self.powers, steps))])

    def area(self, a: float, b: float) -> float:
        """Return the integral from a to b; end pieces go on outside."""
        places = self.places(np.array([a, b]))
        if places[0] == places[1]:
            ends = np.array([a, b]) - self.breaks[places]
            both = _antiderivative(self.powers[:, places], ends)
            return float(both[1] - both[0])
        if a > b:
            return -self.area(b, a)
        first, last = int(places[0]), int(places[1])
        whole = _antiderivative(self.powers[:, first:last], np.diff(self.breaks[first : last + 1]))
        start = _antiderivative(self.powers[:, first : first + 1], np.array([a - self.breaks[first]]))
        end = _antiderivative(self.powers[:, last : last + 1], np.array([b - self.breaks[last]]))
        return float(whole.sum() - start[0] + end[0])

    def roots(self, y: float, a: float, b: float, order: int = 0) -> Array:
        """Return every x in a … b at which the value (or a derivative) is y; where it stays there, the ends of it."""
        low, high = min(a, b), max(a, b)
        powers = _derivative(self.powers, order).copy()
        powers[0] -= y
        left, right = np.maximum(self.breaks[:-1], low), np.minimum(self.breaks[1:], high)
        left[0], right[-1] = min(low, self.breaks[0]) if low < self.breaks[0] else left[0], max(right[-1], high)
        values: list[float] = []
        steps = np.diff(self.breaks)
        possible = np.flatnonzero(
            (right >= left) & _may_vanish(powers, left - self.breaks[:-1], right - self.breaks[:-1])
        )
        for i in possible.tolist():
            coefficients = powers[:, i]
            if not np.any(coefficients):
                values += [left[i], right[i]]
                continue
            edge = EDGE * steps[i]
            for u in _real_roots(coefficients, steps[i]):
                x = self.breaks[i] + u
                if left[i] - edge <= x <= right[i] + edge:
                    values.append(min(max(x, left[i]), right[i]))
        roots = np.sort(np.array(values))
        if len(roots) > 1:
            # Neighbouring pieces both report a root at the break between them.
            apart = np.diff(roots) > 1e-9 * float(np.median(steps))
            roots = roots[np.concatenate([[True], apart])]
        return roots


def hermite(x: Array, y: Array, slopes: Array) -> Pieces:
    """Return the cubic pieces through points with these slopes."""
    h = np.diff(x)
    d = np.diff(y)
    d /= h
    powers = np.empty((4, len(h)))
    powers[0], powers[1] = y[:-1], slopes[:-1]
    # In place: of a million points every array that is made anew costs as much as the arithmetic.
    bend, rest = powers[3], powers[2]
    np.add(slopes[:-1], slopes[1:], out=bend)
    np.subtract(d, slopes[:-1], out=rest)
    d *= 2
    bend -= d
    bend /= h
    rest /= h
    rest -= bend
    bend /= h
    return Pieces(x, powers)


def flat(breaks: Array, levels: Array, left_open: bool = False) -> Pieces:
    """Return constant pieces."""
    powers = np.zeros((4, len(levels)))
    powers[0] = levels
    return Pieces(breaks, powers, left_open)


def straight(x: Array, y: Array) -> Pieces:
    """Return straight pieces through points."""
    powers = np.zeros((4, len(x) - 1))
    powers[0], powers[1] = y[:-1], np.diff(y) / np.diff(x)
    return Pieces(x, powers)


def parabolas(x: Array, y: Array) -> Pieces:
    """Return the C¹ pieces of degree 2 that meet midway between points; the two at either end are one.

    With p = yᵢ + mᵢu + cᵢu² about each point, value and slope agree at every midpoint, hᵢ/2 from both sides.
    """
    from scipy.linalg import solve_banded

    n = len(x)
    if n == 2:
        return straight(x, y)
    half = np.diff(x) / 2
    # In units near the distances, so that pivots do not mix up slopes and bends.
    unit = power_of_two_near(float(half.max()))
    half = half / unit
    bands, right = np.zeros((6, 2 * n)), np.zeros(2 * n)

    def put(row: Rows, column: Rows, value: Array | float) -> None:
        bands[3 + row - column, column] = value

    i = np.arange(n - 1)
    put(np.array([0]), np.array([1]), 1.0)
    put(np.array([0]), np.array([3]), -1.0)
    value, slope = 1 + 2 * i, 2 + 2 * i
    put(value, 2 * i, half)
    put(value, 2 * i + 1, half**2)
    put(value, 2 * i + 2, half)
    put(value, 2 * i + 3, -(half**2))
    right[value] = np.diff(y)
    put(slope, 2 * i, 1.0)
    put(slope, 2 * i + 1, 2 * half)
    put(slope, 2 * i + 2, -1.0)
    put(slope, 2 * i + 3, 2 * half)
    put(np.array([2 * n - 1]), np.array([2 * n - 3]), 1.0)
    put(np.array([2 * n - 1]), np.array([2 * n - 1]), -1.0)
    solved = solve_banded((2, 3), bands, right)
    m, c = solved[0::2] / unit, solved[1::2] / unit / unit
    breaks = np.concatenate([x[:1], (x[:-1] + x[1:]) / 2, x[-1:]])
    u = breaks[:-1] - x
    powers = np.zeros((4, n))
    powers[0], powers[1], powers[2] = y + (m + c * u) * u, m + 2 * c * u, c
    return Pieces(breaks, powers)


def _derivative(powers: Array, order: int) -> Array:
    for _ in range(order):
        powers = powers[1:] * np.arange(1, len(powers))[:, None] if len(powers) > 1 else np.zeros_like(powers)
    return powers


def _antiderivative(powers: Array, u: Array) -> Array:
    total = np.zeros_like(u)
    for k in range(len(powers) - 1, -1, -1):
        total = total * u + powers[k] / (k + 1)
    return np.asarray(total * u)


def _may_vanish(powers: Array, low: Array, high: Array) -> np.ndarray:
    """Return where the Bernstein coefficients over low … high do not all have one sign."""
    size = high - low
    shifted = _shifted(powers, low)
    degree = len(powers) - 1
    scaled = [shifted[k] * size**k for k in range(degree + 1)]
    # b_j = Σ_k C(j,k)/C(degree,k) a_k
    from math import comb

    bernstein = np.array(
        [
            sum((comb(j, k) / comb(degree, k) * scaled[k] for k in range(j + 1)), start=np.zeros(powers.shape[1]))
            for j in range(degree + 1)
        ]
    )
    return np.asarray((bernstein.min(axis=0) <= 0) & (bernstein.max(axis=0) >= 0))


def _shifted(powers: Array, by: Array) -> list[Array]:
    """Return the coefficients about another origin (repeated Horner)."""
    rows = [row.copy() for row in powers]
    for k in range(len(rows) - 1):
        for j in range(len(rows) - 2, k - 1, -1):
            rows[j] = rows[j] + by * rows[j + 1]
    return rows


def _real_roots(powers: Array, step: float) -> list[float]:
    """Return the real roots of one piece, polished; ``step`` is its length."""
    scaled = powers * step ** np.arange(len(powers))
    size = float(np.max(np.abs(scaled)))
    degree = len(powers) - 1
    while degree > 0 and abs(scaled[degree]) <= 1e-15 * size:
        degree -= 1
    if degree == 0:
        return []
    companion = np.zeros((degree, degree))
    companion[np.arange(1, degree), np.arange(degree - 1)] = 1.0
    companion[:, -1] = -scaled[:degree] / scaled[degree]
    values = []
    for z in np.linalg.eigvals(companion):
        # A double root splits into a pair as far apart as the root of the rounding.
        if abs(z.imag) <= 1e-7 * (1 + abs(z.real)):
            values.append(_newton(scaled[: degree + 1], float(z.real)) * step)
    return values


def _newton(coefficients: Array, u: float) -> float:
    for _ in range(3):
        value = slope = 0.0
        for c in coefficients[::-1]:
            slope = slope * u + value
            value = value * u + float(c)
        if slope == 0.0:
            break
        step = value / slope
        if abs(step) > 0.01:
            break
        u -= step
    return u
