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

from vettore.core.arrays import Array
from vettore.core.numbers import DoubleDouble

# Rows a block: several double-double columns of this length stay in a 1 MB cache.
BLOCK = 4096
# Each step adds the digits that conditioning leaves.
MOST_STEPS = 8
# A correction this small, relative to its coefficient, changes no digit that a double can hold ...
SETTLED = 1e-18
# ... and one this small, relative to the largest, is the rounding of double-double sums.
PURE_ROUNDING = 1e-29

Columns = Callable[[slice], list[DoubleDouble]]


@dataclass(frozen=True)
class Solution:
    """``c`` solves the problem; ``inverse_root`` of shape (m, m) is R⁻¹, so (AᵀWA)⁻¹ = R⁻¹R⁻ᵀ."""

    c: list[DoubleDouble]
    inverse_root: Array
    residuals: Array
    sum_of_squares: float


def solve(design: Array, exact: Columns, y: Array, weights: DoubleDouble | None) -> Solution:
    """Solve for ``design`` of shape (n, m), whose columns ``exact`` gives again in double-double by block."""
    n, m = design.shape
    root_weights = 1.0 if weights is None else np.sqrt(weights.high)
    weighted = design if weights is None else design * root_weights[:, None]  # type: ignore[index]
    inverse_root = inverse_of_root(np.asarray(np.linalg.qr(weighted, mode="r"), dtype=np.float64))
    # The digits that double has are had at its price.
    first = inverse_root @ (inverse_root.T @ (weighted.T @ (y * root_weights)))
    c = [DoubleDouble(value) for value in first]
    residuals = y.copy()
    squares = DoubleDouble(0.0)
    for _ in range(MOST_STEPS):
        gradient = [DoubleDouble(0.0) for _ in range(m)]
        squares = DoubleDouble(0.0)
        for start in range(0, n, BLOCK):
            block = slice(start, min(start + BLOCK, n))
            a = exact(block)
            r = DoubleDouble(y[block])
            for j in range(m):
                r = r - a[j] * c[j]
            residuals[block] = r.rounded()
            weighted_r = r if weights is None else r * weights[block]
            squares = squares + (weighted_r * r).sum()
            gradient = [gradient[j] + (a[j] * weighted_r).sum() for j in range(m)]
        g = np.array([float(part.rounded()) for part in gradient])
        correction = inverse_root @ (inverse_root.T @ g)
        c = [part + DoubleDouble(d) for part, d in zip(c, correction, strict=True)]
        size = np.abs([float(part.high) for part in c])
        if np.all(np.abs(correction) <= np.maximum(SETTLED * size, PURE_ROUNDING * size.max())):
            break
    return Solution(c, inverse_root, residuals, max(float(squares.rounded()), 0.0))


def inverse_of_root(root: Array) -> Array:
    """Return R⁻¹ of an upper triangular R; LU with row pivoting leaves a triangular matrix as it is."""
    return np.asarray(np.linalg.solve(root, np.eye(len(root))), dtype=np.float64)
