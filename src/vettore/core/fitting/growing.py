"""Fits whose scatter grows with the curve: σ = a + b·|μ|, with a and b told by the rows themselves.

With g = (1 − ρ) + ρ·|μ|/m, m the mean of |μ| over the rows, σ is s·g; ρ = 0 is even scatter, ρ = 1 scatter in proportion.
For one ρ the coefficients are those of rows weighted by 1/g², with μ of the fit before (generalised least squares). The ρ is
the one of greatest restricted likelihood given these (Carroll & Ruppert 1988, §3.3; Patterson & Thompson 1971): least

    (n − p) ln S + 2 Σ ln g + ln det Jᵀ G⁻² J,    S the weighted sum of squares,

in which the curve takes no part of the scatter for itself. Both steps are repeated until neither moves. J is spanned by the
basis that the fit gives, so no ρ costs another search.

Even scatter is tested by the fall of that figure from ρ = 0, half of whose probability is that of no fall at all, since ρ
stands at its edge there (Self & Liang 1987).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.distributions import chi_squared_above
from vettore.core.errors import DataError
from vettore.core.fitting.record import Noise, Spread
from vettore.core.fitting.result import FitResult
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name

# Fewer rows beyond the coefficients do not tell how scatter grows.
FEWEST_SPARE = 4
# With no more than this left of even scatter a curve near 0 would take all the weight.
MOST = 0.999
# Shares that are looked at before the best of them is narrowed down, and to what.
LOOKED_AT, NARROW = 17, 1e-7
# Refits, and by how many standard errors, and what share, the last may have moved.
MOST_REFITS, SETTLED, SAME_SHARE = 40, 1e-6, 1e-6
# The same for a first look at many models.
FEW_REFITS, NEARLY = 4, 1e-2
GOLDEN = (np.sqrt(5.0) - 1) / 2


@dataclass(frozen=True)
class _Rows:
    """What the likelihood of a share needs: |μ| over its mean, y − μ, and vectors that span the curve's slopes."""

    height: Array
    residual: Array
    span: Array

    def spread(self, share: float) -> Array:
        """Return g (n,)."""
        return (1 - share) + share * self.height

    def figure(self, share: float) -> float:
        """Return what is made least, see above."""
        g = self.spread(share)
        q, r = np.linalg.qr(self.span / g[:, None])
        z = self.residual / g
        rest = z - q @ (q.T @ z)
        n, p = self.span.shape
        with np.errstate(divide="ignore"):
            return float((n - p) * np.log(rest @ rest) + 2 * np.log(g).sum() + 2 * np.log(np.abs(np.diag(r))).sum())

    def sigma(self, share: float) -> Array:
        """Return σ (n,) of the rows."""
        g = self.spread(share)
        q, _ = np.linalg.qr(self.span / g[:, None])
        z = self.residual / g
        rest = z - q @ (q.T @ z)
        n, p = self.span.shape
        return g * float(np.sqrt(rest @ rest / (n - p)))


def golden(figure: Callable[[float], float], most: float) -> float:
    """Return the number from 0 to ``most`` at which a figure is least, by a first look and golden sections."""
    places = np.linspace(0.0, most, LOOKED_AT)
    figures = [figure(place) for place in places.tolist()]
    place = int(np.argmin(figures))
    low, high = places[max(place - 1, 0)], places[min(place + 1, LOOKED_AT - 1)]
    inner, outer = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
    at_inner, at_outer = figure(inner), figure(outer)
    while high - low > NARROW:
        if at_inner <= at_outer:
            high, outer, at_outer = outer, inner, at_inner
            inner = high - GOLDEN * (high - low)
            at_inner = figure(inner)
        else:
            low, inner, at_inner = inner, outer, at_outer
            outer = low + GOLDEN * (high - low)
            at_outer = figure(outer)
    found = float((low + high) / 2)
    # An edge is an answer, too.
    return min((0.0, found, most), key=figure)


def fit_growing(
    first: FitResult,
    read: Formula,
    data: Mapping[str, Values],
    options: Mapping[str, Any],
) -> FitResult:
    """Return the fit whose scatter grows with the curve, from an ordinary one of the same rows; ``options`` go to refits.

    Raises DataError where the rows cannot tell.
    """
    _check(first, read)
    now, share, refits, moved = first, -1.0, 0, np.inf
    names = first.fitted_names
    before, looks = share, not options.get("thorough", True)
    most, near, same = (FEW_REFITS, NEARLY, NEARLY) if looks else (MOST_REFITS, SETTLED, SAME_SHARE)
    while refits < most and not (moved < near and abs(share - before) < same):
        refits += 1
        rows = _rows_of(now)
        before, share = share, golden(rows.figure, MOST)
        was = {name: now.coefficients[name].value for name in names}
        now = _refit(first, now, data, rows.sigma(share), options)
        moved = max(
            (
                abs(one.value - was[name]) / one.standard_error
                for name in names
                if (one := now.coefficients[name]).standard_error
            ),
            default=0.0,
        )
    return _told(first, now, share, refits < most or looks)


def _check(first: FitResult, read: Formula) -> None:
    if not isinstance(read.left, Name):
        raise DataError(
            f"A scatter that grows is that of what was measured: write it, not {read.left}, before the =."
        )
    if first.exact:
        raise DataError("The curve meets every row, so nothing tells how they scatter.")
    if first.degrees_of_freedom < FEWEST_SPARE:
        raise DataError(
            f"{first.n} rows for {len(first.fitted_names)} coefficients do not tell how the scatter grows; "
            f"{len(first.fitted_names) + FEWEST_SPARE} at least do."
        )


def _rows_of(fit: FitResult) -> _Rows:
    height = np.abs(fit.fitted)
    mean = float(height.mean())
    weighed = np.ones(fit.n) if fit.sigma is None else fit.sigma
    return _Rows(height / mean if mean > 0 else np.ones(fit.n), fit.residuals, fit.basis() * weighed[:, None])


def _refit(
    first: FitResult, now: FitResult, data: Mapping[str, Values], sigma: Array, options: Mapping[str, Any]
) -> FitResult:
    """Return the fit of the rows weighted by 1/σ², begun where it stands."""
    from vettore.core.fitting.nonlinear import fit

    whole = np.full(len(first.rows_in_use), np.nan)
    whole[first.rows_in_use] = sigma
    start = {name: now.coefficients[name].value for name in now.searched_for if name in now.fitted_names}
    held = {name: one.value for name, one in first.coefficients.items() if one.held}
    return fit(first.formula, data, start=start or None, hold=held, sigma=whole, **options)


def _told(first: FitResult, now: FitResult, share: float, settled: bool) -> FitResult:
    """Return the last refit with the scatter that it rests on."""
    rows = _rows_of(now)
    scale = float(rows.sigma(share)[0] / rows.spread(share)[0])
    mean = float(np.abs(now.fitted).mean())
    fall = max(rows.figure(0.0) - rows.figure(share), 0.0)
    spread = Spread(
        a=scale * (1 - share),
        b=scale * share / mean if mean > 0 else 0.0,
        p=chi_squared_above(fall, 1) / 2 if fall > 0 else 1.0,
    )
    return replace(
        now,
        own_remarks=first.own_remarks,
        converged=now.converged and settled,
        search=first.search,
        iterations=first.iterations + now.iterations,
        left_out=first.left_out,
        beside=None,
        noise=Noise.GROWING,
        spread=spread,
    )
