"""QR by Householder reflections with what a fit needs of it, straight from LAPACK: no Q is formed.

Once columns are reduced, further columns beside them hold Qᵀ times what they were, so one call answers for all.
"""

from __future__ import annotations

import math
from functools import cache
from types import ModuleType
from typing import cast

import numpy as np

from vettore.core.arrays import Array


@cache
def _lapack() -> ModuleType:
    from scipy.linalg import lapack

    return lapack


@cache
def _upper(rows: int, m: int) -> Array:
    return np.triu(np.ones((rows, m)))


def triangle(rows: Array) -> Array:
    """Return R, of shape (min(n, m), m), of the columns whose transpose (m, n) is given and written over."""
    m, n = rows.shape
    packed = _lapack().dgeqrf(rows.T, overwrite_a=1)[0]
    small = min(n, m)
    return cast(Array, packed[:small] * _upper(small, m))


def reduced(columns: Array, beside: Array) -> tuple[Array, Array]:
    """Return R of columns (n, m), of shape (min(n, m), m), and as many entries of Qᵀb for b (n,) beside them."""
    n, m = columns.shape
    rows = np.empty((m + 1, n))
    rows[:m] = columns.T
    rows[m] = beside
    whole = triangle(rows)
    small = min(n, m)
    return whole[:small, :m], whole[:small, m]


def length(values: Array) -> float:
    """Return the Euclidean length of a vector."""
    return math.sqrt(float(values @ values))


def column_sizes(root: Array) -> Array:
    """Return the lengths of columns from their R."""
    return cast(Array, np.sqrt(np.add.reduce(root * root, axis=0)))


def told_apart(root: Array, share: float) -> bool:
    """Whether every column of R reaches out of those before it by more than a share of its length.

    R is finite, and small: plain numbers are looked at in a fraction of the time of arrays.
    """
    shares = [abs(column[j]) / (math.hypot(*column[: j + 1]) or 1.0) for j, column in enumerate(root.T.tolist())]
    return min(shares, default=1.0) > share


def solve_upper(root: Array, right: Array) -> Array:
    """Return R⁻¹ b for R in the upper triangle, without zeros on its diagonal."""
    return cast(Array, _lapack().dtrtrs(root, right)[0])


def inverse_upper(root: Array) -> Array:
    """Return R⁻¹ of an upper triangular R without zeros on its diagonal."""
    return cast(Array, _lapack().dtrtri(root)[0])
