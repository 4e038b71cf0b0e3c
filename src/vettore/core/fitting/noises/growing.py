"""Fits whose scatter grows with the curve: σ = a + b·|μ|, with a and b told by the rows themselves.

With g = (1 − ρ) + ρ·|μ|/m, m the mean of |μ| over the rows, σ is s·g; ρ = 0 is even scatter, ρ = 1 scatter in proportion.
For one ρ the coefficients are those of rows weighted by 1/g², with μ of the fit before (generalised least squares). The ρ is
the one of greatest restricted likelihood given these (restricted.py; Carroll & Ruppert 1988, §3.3). Both steps are repeated
until neither moves. J is spanned by the basis that the fit gives, so no ρ costs another search.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.details import Growing
from vettore.core.fitting.noises.formula_rows import FormulaRows, side_by_side
from vettore.core.fitting.noises.restricted import (
    beside,
    check_rows,
    edge_shares,
    figure,
    likeliest,
    none_after_all,
    over_shares,
    with_covariance,
)
from vettore.core.fitting.noises.reweighted import reweighted
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Noise, Spread
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.solve import solve
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name
from vettore.core.remarks import Remark, RemarkKind

# With no more than this left of even scatter a curve near 0 would take all the weight.
MOST = 0.999
# Rows up to which it is said how often 95 % ranges hold, and that at the least, in per cent (tools/measures/growing.py).
FEW, HELD = 15, 89.0


@dataclass(frozen=True)
class _GrowingRows:
    """What the likelihood of a share needs: |μ| over its mean, y − μ, and vectors that span the curve's slopes."""

    height: Array
    residual: Array
    span: Array

    def spread(self, share: float) -> Array:
        """Return g (n,)."""
        return (1 - share) + share * self.height

    def figure(self, share: float) -> float:
        """Return what is made least, see restricted.py."""
        g = self.spread(share)
        return figure(self.span / g[:, None], self.residual / g, 2 * float(np.log(g).sum()))

    def sigma(self, share: float) -> Array:
        """Return σ (n,) of the rows."""
        g = self.spread(share)
        squares, _ = beside(self.span / g[:, None], self.residual / g)
        n, p = self.span.shape
        return g * math.sqrt(squares / (n - p))


def fit_growing(problem: Problem) -> FitResult:
    """Return the fit whose scatter grows with the curve. Raises DataError where the rows cannot tell."""
    first = solve(problem)
    _check(first, problem.read)

    def sigma_of(fit: FitResult) -> tuple[Array, float]:
        rows = _rows_of(fit)
        share = likeliest(rows.figure, MOST)
        return rows.sigma(share), share

    refit, share = reweighted(problem, first, sigma_of)
    looks = not problem.request.thorough
    result = replace(refit, details=Growing(Noise.GROWING, _spread(refit, share)))
    if result.n <= FEW and not looks:
        doubt = Remark(RemarkKind.HARDLY_TOLD, ("how the scatter grows",), figures=(result.n, HELD))
        result = replace(result, own_remarks=(*result.own_remarks, doubt))
    wider = None if looks else _over_shares(result, problem)
    return result if wider is None else with_covariance(result, wider)


def _over_shares(result: FitResult, problem: Problem) -> Array | None:
    """Return the covariance over all shares; None where that of the likeliest one has none, or a limit a say in it."""
    names = result.fitted_names
    if result.covariance is None or any(not result.coefficients[name].standard_error for name in names):
        return None
    held = {name: coefficient.value for name, coefficient in result.coefficients.items() if name not in names}
    rows_of_formula = FormulaRows(problem.read.right, problem.columns, result.y, names, held)
    c = np.array([result.coefficients[name].value for name in names])
    slopes, rows = side_by_side(rows_of_formula.slopes(c), result.n), _rows_of(result)

    def even(share: float) -> tuple[Array, Array, float]:
        g = rows.spread(share)
        return slopes / g[:, None], result.residuals / g, 2 * float(np.log(g).sum())

    return over_shares(even, edge_shares(MOST)) if np.isfinite(slopes).all() else None


def _check(first: FitResult, read: Formula) -> None:
    if not isinstance(read.left, Name):
        raise DataError(
            f"A scatter that grows is that of what was measured: write it, not {read.left}, before the =.",
            Fault.UNAVAILABLE,
        )
    check_rows(first, "how the scatter grows")


def _rows_of(fit: FitResult) -> _GrowingRows:
    height = np.abs(fit.fitted)
    mean = float(height.mean())
    weighed = np.ones(fit.n) if fit.sigma is None else fit.sigma
    return _GrowingRows(height / mean if mean > 0 else np.ones(fit.n), fit.residuals, fit.basis() * weighed[:, None])


def _spread(fit: FitResult, share: float) -> Spread:
    """Return the scatter that the last refit rests on."""
    rows = _rows_of(fit)
    scale = float(rows.sigma(share)[0] / rows.spread(share)[0])
    mean = float(np.abs(fit.fitted).mean())
    return Spread(
        a=scale * (1 - share),
        b=scale * share / mean if mean > 0 else 0.0,
        p=none_after_all(rows.figure, share),
    )
