"""Linear least squares to full double accuracy, for columns that can be had in double-double.

Minimise Σ wᵢ (yᵢ − Σⱼ aᵢⱼ cⱼ)². With R from a Householder QR of √w·A in double, corrected
seminormal equations (Björck 1987) are iterated with residuals in double-double:

    r = y − A c,   g = Aᵀ W r,   c ← c + R⁻¹ R⁻ᵀ g

Each step gains the digits that the condition of R allows, so a few reach the last digit of c.
Why not QR alone: its error grows with the condition of A times that of double, which on the
classic hard problems leaves 8 digits or none.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from vettore.core.arithmetic.numbers import DoubleDouble, less_mixture, two_sum
from vettore.core.arrays import Array, largest
from vettore.core.fitting.linear.orthogonal import triangle

# Rows a block: several double-double columns of this length stay in a 1 MB cache.
BLOCK = 4096
# Each step adds the digits that conditioning leaves.
MOST_STEPS = 8
# A correction this small, relative to its coefficient, changes no digit that a double can hold ...
SETTLED = 1e-18
# ... and one this small, relative to the largest, is the rounding of double-double sums.
PURE_ROUNDING = 1e-29
# A step below this share of the largest coefficient changes residuals by what a double tells of it; ...
NEAR = 1e-12
# ... by so much the step after next may be larger than foreseen.
AS_GOOD_AS = 10.0

Columns = Callable[[slice], DoubleDouble]


@dataclass(frozen=True)
class Solution:
    """``c`` (m,) solves the problem; ``inverse_root`` of shape (m, m) is R⁻¹, so (AᵀWA)⁻¹ = R⁻¹R⁻ᵀ."""

    c: DoubleDouble
    inverse_root: Array
    residuals: Array
    sum_of_squares: float


def solve(design: Array, exact: Columns, y: Array, weights: DoubleDouble | None) -> Solution:
    """Solve for ``design`` of shape (n, m), whose columns ``exact`` gives again in double-double by block."""
    n, m = design.shape
    root_weights = 1.0 if weights is None else np.sqrt(weights.high)
    weighted = design.T * root_weights
    # The digits that double has are had at its price.
    right = weighted @ (y * root_weights)
    inverse_root = inverse_of_root(triangle(weighted))
    c = DoubleDouble(inverse_root @ (inverse_root.T @ right), np.zeros(m))
    blocks = [_Block(exact, y, weights, slice(start, min(start + BLOCK, n))) for start in range(0, n, BLOCK)]
    before = largest(c.high)
    for block in blocks:
        block.at(c)
    squares = 0.0
    for _ in range(MOST_STEPS):
        sums = _total([block.sums() for block in blocks]).rounded()
        g, squares = sums[:m], float(sums[m])
        correction = inverse_root @ (inverse_root.T @ g)
        c = c + DoubleDouble(correction)
        size = np.abs(c.high)
        enough = np.maximum(SETTLED * size, PURE_ROUNDING * size.max())
        if np.all(np.abs(correction) <= enough):
            break
        step = largest(correction)
        near = step <= NEAR * float(size.max())
        for block in blocks:
            if near:
                block.moved(correction)
            else:
                block.at(c)
        # Each step is to the one before as the next will be to it, give or take.
        if near and AS_GOOD_AS * step * (step / before if before else 0.0) <= float(enough.min()):
            squares -= float(g @ correction)
            break
        before = step
    return Solution(c, inverse_root, np.concatenate([block.residuals() for block in blocks]), max(squares, 0.0))


class _Block:
    """Rows with their columns in double-double, (m, rows), and in one line more what is left of y there."""

    def __init__(self, exact: Columns, y: Array, weights: DoubleDouble | None, rows: slice) -> None:
        columns = exact(rows)
        self._y, self._weights = y[rows], None if weights is None else weights[rows]
        self._lines = DoubleDouble(*np.zeros((2, len(columns.high) + 1, len(self._y))))
        self._lines.high[:-1], self._lines.low[:-1] = columns.high, columns.low
        self._columns = DoubleDouble(self._lines.high[:-1], self._lines.low[:-1])

    def at(self, c: DoubleDouble) -> None:
        """Work out what is left of y."""
        rest = less_mixture(self._y, self._columns, c)
        self._lines.high[-1], self._lines.low[-1] = rest.high, rest.low

    def moved(self, step: Array) -> None:
        """Take a step of c that is so small that half of the digits do for it."""
        self._lines.high[-1], lost = two_sum(self._lines.high[-1], -(step @ self._columns.high))
        self._lines.low[-1] += lost

    def sums(self) -> DoubleDouble:
        """Return the gradient, and the squares of what is left."""
        rest = DoubleDouble(self._lines.high[-1], self._lines.low[-1])
        return self._lines.dot(rest if self._weights is None else rest * self._weights)

    def residuals(self) -> Array:
        """Return what is left."""
        return np.asarray(self._lines.high[-1] + self._lines.low[-1], dtype=np.float64)


def _total(parts: list[DoubleDouble]) -> DoubleDouble:
    total = parts[0]
    for part in parts[1:]:
        total = total + part
    return total


def inverse_of_root(root: Array) -> Array:
    """Return R⁻¹ of an upper triangular R; LU with row pivoting leaves a triangular matrix as it is."""
    return np.asarray(np.linalg.solve(root, np.eye(len(root))), dtype=np.float64)
