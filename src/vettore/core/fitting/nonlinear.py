"""Fit any formula: directly when it is linear in its coefficients, else by projection, search and polish."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values, check_range
from vettore.core.errors import DataError, a_mapping
from vettore.core.fitting.asked import SQUARES, Options
from vettore.core.fitting.blockwise import refine
from vettore.core.fitting.canonical import canonical, with_mirrors
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.levenberg import MOST_STEPS, Reached, search_to_end
from vettore.core.fitting.limits import Limits, check_limits
from vettore.core.fitting.nonlinear_result import Solved, nonlinear_result
from vettore.core.fitting.out_of_range import no_finite_value
from vettore.core.fitting.polish import CONVERGED, polish
from vettore.core.fitting.prepared import misread, prepared, read_once
from vettore.core.fitting.record import Alternative, Search
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.robust import forgive
from vettore.core.fitting.rows import Rows
from vettore.core.fitting.separable import Separable
from vettore.core.fitting.starts import AGREE, MOST_ROUNDS, Found, agreed_estimate, find
from vettore.core.fitting.terms import check_count, check_held, check_start, fit_terms, pick_rows
from vettore.core.fitting.thin import thinned
from vettore.core.formula.formula import Formula
from vettore.core.remarks import Remark, RemarkKind

# Above this many rows the search looks at a thinning, and the rows are then taken in blocks.
LARGE, LARGE_FROM_START = 20_000, 4_000
# A thinning keeps so many rows, and once an answer is found on them one in so many.
THIN_ROWS, THIN_FROM_START, THIN_SHARE = 8_000, 1_000, 64
# For a first look so many rows are searched, and so many steps taken on all rows.
FIRST_LOOK_ROWS, FIRST_LOOK_STEPS = 1_000, 4
# A sum of squares below this share of another is clearly better; so many rows are searched for it.
UNKNOWN = (RemarkKind.NOT_APART, RemarkKind.NO_EFFECT, RemarkKind.DEPENDENT_TERM, RemarkKind.ZERO_TERM)
CLEARLY, LOOKED_AT = 0.99, 2_000
# From one start alone no answers are to be compared, so that the polish, whose steps are shorter work, may begin early.
NEARLY_THERE = 1e-2


def fit_plain(
    text: str,
    data: Mapping[str, Values],
    *,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    sigma: Sigma | None = None,
    weights: Values | None = None,
    **options: Any,
) -> FitResult:
    """Fit a formula by least squares, without steps and with a scatter of one kind; ``options`` are fields of Options.

    Other kinds of fits refit rows by it; see fit for the rest. Raises FormulaError or DataError.
    """
    asked = checked(text, data, Options(start or {}, hold or {}, {}, **options), (start, hold, limits), sigma)
    return with_doubts(least_squares(text, data, sigma, weights, asked), text, data, asked)


def checked(
    text: str,
    data: Mapping[str, Values],
    asked: Options,
    given: tuple[Mapping[str, float] | None, Mapping[str, float] | None, Limits | None],
    sigma: Sigma | None,
) -> Options:
    """Return the options with start, hold and limits, ``given``, looked at. Raises FormulaError or DataError."""
    start, hold, limits = given
    read = read_once(text, frozenset(data))
    held = a_mapping(hold, "Held coefficients", '{"C": 0.0}')
    check_held(read, held)
    check_count(read, data, held)
    bounds = check_limits(read, limits, held)
    begin = a_mapping(start, "Starts", '{"k": 0.1}')
    check_start(read, begin)
    asked = replace(asked, start=begin, held=held, limits=bounds)
    asked.check(sigma is not None)
    return asked


def least_squares(
    text: str, data: Mapping[str, Values], sigma: Sigma | None, weights: Values | None, asked: Options
) -> FitResult:
    """Return the fit by the shortest way that a formula allows, with options that were looked at."""
    if asked.loss == SQUARES and not prepared(text, data, asked.held).parts.nonlinear:
        read = read_once(text, frozenset(data))
        result = fit_terms(read, data, asked.held, sigma, weights, asked.absolute_sigma, asked.level)
        if result is not None and _inside(result, asked.limits):
            return result
    return _fit(text, data, sigma, weights, asked)


def with_doubts(result: FitResult, text: str, data: Mapping[str, Values], asked: Options) -> FitResult:
    """Return a result that says what in its formula may be meant otherwise; a model of the catalogue is written by us."""
    remarks = misread(text, frozenset(data)) if asked.estimate is None else ()
    doubtful = {name for remark in result.own_remarks if remark.kind in UNKNOWN for name in remark.names}
    # A coefficient called like a column that is used was meant for it only where it has nothing to tell: t/T is clear.
    remarks = tuple(one for one in remarks if one.kind is not RemarkKind.LIKE_A_COLUMN or one.names[0] in doubtful)
    own = result.own_remarks
    if doubtful:
        # Along these the curve stays the same, so that there are other answers without end.
        own = tuple(one for one in own if one.kind not in (RemarkKind.AS_GOOD, RemarkKind.FEW_ROUNDS_AGREE))
    return replace(result, own_remarks=(*remarks, *own)) if remarks or own != result.own_remarks else result


def _inside(result: FitResult, bounds: Mapping[str, tuple[float, float]]) -> bool:
    return all(low <= result.coefficients[name].value <= high for name, (low, high) in bounds.items())


def _fit(
    formula: str, data: Mapping[str, Values], sigma: Sigma | None, weights: Values | None, asked: Options
) -> FitResult:
    model = prepared(formula, data, asked.held, asked.limits)
    read = model.formula
    if read.left is None:
        raise DataError("The formula names no measured column. Write it before an =, as in y = a + b*x.")
    if not model.free:
        raise DataError("There is no coefficient to fit: every name is a column or is held.")
    rows, used = pick_rows(read, data, sigma, weights)
    for name, column in used.items():
        check_range(column, name)
    if len(rows.y) < len(model.free):
        raise DataError(f"{read} has {len(model.free)} coefficients, but only {len(rows.y)} rows are in use.")
    given: dict[str, Array | float] = {**{name: used[name] for name in read.data}, **asked.held}
    root = None if rows.weights is None else np.sqrt(rows.weights.high)
    problem = Separable(model, given, rows.y, root, asked.limits)
    started = any(name in asked.start for name in model.parts.nonlinear)
    beside = partial(_look_beside, problem, asked) if started else None
    with np.errstate(all="ignore"):
        solved = _solve(problem, read, rows, asked)
        if asked.thorough and asked.loss == SQUARES:
            solved = replace(solved, search=with_mirrors(problem, solved.answer, solved.search))
        return nonlinear_result(model, problem, rows, used, solved, asked, beside)


def _look_beside(problem: Separable, asked: Options, result: FitResult) -> Alternative | None:
    """Return a clearly better answer than that of the start that was given, from one round without it."""
    searched = thinned(problem, LOOKED_AT) if problem.n > LOOKED_AT else problem
    with np.errstate(all="ignore"):
        found = find(searched, asked.seed, rounds=1)
        reached = None if found is None else found.best
        if reached is not None and searched is not problem:
            reached = search_to_end(problem, reached.alpha)
        if reached is None:
            return None
        reached = canonical(problem, reached)
        squares, scale = reached.projected.squares, None
        own, other = result.sum_of_squares, squares
        if asked.loss != SQUARES:
            forgiven = forgive(problem, reached, asked.loss, len(problem.model.free))
            reached, scale = forgiven.reached, forgiven.scale
            residual = problem.joint(reached.alpha, reached.projected.c)[0]
            squares, own, other = float(residual @ residual), result.residual_sd or 0.0, scale
    if not other < CLEARLY * own or result.exact:
        return None
    values = np.concatenate([reached.projected.c, reached.alpha])
    return Alternative(dict(zip(problem.model.free, map(float, values), strict=True)), squares, scale)


def _solve(problem: Separable, read: Formula, rows: Rows, asked: Options) -> Solved:
    searched = problem
    started = all(name in asked.start for name in problem.parts.nonlinear)
    if problem.n > (LARGE if not started else LARGE_FROM_START):
        enough = THIN_FROM_START if started else THIN_ROWS
        searched = thinned(problem, enough if asked.thorough else FIRST_LOOK_ROWS)
    reached, told = _search(searched, rows, asked)
    if reached is not None and searched is not problem and asked.thorough and problem.n // THIN_SHARE > searched.n:
        # So near that a few passes over all rows end it.
        searched = thinned(problem, problem.n // THIN_SHARE)
        reached = search_to_end(searched, reached.alpha, nearly=NEARLY_THERE) or reached
    if reached is None:
        raise no_finite_value(problem)
    if searched is not problem:
        if asked.loss == SQUARES and not asked.limits:
            answer = refine(problem, reached, searched)
            if answer is not None:
                return Solved(answer, reached.path, told)
        most = MOST_STEPS if asked.thorough else FIRST_LOOK_STEPS
        reached = search_to_end(problem, reached.alpha, most) or reached
    if asked.loss != SQUARES:
        forgiven = forgive(problem, reached, asked.loss, len(problem.model.free))
        return Solved(polish(forgiven.problem, forgiven.reached), reached.path, told, forgiven)
    answer = polish(problem, reached)
    if answer.gradient > CONVERGED and asked.thorough:
        # Where the polish cannot help, as with coefficients that cannot be told apart, the search goes on to its end.
        reached = search_to_end(problem, reached.alpha, MOST_STEPS, CONVERGED / 10) or reached
        answer = polish(problem, reached)
    return Solved(answer, reached.path, told)


def _search(problem: Separable, rows: Rows, asked: Options) -> tuple[Reached | None, Search]:
    """Return where the search ended in its customary form, and what is to be said of it."""
    names = problem.parts.nonlinear
    remarks: tuple[Remark, ...] = ()
    if all(name in asked.start for name in names):
        start = np.array([float(asked.start[name]) for name in names])
        reached = search_to_end(problem, start, nearly=NEARLY_THERE)
        if reached is not None:
            return canonical(problem, reached), Search(1)
        remarks = (Remark(RemarkKind.START_WITHOUT_VALUE),)
    first: list[Array] = []
    if asked.estimate is not None:
        columns = {name: np.asarray(problem.given[name]) for name in problem.model.formula.data}
        estimates = asked.estimate(columns, problem.plain_y)
        first = [
            np.array([estimate[name] for name in names])
            for estimate in estimates
            if all(name in estimate for name in names)
        ]
        first = [one for one in first if np.isfinite(one).all()]
    if first and not asked.start:
        near = agreed_estimate(problem, first, asked.thorough)
        if near is not None:
            return canonical(problem, near.best), Search(near.tried, near.agreed, near.rounds, "estimates")
    pinned = {} if remarks else {name: float(asked.start[name]) for name in names if name in asked.start}
    found: Found | None = find(
        problem, asked.seed, asked.progress, pinned, first, MOST_ROUNDS if asked.thorough else 1
    )
    if found is None:
        return None, Search(0)
    if asked.thorough and found.agreed < min(AGREE, found.rounds):
        remarks = (*remarks, Remark(RemarkKind.FEW_ROUNDS_AGREE, figures=(found.agreed,)))
    others = tuple(
        Alternative(dict(zip(problem.model.free, map(float, values), strict=True)), squares)
        for squares, values in found.others
    )
    search = Search(found.tried, found.agreed, found.rounds, others=others, remarks=remarks, equal=found.equal)
    return canonical(problem, found.best), search
