"""Restricted likelihood of one share that rows tell of their scatter, and what is the same whatever that share is of.

With slopes and residuals of the rows made even by a share, the share is likeliest where

    (n − p) ln S + ln det V + ln det Jᵀ V⁻¹ J

is least, S being what is left of the residuals beside the slopes (Patterson & Thompson 1971): the curve takes no part of the
scatter for itself. A share of 0 is tested by the fall from there, half of whose probability is that of no fall at all, since it
stands at its edge (Self & Liang 1987).

Few rows hardly tell the share, and a ± that takes the likeliest for the true one is too small: 95 % ranges of 8 to 20 rows then
held in 82 to 91 %. So ranges are taken over all shares, each with its probability by the restricted likelihood (Harville 1974:
that is what is left when coefficients and scatter are integrated out), and the ± follows from them; see ``over_shares``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from scipy.special import stdtr

from vettore.core.arithmetic.golden import least_of_all
from vettore.core.arrays import Array
from vettore.core.distributions import chi_squared_above, t_quantile
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.linear.linear_result import with_error
from vettore.core.fitting.result import FitResult

# Fewer rows beyond the coefficients do not tell a share.
FEWEST_SPARE = 4
# Shares that are looked at before the best of them is narrowed down, and in how many steps: to a ten-millionth.
LOOKED_AT, STEPS = 17, 30
# Shares that ranges are taken over, the level whose range decides the ±, and in how many halvings it is found.
SHARES, LEVEL, HALVINGS = 40, 0.95, 50
# Slopes of which no more than this stands out of the others are made of them.
DEPENDENT = 1e-12


def check_rows(first: FitResult, what: str) -> None:
    """Insist that there are residuals, and rows enough, to tell ``what``. Raises DataError."""
    if first.exact:
        raise DataError(f"The curve meets every row, so nothing tells {what}.", Fault.NOT_TOLD)
    count = len(first.fitted_names)
    if first.degrees_of_freedom < FEWEST_SPARE:
        raise DataError(
            f"{first.n} rows for {count} coefficients do not tell {what}; {count + FEWEST_SPARE} at least do.",
            Fault.TOO_FEW,
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
    value = least_of_all(of_share, 0.0, most, LOOKED_AT, STEPS)
    return min((0.0, value, most), key=of_share)


def none_after_all(of_share: Callable[[float], float], share: float) -> float:
    """Return the probability of so likely a share where it is none."""
    fall = of_share(0.0) - of_share(share)
    return chi_squared_above(fall, 1) / 2 if fall > 0 else 1.0


def even_shares(most: float) -> Array:
    """Return shares (k,) from 0 to ``most``, each as likely as any other before there were rows."""
    return most * (np.arange(SHARES) + 0.5) / SHARES


def edge_shares(most: float) -> Array:
    """Return shares (k,) that lie closer at both ends, where a share of variances changes most (Jeffreys' prior)."""
    return most * np.sin((np.arange(SHARES) + 0.5) / SHARES * np.pi / 2) ** 2


def over_shares(even: Callable[[float], tuple[Array, Array, float]], shares: Array) -> Array | None:
    """Return the covariance (p, p) of coefficients of which the t ranges hold over all shares; None where they depend.

    ``even`` returns slopes (n, p) and residuals (n,) at the answer, made even by a share, and ln det V.
    """
    moves, covariances, figures = [], [], []
    for share in shares.tolist():
        slopes, residual, log_det = even(share)
        q, r = np.linalg.qr(slopes)
        size = np.abs(np.diag(r))
        if not (np.isfinite(r).all() and size.min() > DEPENDENT * size.max()):
            return None
        move = np.linalg.solve(r, q.T @ residual)
        squares, freedom = float(np.sum((residual - slopes @ move) ** 2)), len(residual) - slopes.shape[1]
        inverse = np.linalg.inv(r)
        moves.append(move)
        covariances.append(inverse @ inverse.T * squares / freedom)
        figures.append(freedom * np.log(squares) + log_det + 2 * np.log(size).sum())
    weights = np.exp(-(np.array(figures) - min(figures)) / 2)
    weights /= weights.sum()
    away, errors = np.array(moves), np.sqrt([np.diag(covariance) for covariance in covariances])
    mixed = np.einsum("k,kij->ij", weights, np.array(covariances) + away[:, :, None] * away[:, None, :])
    # The range of each coefficient about the answer, of a mixture of t distributions.
    low, high = np.zeros(len(mixed)), (np.abs(away) + errors * t_quantile(1 - (1 - LEVEL) / 100, freedom)).max(axis=0)
    for _ in range(HALVINGS):
        half = (low + high) / 2
        inside = stdtr(freedom, (half - away) / errors) - stdtr(freedom, (-half - away) / errors)
        enough = weights @ inside >= LEVEL
        low, high = np.where(enough, low, half), np.where(enough, half, high)
    wide = high / t_quantile(LEVEL, freedom) / np.sqrt(np.diag(mixed))
    return np.asarray(mixed * wide[:, None] * wide[None, :])


def with_covariance(result: FitResult, covariance: Array) -> FitResult:
    """Return a result whose coefficients, ranges and curve have another covariance."""
    coefficients, freedom = dict(result.coefficients), float(result.degrees_of_freedom)
    for place, name in enumerate(result.fitted_names):
        value = coefficients[name].value
        coefficients[name] = with_error(name, value, float(covariance[place, place]), freedom, result.level)
    curve = result.given_curve
    if isinstance(curve, FormulaCurve):
        curve = curve.with_scatter(covariance, curve.residual_sd, curve.degrees_of_freedom)
    return replace(result, coefficients=coefficients, covariance=covariance, given_curve=curve)
