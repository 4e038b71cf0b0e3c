"""Fit any formula: its linear coefficients projected out, the others searched for, all polished together."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from vettore.core.arrays import Array, check_range
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Alternative, Search
from vettore.core.fitting.request import SQUARES, FitRequest
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.search.blockwise import refine
from vettore.core.fitting.search.canonical import canonical, with_mirrors
from vettore.core.fitting.search.levenberg import MOST_STEPS, Reached, search_to_end
from vettore.core.fitting.search.nonlinear_result import Solved, nonlinear_result
from vettore.core.fitting.search.out_of_range import no_finite_value
from vettore.core.fitting.search.polish import CONVERGED, polish
from vettore.core.fitting.search.robust import forgive
from vettore.core.fitting.search.separable import Separable
from vettore.core.fitting.search.starts import AGREE, MOST_ROUNDS, SearchOutcome, agreed_estimate, find
from vettore.core.fitting.search.thin import thinned
from vettore.core.remarks import Remark, RemarkKind

# Above this many rows the search looks at a thinning, and the rows are then taken in blocks.
LARGE, LARGE_FROM_START = 20_000, 4_000
# A thinning keeps so many rows, and once an answer is found on them one in so many.
THIN_ROWS, THIN_FROM_START, THIN_SHARE = 8_000, 1_000, 64
# For a first look so many rows are searched, and so many steps taken on all rows.
FIRST_LOOK_ROWS, FIRST_LOOK_STEPS = 1_000, 4
# A sum of squares below this share of another is clearly better; so many rows are searched for it.
CLEARLY, LOOKED_AT = 0.99, 2_000
# From one start alone no answers are to be compared, so that the polish, whose steps are shorter work, may begin early.
NEARLY_THERE = 1e-2


def fit_nonlinear(problem: Problem) -> FitResult:
    """Return the fit of any formula with a measured column: by projection, search and polish. Raises DataError."""
    model, request = problem.model, problem.request
    read = problem.read
    if read.left is None:
        raise DataError(
            "The formula names no measured column. Write it before an =, as in y = a + b*x.", Fault.MISSING
        )
    if not model.free:
        raise DataError("There is no coefficient to fit: every name is a column or is held.", Fault.NOTHING)
    rows, used = problem.chosen
    for name, column in used.items():
        check_range(column, name)
    if len(rows.y) < len(model.free):
        raise DataError(
            f"{read} has {len(model.free)} coefficients, but only {len(rows.y)} rows are in use.", Fault.TOO_FEW
        )
    given: dict[str, Array | float] = {**{name: used[name] for name in read.data}, **problem.held}
    root = None if rows.weights is None else np.sqrt(rows.weights.high)
    separable = Separable(model, given, rows.y, root, problem.limits)
    started = any(name in problem.start for name in model.parts.nonlinear)
    beside = partial(_look_beside, separable, request) if started else None
    with np.errstate(all="ignore"):
        solved = _solve(separable, problem)
        if request.thorough and problem.by_squares:
            solved = replace(solved, search=with_mirrors(separable, solved.answer, solved.search))
        return nonlinear_result(problem, separable, solved, beside)


def _look_beside(problem: Separable, request: FitRequest, result: FitResult) -> Alternative | None:
    """Return a clearly better answer than that of the start that was given, from one round without it."""
    searched = thinned(problem, LOOKED_AT) if problem.n > LOOKED_AT else problem
    with np.errstate(all="ignore"):
        results = find(searched, request.seed, rounds=1)
        reached = None if results is None else results.best
        if reached is not None and searched is not problem:
            reached = search_to_end(problem, reached.alpha)
        if reached is None:
            return None
        reached = canonical(problem, reached)
        squares, scale = reached.projected.squares, None
        own, other = result.sum_of_squares, squares
        if request.loss != SQUARES:
            forgiven = forgive(problem, reached, request.loss, len(problem.model.free))
            reached, scale = forgiven.reached, forgiven.scale
            residual = problem.joint(reached.alpha, reached.projected.c)[0]
            squares, own, other = float(residual @ residual), result.residual_sd or 0.0, scale
    if not other < CLEARLY * own or result.exact:
        return None
    values = np.concatenate([reached.projected.c, reached.alpha])
    return Alternative(dict(zip(problem.model.free, map(float, values), strict=True)), squares, scale)


def _solve(separable: Separable, problem: Problem) -> Solved:
    request = problem.request
    searched = separable
    started = all(name in problem.start for name in separable.parts.nonlinear)
    if separable.n > (LARGE if not started else LARGE_FROM_START):
        enough = THIN_FROM_START if started else THIN_ROWS
        searched = thinned(separable, enough if request.thorough else FIRST_LOOK_ROWS)
    reached, search = _search(searched, problem)
    if (
        reached is not None
        and searched is not separable
        and request.thorough
        and separable.n // THIN_SHARE > searched.n
    ):
        # So near that a few passes over all rows end it.
        searched = thinned(separable, separable.n // THIN_SHARE)
        reached = search_to_end(searched, reached.alpha, nearly=NEARLY_THERE) or reached
    if reached is None:
        raise no_finite_value(separable)
    if searched is not separable:
        if problem.by_squares and not problem.limits:
            answer = refine(separable, reached, searched)
            if answer is not None:
                return Solved(answer, reached.path, search)
        most = MOST_STEPS if request.thorough else FIRST_LOOK_STEPS
        reached = search_to_end(separable, reached.alpha, most) or reached
    if not problem.by_squares:
        forgiven = forgive(separable, reached, request.loss, len(separable.model.free))
        return Solved(polish(forgiven.problem, forgiven.reached), reached.path, search, forgiven)
    answer = polish(separable, reached)
    if answer.gradient > CONVERGED and request.thorough:
        # Where the polish cannot help, as with coefficients that cannot be search apart, the search goes on to its end.
        reached = search_to_end(separable, reached.alpha, MOST_STEPS, CONVERGED / 10) or reached
        answer = polish(separable, reached)
    return Solved(answer, reached.path, search)


def _search(separable: Separable, problem: Problem) -> tuple[Reached | None, Search]:
    """Return where the search ended in its customary form, and what is to be said of it."""
    names, request = separable.parts.nonlinear, problem.request
    remarks: tuple[Remark, ...] = ()
    if all(name in problem.start for name in names):
        start = np.array([float(problem.start[name]) for name in names])
        reached = search_to_end(separable, start, nearly=NEARLY_THERE)
        if reached is not None:
            return canonical(separable, reached), Search(1)
        remarks = (Remark(RemarkKind.START_WITHOUT_VALUE),)
    first: list[Array] = []
    if request.estimate is not None:
        columns = {name: np.asarray(separable.given[name]) for name in separable.model.formula.data}
        estimates = request.estimate(columns, separable.plain_y)
        first = [
            np.array([estimate[name] for name in names])
            for estimate in estimates
            if all(name in estimate for name in names)
        ]
        first = [array for array in first if np.isfinite(array).all()]
    if first and not problem.start:
        near = agreed_estimate(separable, first, request.thorough)
        if near is not None:
            return canonical(separable, near.best), Search(near.tried, near.agreed, near.rounds, "estimates")
    pinned = {} if remarks else {name: float(problem.start[name]) for name in names if name in problem.start}
    result: SearchOutcome | None = find(
        separable, request.seed, request.progress, pinned, first, MOST_ROUNDS if request.thorough else 1
    )
    if result is None:
        return None, Search(0)
    if request.thorough and result.agreed < min(AGREE, result.rounds):
        remarks = (*remarks, Remark(RemarkKind.FEW_ROUNDS_AGREE, figures=(result.agreed,)))
    others = tuple(
        Alternative(dict(zip(separable.model.free, map(float, values), strict=True)), squares)
        for squares, values in result.others
    )
    search = Search(result.tried, result.agreed, result.rounds, others=others, remarks=remarks, equal=result.equal)
    return canonical(separable, result.best), search
