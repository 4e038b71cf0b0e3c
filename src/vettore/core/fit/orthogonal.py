"""QR by Householder reflections with what a fit needs of it, straight from LAPACK: no Q is formed for small steps."""

from __future__ import annotations

from functools import lru_cache
from typing import cast

import numpy as np

from vettore.core.arrays import Array


@lru_cache(64)
def _upper(rows: int, m: int) -> Array:
    return np.triu(np.ones((rows, m)))


def reduced(columns: Array, beside: Array) -> tuple[Array, Array]:
    """Return R of columns (n, m), of shape (min(n, m), m), and as many entries of Qᵀb for b (n,) beside them.

    Once the columns are reduced, a further column holds Qᵀb above the diagonal.
    """
    from scipy.linalg import lapack

    n, m = columns.shape
    work = np.empty((n, m + 1), order="F")
    work[:, :m] = columns
    work[:, m] = beside
    packed = lapack.dgeqrf(work, overwrite_a=1)[0]
    rows = min(n, m)
    return packed[:rows, :m] * _upper(rows, m), packed[:rows, m].copy()


class Rotation:
    """Qᵀ of columns (n, p), kept as reflections; the upper triangle of ``root`` (p, p) is R."""

    def __init__(self, columns: Array) -> None:
        from scipy.linalg import lapack

        self._packed, self._tau = lapack.dgeqrf(np.asfortranarray(columns))[:2]
        self.p = columns.shape[1]
        self.root = self._packed[: self.p]
        self._apply = lapack.dormqr

    def __call__(self, columns: Array) -> Array:
        """Return Qᵀ times columns (n, k)."""
        fortran = np.array(columns, order="F")
        room = max(64 * fortran.shape[1], 1)
        return cast(Array, self._apply("L", "T", self._packed, self._tau, fortran, room, overwrite_c=1)[0])


def solve_upper(root: Array, right: Array) -> Array:
    """Return R⁻¹ b for R in the upper triangle, without zeros on its diagonal."""
    from scipy.linalg import lapack

    return cast(Array, lapack.dtrtrs(root, right)[0])


def inverse_upper(root: Array) -> Array:
    """Return R⁻¹ of an upper triangular R without zeros on its diagonal."""
    from scipy.linalg import lapack

    return cast(Array, lapack.dtrtri(root)[0])
