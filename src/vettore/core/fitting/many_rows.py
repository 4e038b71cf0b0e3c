"""Polynomial least squares for very many rows: one pass of sums, one pass of refinement.

The Gram matrix of Chebyshev columns needs only the sums of Tₖ, because TⱼTₖ = (Tⱼ₊ₖ + T|ⱼ₋ₖ|)/2.
It is well conditioned for low degrees, so Cholesky and one correction from the true residuals keep
twelve digits and more at a fraction of the time of a QR. From ``MANY_COLUMNS`` up the cross products
of the columns are accumulated instead, since Tⱼ₊ₖ to twice the degree would cost more than they save.
"""

from __future__ import annotations

import numpy as np

from vettore.core import chebyshev
from vettore.core.arrays import Array
from vettore.core.chebyshev import Scale
from vettore.core.fitting.least_squares import Solution, inverse_of_root
from vettore.core.numbers import DoubleDouble

BLOCK = 8192
MANY_COLUMNS = 11


def solve(x: Array, y: Array, weights: Array | None, scale: Scale, count: int, through_origin: bool) -> Solution:
    """Fit ``count`` Chebyshev columns (each times x when ``through_origin``) to y; see Solution."""
    gram, right = _sums(x, y, weights, scale, count, through_origin)
    inverse_root = inverse_of_root(np.asarray(np.linalg.cholesky(gram).T, dtype=np.float64))
    c = inverse_root @ (inverse_root.T @ right)
    residuals = np.empty_like(y)
    for last in (False, True):
        gradient = np.zeros(count)
        squares = 0.0
        for start in range(0, len(x), BLOCK):
            block = slice(start, start + BLOCK)
            factor = x[block] if through_origin else 1.0
            columns = chebyshev.columns(scale.t(x[block]), count).T
            r = y[block] - factor * (c @ columns)
            residuals[block] = r
            weighted = r if weights is None else r * weights[block]
            if last:
                squares += float(weighted @ r)
            else:
                gradient += columns @ (weighted * factor)
        if not last:
            c = c + inverse_root @ (inverse_root.T @ gradient)
    return Solution([DoubleDouble(value) for value in c], inverse_root, residuals, squares)


def _sums(
    x: Array, y: Array, weights: Array | None, scale: Scale, count: int, through_origin: bool
) -> tuple[Array, Array]:
    directly = count >= MANY_COLUMNS
    gram = np.zeros((count, count))
    right = np.zeros(count)
    sums = np.zeros(2 * count - 1)
    for start in range(0, len(x), BLOCK):
        block = slice(start, start + BLOCK)
        t = scale.t(x[block])
        factor = x[block] if through_origin else np.ones_like(t)
        w = factor if weights is None else weights[block] * factor
        if directly:
            a = chebyshev.columns(t, count)
            gram += a.T @ (a * (w * factor)[:, None])
            right += (w * y[block]) @ a
        else:
            _add_moments(sums, right, t, w * factor, w * y[block])
    if not directly:
        j, k = np.indices((count, count))
        gram = (sums[j + k] + sums[np.abs(j - k)]) / 2
    return gram, right


def _add_moments(sums: Array, right: Array, t: Array, w: Array, wy: Array) -> None:
    before, here = np.ones_like(t), t
    sums[0] += w.sum()
    right[0] += wy.sum()
    double = 2 * t
    for k in range(1, len(sums)):
        sums[k] += here @ w
        if k < len(right):
            right[k] += here @ wy
        before, here = here, double * here - before
