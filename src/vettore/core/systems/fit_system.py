"""Fitting several equations at once: measured columns that share coefficients, and states that follow rates."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.limits import Limits
from vettore.core.fitting.linear.linear_result import with_error
from vettore.core.fitting.request import DEFAULT_SEED
from vettore.core.frames import as_columns
from vettore.core.remarks import Remark, RemarkKind
from vettore.core.systems.columns import Given, under_one
from vettore.core.systems.problem import Errors, Predicted, SystemProblem, errors_of, problem_of, starts_of
from vettore.core.systems.ranges import allowed_rises, bent, by_likelihood
from vettore.core.systems.read import read_system
from vettore.core.systems.result import SystemFit
from vettore.core.systems.search import RoundEnd, SystemOutcome, search
from vettore.core.systems.shares import ColumnShares, column_shares, common_shares
from vettore.core.systems.untold import PART, Untold, untold, weak_directions
from vettore.core.systems.weights import weighted

# Neighbouring residuals so much alike, and beyond chance by so many standard errors, tell of a shape that is missed.
ALIKE, NO_CHANCE = 0.4, 4.0
# Residuals this small beside a column are rounding.
ONLY_ROUNDING = 1e-9


def fit_system(
    equations: str,
    data: Given,
    *,
    over: str | None = None,
    sigma: Mapping[str, Values | float] | Values | float | None = None,
    noise: str = Errors.APART,
    absolute_sigma: bool = False,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    thorough: bool = True,
    stopped: Callable[[], bool] | None = None,
) -> SystemFit:
    """Fit several equations to columns of shape (n,); no starting values are needed.

    ``equations`` stand one a line or are parted by semicolons: rates (``A' = -k*A``, ``dA/dt = …``, ``x'' = …``) with initial
    values (``A(0) = A0``), reactions (``A + B <=> C ; kf, kr``), jumps (``A jumps by D at t = 30``), and what measured columns
    show (``signal = e*A``); a state with the name of a column is measured itself. ``over`` is the column that runs: t or time
    where none is named. Coefficients of one name are common.
    A column may be given as a pair (times, values), with times of its own; then all are.
    Columns have scatters of their own, told by the rows, or known as ``sigma`` by column, whose sizes count as they are with
    ``absolute_sigma`` and beside each other without. A row without a number in one column counts in the others. With
    ``start`` for all coefficients the search begins there alone. Without ``thorough`` a few rounds decide, and ranges follow
    from the ± alone: for a first look at many systems. ``stopped()`` is asked now and then and may end the search.
    With ``noise`` "together" the errors of a row's columns go together, as the rows tell (determinant criterion).
    Ranges follow from the ± where the likelihood is a parabola, and from the likelihood itself where it is not. Rates are
    solved by a library, their slopes by the coefficients with them.
    Raises FormulaError or DataError.

    >>> from vettore import core
    >>> t = [0, 1, 2, 4, 7, 11]
    >>> a, b = [2.02, 1.47, 1.11, 0.6, 0.25, 0.07], [0.01, 0.54, 0.9, 1.41, 1.75, 1.92]
    >>> fit = core.fit_system("A -> B ; k; A(0) = A0; B(0) = 0", {"t": t, "A": a, "B": b})
    >>> f"{fit.coefficients['k'].value:.3f}"
    '0.301'
    """
    check_level(level)
    if absolute_sigma and sigma is None:
        raise DataError("absolute_sigma needs sigma: give the standard deviations of the columns.", Fault.MISSING)
    columns, over = under_one(as_columns(data), over)
    system = read_system(equations, columns, over)
    problem = problem_of(system, columns, sigma, hold, limits, stopped, errors_of(noise, sigma is not None))
    outcome = search(problem, starts_of(problem, start), seed, thorough)
    return _result(problem, outcome, level, absolute_sigma, thorough)


def _result(
    problem: SystemProblem, outcome: SystemOutcome, level: float, absolute: bool, thorough: bool
) -> SystemFit:
    best, m = outcome.best, len(problem.free)
    freedom = problem.n - m
    r, table = weighted(problem, best.predicted, best.scatter)
    base, apart = covariance_of(table, 1.0)
    unknown = [name for name, is_so in zip(problem.free, apart, strict=True) if is_so]
    shares = None if base is None else _shares(problem, base, table, float(r @ r), absolute)
    coefficients = coefficients_of(problem, best.p, shares, level)
    others = () if unknown else tuple(problem.values_of(other.p) for other in outcome.others)
    blind = untold(problem, best, table, unknown) if unknown else None
    remarks = _remarks(problem, outcome, coefficients, blind, others)
    if thorough and not unknown and freedom >= 1 and not any(entry.at_limit for entry in coefficients.values()):
        coefficients, by = _with_likelihood(problem, best, coefficients, shares, level)
        remarks += (Remark(RemarkKind.RANGES_BENT, names=by),) if by else ()
    larger = shares.larger if shares is not None else (problem.n / freedom,) * len(problem.parts)
    scatters = scatters_of(problem, best.predicted, larger)
    return SystemFit(
        problem,
        best,
        coefficients,
        None if shares is None else shares.covariance,
        freedom,
        scatters,
        others,
        remarks,
        level,
    )


def _shares(problem: SystemProblem, base: Array, table: Array, squares: float, absolute: bool) -> ColumnShares:
    """Return what is known of the coefficients: scatters that the rows tell are each column's own."""
    freedom = problem.n - len(problem.free)
    sizes = tuple(len(part.y) for part in problem.parts)
    if all(part.sigma is None for part in problem.parts) and not problem.together:
        return column_shares(table, sizes, base)
    known = any(part.sigma is not None for part in problem.parts)
    variance = 1.0 if absolute else squares / freedom if known else problem.n / freedom
    return common_shares(base, variance, np.inf if absolute else freedom, problem.n, len(sizes))


def scatters_of(problem: SystemProblem, predicted: Predicted, larger: Sequence[float]) -> dict[str, float]:
    """Return the standard deviation of each column about its curve; ``larger`` gives back what the coefficients took."""
    return {
        part.measured.name: float(np.sqrt(np.mean((part.y - value) ** 2) * by))
        for part, value, by in zip(problem.parts, predicted.values, larger, strict=True)
    }


def coefficients_of(
    problem: SystemProblem, p: Array, shares: ColumnShares | None, level: float
) -> dict[str, Coefficient]:
    """Return the coefficients of a system with their ±, where it is known."""
    out = {}
    for name in problem.system.coefficients:
        if name in problem.held:
            out[name] = Coefficient(name, problem.held[name], held=True)
            continue
        i = problem.free.index(name)
        value = float(p[i])
        if value in (problem.low[i], problem.high[i]):
            out[name] = Coefficient(name, value, at_limit=True)
        elif shares is None:
            out[name] = Coefficient(name, value)
        else:
            out[name] = with_error(name, value, float(shares.covariance[i, i]), float(shares.freedom[i]), level)
    return out


def _with_likelihood(
    problem: SystemProblem,
    best: RoundEnd,
    coefficients: Mapping[str, Coefficient],
    shares: ColumnShares | None,
    level: float,
) -> tuple[dict[str, Coefficient], tuple[str, ...]]:
    """Return the coefficients with ranges of the likelihood where those by the ± are not, and which these are."""
    if shares is None or _is_exact(problem, best):
        return dict(coefficients), ()
    rises = allowed_rises(problem, best, shares, level)
    if not (rises > 0).all():
        return dict(coefficients), ()
    reaches = np.array([t_quantile(level, float(freedom)) for freedom in shares.freedom])
    names = bent(problem, best, shares.covariance, reaches, rises)
    ranges = by_likelihood(problem, best, shares.covariance, names, reaches, rises)
    changed = {name: replace(coefficients[name], low=low, high=high) for name, (low, high) in ranges.items()}
    return {**coefficients, **changed}, names


def _is_exact(problem: SystemProblem, best: RoundEnd) -> bool:
    """Whether some column is met to rounding, so that no likelihood can rise in it."""
    pairs = zip(problem.parts, best.predicted.values, strict=True)
    return any(np.abs(part.y - value).max() <= ONLY_ROUNDING * np.abs(part.y).max() for part, value in pairs)


def _remarks(
    problem: SystemProblem,
    outcome: SystemOutcome,
    coefficients: Mapping[str, Coefficient],
    blind: Untold | None,
    others: Sequence[Mapping[str, float]],
) -> tuple[Remark, ...]:
    """Return what is to be said: what the rows cannot tell, limits, other answers, how sure the search is."""
    out = list(problem.remarks)
    if blind is not None:
        kind = RemarkKind.NOT_APART if len(blind.names) > 1 else RemarkKind.NO_EFFECT
        out.append(Remark(kind, names=blind.names, figures=blind.changes))
        out += [Remark(RemarkKind.WOULD_TELL, names=blind.states)] if blind.states else []
    out += [Remark(RemarkKind.AT_LIMIT, names=(name,)) for name, entry in coefficients.items() if entry.at_limit]
    out += [Remark(RemarkKind.AS_GOOD, names=tuple(other), figures=tuple(other.values())) for other in others]
    if outcome.agree < 2 and outcome.rounds > 1:
        out.append(Remark(RemarkKind.FEW_ROUNDS_AGREE, figures=(outcome.agree, outcome.rounds)))
    for part, value in zip(problem.parts, outcome.best.predicted.values, strict=True):
        alike = _alike(problem.times[part.places], part.y, value)
        if alike * math.sqrt(len(part.y)) > NO_CHANCE and alike > ALIKE:
            out.append(Remark(RemarkKind.MISSES_SHAPE, names=(part.measured.name,), figures=(alike,)))
    out += [Remark(RemarkKind.LIKE_A_COLUMN, names=pair) for pair in problem.system.like_columns.items()]
    return tuple(out)


def _alike(time: Array, y: Array, value: Array) -> float:
    """Return the correlation of residuals with the next ones in time; 0 where they are no more than rounding."""
    rest = (y - value)[np.argsort(time, kind="stable")]
    squares = float(rest @ rest)
    rounding = ONLY_ROUNDING * float(np.abs(y).max(initial=0.0))
    return float(rest[1:] @ rest[:-1]) / squares if squares > len(rest) * rounding**2 else 0.0


def covariance_of(table: Array, variance: float) -> tuple[Array | None, list[bool]]:
    """Return the covariance (m, m), and which coefficients the rows say nothing of, alone or together."""
    m = table.shape[1]
    if not m:
        return np.empty((0, 0)), []
    sizes, weak = weak_directions(table)
    empty = ~(sizes > 0)
    if len(weak) or empty.any():
        part = np.abs(weak).max(axis=0, initial=0.0) > PART
        return None, (part | empty).tolist()
    _, values, directions = np.linalg.svd(table / sizes, full_matrices=False)
    inner = directions.T / values
    return np.asarray(inner @ inner.T / np.outer(sizes, sizes) * variance), [False] * m
