"""Polynomial least squares for very many rows: one pass of sums, one of refinement, a third where that moves far.

The Gram matrix of Chebyshev columns is well conditioned for low degrees, so Cholesky and one correction from the
true residuals keep twelve digits and more at a fraction of the time of a QR. Rows are taken in blocks that stay in
cache. (Two threads that share them take as long as one.)
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from vettore.core.arithmetic import chebyshev
from vettore.core.arithmetic.chebyshev import Scale
from vettore.core.arithmetic.numbers import DoubleDouble
from vettore.core.arrays import Array
from vettore.core.fitting.linear.least_squares import Solution, inverse_of_root

BLOCK = 8192
# A correction that moves the curve by less than the rounding of the residuals, beside y of size 1.
UNSEEN = 16 * float(np.finfo(np.float64).eps)


def solve(x: Array, y: Array, weights: Array | None, scale: Scale, count: int, through_origin: bool) -> Solution:
    """Fit ``count`` Chebyshev columns (each times x when ``through_origin``) to y of size 1 at most; see Solution."""
    residuals = np.empty_like(y)

    def columns_of() -> Iterator[tuple[slice, Array]]:
        """Yield blocks with their columns, one in each line, and a line more that is the caller's."""
        lines = np.empty((count + 1, min(BLOCK, len(x))))
        for start in range(0, len(x), BLOCK):
            block = slice(start, min(start + BLOCK, len(x)))
            part = lines[:, : block.stop - start]
            chebyshev.write_columns(scale.t(x[block]), part[:count])
            if through_origin:
                part[:count] *= x[block]
            yield block, part

    def gram() -> Array:
        total = np.zeros((count + 1, count + 1))
        for block, lines in columns_of():
            lines[count] = y[block]
            # As a copy, since of so few lines a product with themselves takes three times as long.
            total += lines @ (lines.copy() if weights is None else lines * weights[block]).T
        return total

    def refinement() -> Array:
        total = np.zeros(count + 1)
        for block, lines in columns_of():
            r = np.subtract(y[block], c @ lines[:count], out=residuals[block])
            lines[count] = r
            total += lines @ (r if weights is None else r * weights[block])
        return total

    whole = gram()
    inverse_root = inverse_of_root(np.asarray(np.linalg.cholesky(whole[:count, :count]).T, dtype=np.float64))
    c = inverse_root @ (inverse_root.T @ whole[count, :count])
    sums = refinement()
    step = inverse_root @ (inverse_root.T @ sums[:count])
    c = c + step
    if float(np.abs(step).sum()) > UNSEEN:
        sums = refinement()
    return Solution(DoubleDouble(c, np.zeros(count)), inverse_root, residuals, float(sums[count]))
