"""What each column tells of a coefficient, where columns have scatters of their own that the rows tell.

With slopes Xⱼ over the scatter of the likelihood and C = (Σ XⱼᵀXⱼ)⁻¹, column j has given hⱼ = tr(Xⱼ C Xⱼᵀ) of its nⱼ numbers
to the coefficients: its scatter² has νⱼ = nⱼ − hⱼ degrees of freedom and is larger by nⱼ/νⱼ. The covariance is
Σ (nⱼ/νⱼ) C XⱼᵀXⱼ C, and vₖⱼ, the part of column j in that of a coefficient, gives its degrees of freedom (Satterthwaite 1946)

    νₖ = (Σ vₖⱼ)² / Σ (vₖⱼ² / νⱼ).

For one column these are the usual n − m.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array, Rows

# A column that keeps fewer degrees of freedom tells no scatter of its own; all then share what is left.
LEAST_LEFT = 1.0


class ColumnShares(NamedTuple):
    """The covariance (m, m), degrees of freedom (m,) and numbers counted (m,) of coefficients; ``larger`` (q,) by column.

    ``base`` (m, m) is the covariance by the scatters of the likelihood.
    """

    base: Array
    covariance: Array
    freedom: Array
    counted: Array
    larger: tuple[float, ...]

    def at(self, places: Rows) -> ColumnShares:
        """Return what is known of some of the coefficients."""
        square = np.ix_(places, places)
        return ColumnShares(
            self.base[square], self.covariance[square], self.freedom[places], self.counted[places], self.larger
        )


def common_shares(base: Array, variance: float, freedom: float, n: int, columns: int) -> ColumnShares:
    """Return what all n numbers tell together."""
    m, left = len(base), n - len(base)
    return ColumnShares(
        base, base * variance, np.full(m, float(freedom)), np.full(m, float(n)), (n / left,) * columns
    )


def column_shares(table: Array, sizes: tuple[int, ...], base: Array) -> ColumnShares:
    """Return what columns of so many rows tell; ``table`` (n, m) are slopes over scatters, ``base`` (m, m) is C."""
    n, m = table.shape
    shares = [base @ (part.T @ part) for part in np.split(table, np.cumsum(sizes)[:-1])]
    left = np.array([size - float(np.trace(share)) for size, share in zip(sizes, shares, strict=True)])
    if len(sizes) == 1 or (left < LEAST_LEFT).any():
        return common_shares(base, n / (n - m), n - m, n, len(sizes))
    larger = np.array(sizes) / left
    each = np.array([by * share @ base for by, share in zip(larger, shares, strict=True)])
    own = np.array([np.diag(each_of) for each_of in each])
    squares = own.sum(axis=0) ** 2
    counted = squares / (own**2 / np.array(sizes)[:, None]).sum(axis=0)
    freedom = squares / (own**2 / left[:, None]).sum(axis=0)
    return ColumnShares(base, each.sum(axis=0), freedom, counted, tuple(larger.tolist()))
