"""Restricted likelihood of one share that rows tell of their scatter, and what is the same whatever that share is of.

With slopes and residuals of the rows made even by a share, the share is likeliest where

    (n − p) ln S + ln det V + ln det Jᵀ V⁻¹ J

is least, S being what is left of the residuals beside the slopes (Patterson & Thompson 1971): the curve takes no part of the
scatter for itself. A share of 0 is tested by the fall from there, half of whose probability is that of no fall at all, since it
stands at its edge (Self & Liang 1987).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import chi_squared_above
from vettore.core.errors import DataError
from vettore.core.fitting.result import FitResult
from vettore.core.golden import least_of_all

# Fewer rows beyond the coefficients do not tell a share.
FEWEST_SPARE = 4
# Shares that are looked at before the best of them is narrowed down, and in how many steps: to a ten-millionth.
LOOKED_AT, STEPS = 17, 30


def check_rows(first: FitResult, what: str) -> None:
    """Insist that there are residuals, and rows enough, to tell ``what``. Raises DataError."""
    if first.exact:
        raise DataError(f"The curve meets every row, so nothing tells {what}.")
    count = len(first.fitted_names)
    if first.degrees_of_freedom < FEWEST_SPARE:
        raise DataError(
            f"{first.n} rows for {count} coefficients do not tell {what}; {count + FEWEST_SPARE} at least do."
        )


def beside(slopes: Array, residual: Array) -> tuple[float, float]:
    """Return S, the squares of residuals (n,) that slopes (n, p) leave, and ln det of their products."""
    q, r = np.linalg.qr(slopes)
    rest = residual - q @ (q.T @ residual)
    with np.errstate(divide="ignore"):
        return float(rest @ rest), 2 * float(np.log(np.abs(np.diag(r))).sum())


def figure(slopes: Array, residual: Array, log_det: float) -> float:
    """Return what is made least, see above, of rows that are even and whose ln det V is given."""
    n, p = slopes.shape
    squares, of_slopes = beside(slopes, residual)
    with np.errstate(divide="ignore"):
        return float((n - p) * np.log(squares) + log_det + of_slopes)


def likeliest(of_share: Callable[[float], float], most: float) -> float:
    """Return the share from 0 to ``most`` at which its figure is least; an edge is an answer, too."""
    found = least_of_all(of_share, 0.0, most, LOOKED_AT, STEPS)
    return min((0.0, found, most), key=of_share)


def none_after_all(of_share: Callable[[float], float], share: float) -> float:
    """Return the probability of so likely a share where it is none."""
    fall = of_share(0.0) - of_share(share)
    return chi_squared_above(fall, 1) / 2 if fall > 0 else 1.0
