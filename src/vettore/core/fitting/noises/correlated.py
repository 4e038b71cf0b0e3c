"""Fits of rows whose errors are correlated: by a covariance matrix that is known, or as neighbours in x are alike.

With the covariance V = L Lᵀ of the rows, L⁻¹ r are errors of one size that are not correlated, so that their squares are made
least (generalised least squares). A correlation that falls with the distance in x, first order and continuous,

    corr(εᵢ, εⱼ) = φ^(|xᵢ − xⱼ|/d),    d the mean distance of neighbours,

has an L⁻¹ of two diagonals: zᵢ = (rᵢ − ρᵢ rᵢ₋₁)/√(1 − ρᵢ²), ρᵢ = φ^((xᵢ − xᵢ₋₁)/d). The φ is that of greatest restricted
likelihood (restricted.py), found beside the coefficients by turns. Nothing tells a curve of the wrong shape
from neighbours that are alike: both leave residuals that stay on one side.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from scipy.linalg import solve_triangular

from vettore.core.arrays import Array, Mask, Rows, Values
from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.details import Correlated
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.linear.linear_result import with_error
from vettore.core.fitting.noises.formula_rows import FormulaRows, Point, side_by_side
from vettore.core.fitting.noises.restricted import (
    DEPENDENT,
    check_rows,
    even_shares,
    figure,
    likeliest,
    none_after_all,
    over_shares,
    with_covariance,
)
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Memory, Status
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.fitting.search.scoring import MOST_STEPS, STILL, least
from vettore.core.fitting.solve import solve
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name
from vettore.core.remarks import Remark, RemarkKind

# Nearer to 1 the rows say nothing of where the curve lies.
MOST = 0.999
# Beyond this neighbours are as alike as is allowed.
END = 0.99
# Rows up to which it is said how often 95 % ranges hold: always, or where φ is large; and that at the
# least, in per cent, at φ = 0.9 (tools/measures/correlated.py).
FEW, NOT_MANY, MUCH_ALIKE, HELD = 20, 30, 0.7, 81.0
# Turns, and when they end.
MOST_TURNS, SAME = 60, 1e-6
# The same for a first look at many models, whose coefficients are not polished.
FEW_TURNS, NEARLY, ROUGH = 3, 1e-2, 1e-3

# Returns rows (n, …) as errors that are not correlated, and the logarithm of det V.
Whitening = tuple[Callable[[Array], Array], float]


class _AlikeRows(FormulaRows):
    """Rows whose errors are correlated, and what takes that out of them."""

    whiten: Callable[[Array], Array] = staticmethod(np.asarray)

    def raw(self, c: Array) -> tuple[Array, Array]:
        """Return the curve (n,) and its slopes (n, m)."""
        # A derivative without a value where the curve has one is 0 in the limit, see Separable.
        slopes = [np.nan_to_num(column, posinf=np.inf, neginf=-np.inf) for column in self.slopes(c)]
        return self.value(c), side_by_side(slopes, len(self.y))

    def at(self, c: Array, near: Point | None) -> Point:
        """Return everything at coefficients ``c``, with residuals and slopes whitened."""
        mu, slopes = self.raw(c)
        if not (np.isfinite(mu).all() and np.isfinite(slopes).all()):
            return Point(mu, self.y - mu, slopes, math.inf)
        residual = self.whiten(self.y - mu)
        return Point(mu, residual, self.whiten(slopes), float(residual @ residual))


def fit_correlated(problem: Problem) -> FitResult:
    """Return the fit of rows whose neighbours are alike, as far as the rows tell. Raises DataError."""
    first, rows, c = _begun(problem)
    with np.errstate(all="ignore"):
        return _by_distance(first, problem, rows, c)


def fit_covariance(problem: Problem) -> FitResult:
    """Return the fit of rows whose covariance (n, n), of all rows that were given, is known. Raises DataError."""
    first, rows, c = _begun(problem)
    assert problem.request.covariance is not None
    with np.errstate(all="ignore"):
        whitening, spread = _by_matrix(problem.request.covariance, first.rows_in_use)
        rows.whiten = whitening[0]
        c, at, steps = least(rows, c, rows.free, problem.limits)
        ended, absolute = (steps, steps < MOST_STEPS), problem.request.absolute_sigma
        return _result(first, problem.read, rows, c, at, ended, absolute, whitening[1], None, spread)


def _begun(problem: Problem) -> tuple[FitResult, _AlikeRows, Array]:
    """Return the ordinary fit of the same rows, the rows to be whitened, and where the coefficients begin."""
    read = problem.read
    # The ± that are known are those of the covariance.
    first = solve(replace(problem, request=problem.request.with_(absolute_sigma=False)))
    if not isinstance(read.left, Name):
        raise DataError(
            f"Correlated errors are those of what was measured: write it, not {read.left}, before the =.",
            Fault.UNAVAILABLE,
        )
    free = first.fitted_names
    held = {name: coefficient.value for name, coefficient in first.coefficients.items() if name not in free}
    rows = _AlikeRows(read.right, problem.columns, first.y, free, held)
    c = np.array([first.coefficients[name].value for name in free])
    with np.errstate(all="ignore"):
        if not np.isfinite(rows.raw(c)[1]).all():
            raise DataError(
                f"The slopes of {read} leave the range of numbers here. Change the unit of a column.", Fault.OVERFLOW
            )
    return first, rows, c


def _by_matrix(known: Values, used: Mask) -> tuple[Whitening, Array]:
    """Return what whitens rows by their covariance, and their standard deviations. Raises DataError."""
    matrix = np.array(known, dtype=np.float64)
    n = len(used)
    if matrix.shape != (n, n):
        shape = " by ".join(map(str, matrix.shape))
        raise DataError(f"The covariance of {n} rows is {n} by {n}; one of {shape} was given.", Fault.LENGTHS)
    matrix = matrix[np.ix_(used, used)]
    if not np.isfinite(matrix).all():
        raise DataError("The covariance holds entries that are no numbers.", Fault.BAD_ROWS)
    uneven = np.abs(matrix - matrix.T).max()
    if uneven > 1e-8 * np.abs(matrix).max():
        raise DataError("The covariance of the rows must be the same above its diagonal as below.", Fault.BAD_ROWS)
    try:
        lower = np.linalg.cholesky((matrix + matrix.T) / 2)
    except np.linalg.LinAlgError:
        raise DataError(
            "The covariance of the rows leaves a combination of them with no variance, or less. Add the variance of each row's "
            "own error to its diagonal.",
            Fault.BAD_ROWS,
        ) from None
    whiten = partial(solve_triangular, lower, lower=True, check_finite=False)
    return (whiten, 2 * float(np.log(np.diag(lower)).sum())), np.sqrt(np.diag(matrix))


def _by_distance(first: FitResult, problem: Problem, alike: _AlikeRows, c: Array) -> FitResult:
    """Return the fit with the correlation of neighbours told by the rows."""
    read, thorough = problem.read, problem.request.thorough
    if not read.data:
        raise DataError(
            f"How alike neighbours are goes with their distance in x, and {read} names no x.", Fault.UNAVAILABLE
        )
    order = np.argsort(first.x, kind="stable")
    gaps = np.diff(first.x[order])
    if (gaps <= 0).any():
        place = int(np.argmax(gaps <= 0))
        rows = np.flatnonzero(first.rows_in_use)[order[place : place + 2]] + 1
        raise DataError(
            f"How alike neighbours are goes with their distance in x, and {name_rows(sorted(rows.tolist()))} have the same x.",
            Fault.BAD_ROWS,
        )
    check_rows(first, "how alike neighbours are")
    steps_apart = gaps / gaps.mean()
    phi, at, steps, more, turns = -1.0, alike.at(c, None), 0, 0, 0
    before, (most, same, still) = phi, (MOST_TURNS, SAME, STILL) if thorough else (FEW_TURNS, NEARLY, ROUGH)
    while turns < most and (turns < 2 or abs(phi - before) > same):
        turns += 1
        mu, slopes = alike.raw(c)
        before, phi = phi, likeliest(partial(_figure, alike.y - mu, _span(slopes), order, steps_apart), MOST)
        alike.whiten, _ = _along(phi, order, steps_apart)
        c, at, more = least(alike, c, alike.free, problem.limits, still)
        steps += more
    of_phi = partial(_figure, alike.y - at.mu, _span(alike.raw(c)[1]), order, steps_apart)
    memory = Memory(
        phi=phi,
        distance=-float(gaps.mean()) / math.log(phi) if phi > 0 else 0.0,
        p=none_after_all(of_phi, phi),
    )
    log_det = _along(phi, order, steps_apart)[1]
    ended = not thorough or (turns < most and more < MOST_STEPS)
    result = _result(first, read, alike, c, at, (steps, ended), False, log_det, memory, None)
    if not thorough or result.covariance is None:
        return result
    mu, slopes = alike.raw(c)

    def even(share: float) -> tuple[Array, Array, float]:
        whiten, log_det = _along(share, order, steps_apart)
        return whiten(slopes), whiten(alike.y - mu), log_det

    wider = over_shares(even, even_shares(MOST))
    result = replace(result, own_remarks=(*result.own_remarks, *_doubts(result.n, phi)))
    return result if wider is None else with_covariance(result, wider)


def _doubts(n: int, phi: float) -> list[Remark]:
    """Return what so few rows, or a correlation at its end, leave open."""
    out = []
    if phi > END:
        out.append(Remark(RemarkKind.ALIKE_TO_THE_END, figures=(phi,)))
    elif n <= FEW or (n <= NOT_MANY and phi > MUCH_ALIKE):
        out.append(Remark(RemarkKind.HARDLY_TOLD, ("how alike neighbours are",), figures=(n, HELD)))
    return out


def _along(phi: float, order: Rows, steps_apart: Array) -> Whitening:
    """Return what whitens rows in an order whose neighbours are so many mean distances apart."""
    rho = phi**steps_apart if phi > 0 else np.zeros(len(steps_apart))
    rest = np.sqrt(1 - rho**2)

    def whiten(rows: Array) -> Array:
        sorted_rows = rows[order]
        shape = (-1,) + (1,) * (rows.ndim - 1)
        later = (sorted_rows[1:] - rho.reshape(shape) * sorted_rows[:-1]) / rest.reshape(shape)
        out = np.empty_like(sorted_rows)
        # Each in the place of its row.
        out[order] = np.concatenate([sorted_rows[:1], later])
        return out

    return whiten, 2 * float(np.log(rest).sum())


def _span(slopes: Array) -> Array:
    """Return vectors (n, rank) that span the slopes; what correlates the rows changes no rank."""
    size = np.linalg.norm(slopes, axis=0)
    u, s, _ = np.linalg.svd(slopes / np.where(size > 0, size, 1.0), full_matrices=False)
    return np.asarray(u[:, s > DEPENDENT * max(float(s[0]), 1e-300)]) if len(s) else slopes


def _figure(residual: Array, slopes: Array, order: Rows, steps_apart: Array, phi: float) -> float:
    """Return what is made least, see restricted.py."""
    whiten, log_det = _along(phi, order, steps_apart)
    return figure(whiten(slopes), whiten(residual), log_det)


def _result(
    first: FitResult,
    read: Formula,
    problem: _AlikeRows,
    c: Array,
    at: Point,
    went: tuple[int, bool],
    absolute: bool,
    log_det: float,
    memory: Memory | None,
    spread: Array | None,
) -> FitResult:
    """Return the result: the ordinary one with all that the correlation changes; ``went`` are steps, and whether they ended."""
    n, p = at.jacobian.shape
    freedom = n - p
    q, r = np.linalg.qr(at.jacobian)
    scatter = math.sqrt(at.squares / freedom) if freedom > 0 else None
    unit = 1.0 if absolute else scatter
    covariance = _covariance(r, unit)
    interval_freedom = math.inf if absolute else float(max(freedom, 0))
    coefficients = _coefficients(first, problem, c, covariance, interval_freedom)
    curve = _curve(first, read, coefficients, problem.free, (covariance, unit, interval_freedom), spread)
    more: dict[str, Any] = {} if spread is None else {"sigma": spread, "weighted": True}
    return replace(
        first,
        coefficients=coefficients,
        given_curve=curve,
        method=FitMethod.CORRELATED,
        status=Status.CONVERGED if went[1] else Status.NOT_CONVERGED,
        trace=replace(first.trace, iterations=went[0], search=None, beside=None),
        degrees_of_freedom=freedom,
        sum_of_squares=at.squares,
        residuals=first.y - at.mu,
        details=Correlated(at.residual, log_det, memory),
        residual_sd=scatter,
        covariance=covariance,
        absolute_sigma=absolute,
        basis=lambda: q,
        leverages=lambda: np.minimum(np.einsum("ij,ij->i", q, q), 1.0),
        total=partial(_total, problem.whiten(first.y), problem.whiten(np.ones(n))),
        **more,
    )


def _covariance(root: Array, unit: float | None) -> Array | None:
    """Return the covariance that follows from R of the slopes, or None where coefficients cannot be told apart."""
    size = np.abs(np.diag(root))
    if unit is None or not np.isfinite(root).all() or not len(size) or size.min() <= DEPENDENT * size.max():
        return None
    inverse = solve_triangular(root, np.eye(len(root)))
    return np.asarray(inverse @ inverse.T * unit**2)


def _coefficients(
    first: FitResult, problem: _AlikeRows, c: Array, covariance: Array | None, freedom: float
) -> dict[str, Coefficient]:
    out = dict(first.coefficients)
    for place, (name, value) in enumerate(zip(problem.free, c.tolist(), strict=True)):
        out[name] = Coefficient(name, value)
        if covariance is not None:
            out[name] = with_error(name, value, float(covariance[place, place]), freedom, first.level)
    return out


def _curve(
    first: FitResult,
    read: Formula,
    coefficients: Mapping[str, Coefficient],
    free: tuple[str, ...],
    known: tuple[Array | None, float | None, float],
    spread: Array | None,
) -> FormulaCurve | None:
    """Return the curve over the one column of the formula; ``known`` are its covariance, scatter and freedom."""
    if len(read.data) != 1 or first.given_curve is None:
        return None
    values = {name: coefficient.value for name, coefficient in coefficients.items()}
    row = 1.0 if spread is None else float(spread[0]) if np.ptp(spread) <= 1e-12 * spread.max() else None
    covariance, unit, freedom = known
    return FormulaCurve(
        read.right, read.data[0], values, free, covariance, first.given_curve.span, unit, freedom, row
    )


def _total(y: Array, ones: Array, with_constant: bool) -> float:
    """Return the sum of squares of whitened y about their mean, which goes with whitened ones, or about zero."""
    middle = float(ones @ y / (ones @ ones)) if with_constant else 0.0
    return float(np.sum((y - middle * ones) ** 2))
