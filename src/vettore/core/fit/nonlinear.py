"""Fit any formula: directly when it is linear in its coefficients, else by projection, search and polish."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError
from vettore.core.fit.formula_curve import FormulaCurve
from vettore.core.fit.levenberg import CONVERGED, Polished, polish, search_to_end
from vettore.core.fit.linear_result import correlation_of, total_squares, with_error
from vettore.core.fit.result import Coefficient, FitResult
from vettore.core.fit.rows import Rows
from vettore.core.fit.separable import Separable
from vettore.core.fit.starts import AGREE, Found, Progress, find
from vettore.core.fit.terms import check_held, fit_terms, pick_rows
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.linear import LinearParts, has_constant, linear_parts
from vettore.core.formula.tree import Name, Node, walk
from vettore.core.formula.write import to_text

DEFAULT_SEED = 1


def fit(
    formula: str,
    data: Mapping[str, Values],
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    sigma: Values | None = None,
    weights: Values | None = None,
    absolute_sigma: bool = False,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    progress: Progress | None = None,
) -> FitResult:
    """Fit a formula to columns of shape (n,) by least squares; no starting values are needed.

    ``start`` gives starting values to some or all nonlinear coefficients: with all of them the search begins there
    and only there. ``hold`` fixes coefficients. ``progress(round, sum of squares)`` is told of every round and may
    stop the search by returning True. The same seed gives the same answer. See fit_polynomial for the rest.

    Raises FormulaError or DataError for a request that cannot be met; not converging is a result with a status.
    """
    read = read_formula(formula, data)
    held = dict(hold or {})
    check_held(read, held)
    parts = linear_parts(read.right, read.coefficients, tuple(held))
    if not parts.nonlinear:
        return fit_terms(read, data, held, sigma, weights, absolute_sigma, level)
    if read.left is None:
        raise DataError("The formula names no measured column. Write it before an =, as in y = a + b*x.")
    unknown = [name for name in start or {} if name not in read.coefficients]
    if unknown:
        raise DataError(f"A start is given for {unknown[0]}, which is no coefficient of {read}.")
    rows, used = pick_rows(read, data, sigma, weights)
    count = len(parts.linear) + len(parts.nonlinear)
    if len(rows.y) < count:
        raise DataError(f"{read} has {count} coefficients, but only {len(rows.y)} rows are in use.")
    root = np.ones(len(rows.y)) if rows.weights is None else np.sqrt(rows.weights.high)
    problem = Separable(parts, {**{name: used[name] for name in read.data}, **held}, rows.y, root)
    with np.errstate(all="ignore"):
        found, tried, notes = _search(problem, read, dict(start or {}), seed, progress)
        if found is None:
            raise DataError(
                f"{read} has no finite value for any starting values tried. Check the formula and its signs."
            )
        answer = _canonical(problem, found)
        return _result(read, parts, rows, used, held, answer, (tried, notes), (absolute_sigma, level))


def _search(
    problem: Separable, read: Formula, start: Mapping[str, float], seed: int, progress: Progress | None
) -> tuple[Polished | None, int, tuple[str, ...]]:
    """Return the polished answer, the starts tried, and what is to be said of the search."""
    given = [name for name in problem.parts.nonlinear if name in start]
    if len(given) == len(problem.parts.nonlinear):
        last = search_to_end(problem, np.array([float(start[name]) for name in problem.parts.nonlinear]))
        if last is None:
            return None, 1, ()
        return polish(problem, last.alpha, last.projected.c), 1, ()
    found: Found | None = find(problem, read.right, read.data, seed, progress)
    if found is None:
        return None, 0, ()
    notes: tuple[str, ...] = ()
    if found.agreed < AGREE:
        words = "one round" if found.agreed == 1 else f"{found.agreed} rounds"
        notes = (f"Only {words} of the search reached this answer; other answers may fit as well.",)
    best = found.best
    return polish(problem, best.alpha, best.projected.c), found.tried, notes


def _canonical(problem: Separable, answer: Polished) -> Polished:
    """Of answers that fit equally, return the one with positive widths and like terms in rising order."""
    names = problem.parts.nonlinear
    here = problem.project(answer.alpha)
    if here is None:
        return answer
    # Exact data leave nothing but rounding, in which two equal answers still differ.
    allowed = 1e-9 * here.squares + 1e-22 * float(problem.y @ problem.y)
    alpha = answer.alpha.copy()
    for k in range(len(names)):
        if alpha[k] < 0:
            flipped = alpha.copy()
            flipped[k] = -flipped[k]
            there = problem.project(flipped)
            if there is not None and abs(there.squares - here.squares) <= allowed:
                alpha = flipped
    groups: dict[str, list[list[int]]] = {}
    for term in problem.parts.terms:
        places = [names.index(part.name) for part in walk(term) if isinstance(part, Name) and part.name in names]
        places = list(dict.fromkeys(places))
        groups.setdefault(_shape(term, names), []).append(places)
    for like in groups.values():
        if len(like) > 1 and like[0]:
            ordered = sorted((alpha[places] for places in like), key=lambda values: float(values[0]))
            for places, values in zip(like, [v.copy() for v in ordered], strict=True):
                alpha[places] = values
    if np.array_equal(alpha, answer.alpha):
        return answer
    there = problem.project(alpha)
    if there is None or there.squares > here.squares + allowed:
        return answer
    return polish(problem, alpha, there.c)


def _shape(term: Node, names: tuple[str, ...]) -> str:
    text = to_text(term)
    for name in sorted(names, key=len, reverse=True):
        text = text.replace(name, "·")
    return text


def _result(
    read: Formula,
    parts: LinearParts,
    rows: Rows,
    used: Mapping[str, Array],
    held: Mapping[str, float],
    answer: Polished,
    search_told: tuple[int, tuple[str, ...]],
    options: tuple[bool, float],
) -> FitResult:
    absolute, level = options
    free = (*parts.linear, *parts.nonlinear)
    values = dict(zip(free, [*answer.c.tolist(), *answer.alpha.tolist()], strict=True))
    order = [free.index(name) for name in read.coefficients if name in free]
    n, freedom = len(rows.y), len(rows.y) - len(free)
    squares = float(answer.residual @ answer.residual)
    scatter = 1.0 if absolute else math.sqrt(squares / freedom) if freedom > 0 else None
    known = scatter is not None and not answer.singular
    unit = answer.inverse_root @ answer.inverse_root.T
    covariance = unit[np.ix_(order, order)] * scatter**2 if known and scatter is not None else None
    converged = answer.gradient < CONVERGED or squares <= 1e-24 * float(rows.y @ rows.y)
    warnings = [*rows.warnings, *search_told[1]]
    if answer.singular:
        warnings.append("Some coefficients cannot be told apart here, so no uncertainty can be known.")
    if freedom <= 0:
        warnings.append(f"{n} rows for {len(free)} coefficients: no uncertainty can be known.")
    names = tuple(free[i] for i in order)
    with_constant = has_constant(parts, read.data)
    root = np.ones(n) if rows.weights is None else np.sqrt(rows.weights.high)
    residuals = answer.residual / np.where(root > 0, root, 1.0)
    basis = answer.jacobian @ answer.inverse_root
    curve = None
    if len(read.data) == 1:
        x = used[read.data[0]]
        span = (float(x.min()), float(x.max()))
        curve = FormulaCurve(
            read.right, read.data[0], {**values, **held}, names, covariance, span, scatter, max(freedom, 0)
        )
    return FitResult(
        coefficients=_coefficients(read, values, held, names, covariance, freedom, level),
        given_curve=curve,
        formula=str(read),
        method="nonlinear least squares",
        converged=converged,
        message=_message(converged, answer, search_told[0]),
        warnings=tuple(warnings),
        n=n,
        degrees_of_freedom=freedom,
        sum_of_squares=squares,
        total_sum_of_squares=total_squares(rows, with_constant),
        r_squared_against="mean" if with_constant else "zero",
        residual_sd=scatter,
        covariance=covariance,
        correlation=correlation_of(covariance),
        residuals=residuals,
        fitted=rows.y - residuals,
        leverage=np.clip(np.sum(basis**2, axis=1), 0.0, 1.0),
        x=rows.x if len(read.data) != 1 else used[read.data[0]],
        y=rows.y,
        rows_in_use=rows.in_use,
        left_out=rows.left_out,
        level=level,
        weighted=rows.weights is not None,
        starts_tried=search_told[0],
        has_constant=with_constant,
    )


def _message(converged: bool, answer: Polished, tried: int) -> str:
    starts = "one start" if tried == 1 else f"{tried} starts"
    if converged:
        return f"Converged from {starts}; the gradient is {answer.gradient:.0e} of the residuals."
    return f"Not converged from {starts}: the gradient is still {answer.gradient:.0e} of the residuals."


def _coefficients(
    read: Formula,
    values: Mapping[str, float],
    held: Mapping[str, float],
    names: tuple[str, ...],
    covariance: Array | None,
    freedom: int,
    level: float,
) -> dict[str, Coefficient]:
    out = {}
    for name in read.coefficients:
        if name in held:
            out[name] = Coefficient(name, float(held[name]), held=True)
            continue
        if covariance is None or freedom < 1:
            out[name] = Coefficient(name, values[name])
            continue
        i = names.index(name)
        out[name] = with_error(name, values[name], float(covariance[i, i]), freedom, level)
    return out
