"""From the answer of a search to everything that is reported of it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import joint_quantile
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.linear.linear_result import (
    check_variances,
    holds_constant,
    of_rows,
    total_squares,
    with_error,
)
from vettore.core.fitting.prepared import Prepared
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Alternative, Search, Status, Stop, Trace
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.fitting.rows import Rows
from vettore.core.fitting.search.at_limits import ranges_at_limits
from vettore.core.fitting.search.out_of_range import not_apart, out_of_range
from vettore.core.fitting.search.polish import CONVERGED, Polished
from vettore.core.fitting.search.robust import WEIGHTED_DOWN, Forgiven
from vettore.core.fitting.search.separable import Separable
from vettore.core.remarks import Remark, RemarkKind

# Residuals this small beside y are rounding, whatever the gradient.
ONLY_ROUNDING = 1e-24
# A share of a direction in which nothing changes that makes a coefficient part of it.
TAKES_PART = 0.1
# Of more rows ranges are not walked for when a coefficient is at its limit.
MOST_ROWS_WALKED = 200_000
# Nor where rows, times coefficients thrice, are more than this: each side of each takes fits of all the others.
MOST_WALKED = 6_000_000


@dataclass(frozen=True)
class Solved:
    """An answer, the way to it, and what is to be said of the search; ``forgiven`` for a robust loss."""

    answer: Polished
    path: tuple[Stop, ...]
    search: Search
    forgiven: Forgiven | None = None


def nonlinear_result(
    problem: Problem,
    separable: Separable,
    solved: Solved,
    beside: Callable[[FitResult], Alternative | None] | None = None,
) -> FitResult:
    """Return the full result; ``beside`` looks for a better one, see ``FitResult.better``."""
    request, model, (rows, used) = problem.request, separable.model, problem.chosen
    read, answer, forgiven = problem.read, solved.answer, solved.forgiven
    values = dict(zip(model.free, [*answer.c.tolist(), *answer.alpha.tolist()], strict=True))
    free = answer.free.tolist()
    n, freedom = len(rows.y), len(rows.y) - sum(free)
    residuals = answer.residual if forgiven is None else separable.joint(answer.alpha, answer.c)[0]
    squares = float(residuals @ residuals)
    if not math.isfinite(squares) or not all(map(math.isfinite, values.values())):
        raise out_of_range(separable)
    scatter, variance = _scatter(squares, freedom, forgiven, request.absolute_sigma)
    interval_freedom = math.inf if request.absolute_sigma else float(max(freedom, 0))
    known = [i for i in model.order if free[i]]
    at_limit = tuple(model.free[i] for i in model.order if not free[i])
    covariance = _covariance(separable, solved, variance, known)
    names = tuple(model.free[i] for i in known)
    converged = answer.gradient < CONVERGED or squares <= ONLY_ROUNDING * float(separable.y @ separable.y)
    if separable.root_weights is not None:
        residuals = residuals / np.where(separable.root_weights > 0, separable.root_weights, 1.0)
    curve = None
    if len(read.data) == 1:
        x, everything = used[read.data[0]], {**values, **problem.held}
        span, unit = (float(x.min()), float(x.max())), 1.0 if request.absolute_sigma else scatter
        more = (names, covariance, span, unit, interval_freedom, rows.common_sigma)
        curve = FormulaCurve(read.right, read.data[0], everything, *more)
    coefficients = _coefficients(problem, values, names, at_limit, covariance, interval_freedom)
    remarks = [*rows.remarks, *solved.search.remarks, *_remarks(model, answer, separable, at_limit, n, freedom)]
    if at_limit and covariance is not None and variance and interval_freedom >= 1 and problem.by_squares:
        # A first look needs none, and refits of very many rows would take as long as the fit again and again.
        walked = request.thorough and n <= MOST_ROWS_WALKED and n * len(names) ** 3 <= MOST_WALKED
        if walked:
            reach = joint_quantile(request.level, 1 + len(at_limit), interval_freedom)
            ranges = ranges_at_limits(separable, values, squares, reach, variance)
            coefficients = {
                name: replace(coefficient, low=ranges[name][0], high=ranges[name][1])
                if name in ranges
                else coefficient
                for name, coefficient in coefficients.items()
            }
        remarks.append(Remark(RemarkKind.RESTS_ON_LIMIT, names, figures=(1.0,) if walked else ()))
    return FitResult(
        coefficients=coefficients,
        given_curve=curve,
        formula=str(read),
        left=read.left_text,
        method=FitMethod.NONLINEAR if problem.by_squares else FitMethod[request.loss.upper()],
        status=Status.CONVERGED if converged else Status.NOT_CONVERGED,
        own_remarks=tuple(remarks),
        n=n,
        degrees_of_freedom=freedom,
        sum_of_squares=squares,
        total=lambda with_constant: total_squares(rows, with_constant, exact=False),
        constant=partial(_has_constant, model, separable, answer, known),
        residual_sd=scatter,
        covariance=covariance,
        residuals=residuals,
        leverages=lambda: np.minimum(answer.leverage(), 1.0),
        basis=partial(_basis, separable, answer),
        **of_rows(rows),
        weighted_down=_weighted_down(rows, forgiven),
        level=request.level,
        loss=request.loss,
        absolute_sigma=request.absolute_sigma,
        trace=Trace(len(solved.path) - 1, solved.search, answer.gradient, solved.path, model.free, beside),
        fitted_names=names,
        transformed=read.transformed,
    )


def _covariance(problem: Separable, solved: Solved, variance: float | None, known: list[int]) -> Array | None:
    """Return the covariance of the free coefficients, in the order of the formula; None where nothing can be said of it."""
    answer, free = solved.answer, solved.answer.free.tolist()
    if variance is None or answer.singular:
        return None
    # R⁻¹ has lines for the free coefficients only.
    root = answer.inverse_root[[sum(free[:i]) for i in known]]
    covariance = np.asarray(root @ root.T * variance, dtype=np.float64)
    if variance:
        check_variances(np.diag(covariance))
    if solved.forgiven is not None:
        return _robust_covariance(problem, answer, variance, known)
    return covariance


def _has_constant(model: Prepared, problem: Separable, answer: Polished, known: list[int]) -> bool:
    """Whether a term is the same in every row, or else the constant is a mixture of the derivatives."""
    if model.constant and answer.free.all():
        return True
    with np.errstate(all="ignore"):
        jacobian = problem.joint(answer.alpha, answer.c)[1][known].T
    return holds_constant(jacobian, problem.root_weights)


def _basis(problem: Separable, answer: Polished) -> Array:
    """Return orthonormal columns (n, m) that span the derivatives by the free coefficients."""
    with np.errstate(all="ignore"):
        jacobian = problem.joint(answer.alpha, answer.c)[1][np.flatnonzero(answer.free)]
    return np.asarray(np.linalg.qr(np.where(np.isfinite(jacobian), jacobian, 0.0).T)[0], dtype=np.float64)


def _weighted_down(rows: Rows, forgiven: Forgiven | None) -> tuple[int, ...]:
    """Return the rows, counted from 1, that a robust loss gives little say."""
    if forgiven is None:
        return ()
    return tuple((np.flatnonzero(rows.in_use)[forgiven.weights < WEIGHTED_DOWN] + 1).tolist())


def _scatter(
    squares: float, freedom: int, forgiven: Forgiven | None, absolute: bool
) -> tuple[float | None, float | None]:
    """Return the standard deviation of one residual, and the variance that goes with (JᵀJ)⁻¹."""
    if forgiven is not None:
        usable = freedom > 0 and math.isfinite(forgiven.variance)
        return (forgiven.scale, forgiven.variance) if usable else (None, None)
    scatter = math.sqrt(squares / freedom) if freedom > 0 else None
    if absolute:
        return scatter, 1.0
    return scatter, None if scatter is None else scatter**2


def _robust_covariance(problem: Separable, answer: Polished, variance: float, known: list[int]) -> Array:
    """Return the covariance from the Jacobian without the weights of the loss."""
    jacobian = problem.joint(answer.alpha, answer.c)[1][known].T
    inverse = np.linalg.pinv(jacobian)
    return np.asarray(inverse @ inverse.T * variance, dtype=np.float64)


def _remarks(
    model: Prepared, answer: Polished, problem: Separable, at_limit: tuple[str, ...], n: int, freedom: int
) -> list[Remark]:
    out = []
    if answer.singular:
        out.append(_what_cannot_be_known(model, answer, problem))
    for name in at_limit:
        out.append(Remark(RemarkKind.AT_LIMIT, (name,)))
    if freedom <= 0:
        out.append(Remark(RemarkKind.TOO_FEW_ROWS, figures=(n, len(model.free))))
    return out


def _what_cannot_be_known(model: Prepared, answer: Polished, problem: Separable) -> Remark:
    """Name the coefficients along which the curve does not change."""
    same = not_apart(problem)
    if same:
        return Remark(RemarkKind.NOT_APART, same)
    jacobian = problem.joint(answer.alpha, answer.c)[1].T
    size = np.linalg.norm(jacobian, axis=0)
    still = [name for name, length in zip(model.free, size, strict=True) if length <= 0 or not np.isfinite(length)]
    if still:
        return Remark(RemarkKind.NO_EFFECT, tuple(still))
    flat = np.linalg.svd(jacobian / size, full_matrices=False)[2][-1]
    part = tuple(name for name, share in zip(model.free, flat, strict=True) if abs(share) > TAKES_PART)
    return Remark(RemarkKind.NOT_APART, part)


def _coefficients(
    problem: Problem,
    values: Mapping[str, float],
    names: tuple[str, ...],
    at_limit: tuple[str, ...],
    covariance: Array | None,
    freedom: float,
) -> dict[str, Coefficient]:
    out = {}
    for name in problem.read.coefficients:
        if name in problem.held:
            out[name] = Coefficient(name, float(problem.held[name]), held=True)
        elif name in at_limit:
            out[name] = Coefficient(name, values[name], at_limit=True)
        elif covariance is None or freedom < 1:
            out[name] = Coefficient(name, values[name])
        else:
            i = names.index(name)
            out[name] = with_error(name, values[name], float(covariance[i, i]), freedom, problem.request.level)
    return out
