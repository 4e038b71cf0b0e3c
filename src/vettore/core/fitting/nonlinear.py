"""Fit any formula: directly when it is linear in its coefficients, else by projection, search and polish."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values, as_values, check_range
from vettore.core.errors import DataError, a_mapping
from vettore.core.fitting.asked import DEFAULT_SEED, SQUARES, Estimate, Options, Progress
from vettore.core.fitting.blockwise import refine
from vettore.core.fitting.canonical import canonical, with_mirrors
from vettore.core.fitting.distances import ErrorsOfX, errors_of_x, fit_distances
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.levenberg import MOST_STEPS, Reached, search_to_end
from vettore.core.fitting.limits import Limits, check_limits
from vettore.core.fitting.nonlinear_result import Solved, nonlinear_result
from vettore.core.fitting.out_of_range import no_finite_value
from vettore.core.fitting.polish import CONVERGED, polish
from vettore.core.fitting.prepared import misread, prepared, read_once
from vettore.core.fitting.record import Alternative, Noise, Search
from vettore.core.fitting.refused import check_count, check_errors_of_x, check_noise, check_steps
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.robust import forgive
from vettore.core.fitting.rows import Rows
from vettore.core.fitting.separable import Separable
from vettore.core.fitting.starts import AGREE, MOST_ROUNDS, Found, agreed_estimate, find
from vettore.core.fitting.terms import check_held, check_start, fit_terms, pick_rows
from vettore.core.fitting.thin import thinned
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name
from vettore.core.models.model import Model
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


def fit(
    formula: str | Model,
    data: Mapping[str, Values],
    *,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    sigma: Sigma | None = None,
    weights: Values | None = None,
    loss: str = SQUARES,
    absolute_sigma: bool = False,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    progress: Progress | None = None,
    estimate: Estimate | None = None,
    thorough: bool = True,
    columns: tuple[str, str] | None = None,
    sigma_x: Values | float | None = None,
    correlation: Values | float | None = None,
    covariance: Values | None = None,
    noise: str = Noise.NORMAL,
    trials: Values | float | None = None,
    whole: float = 1.0,
) -> FitResult:
    """Fit a formula, or a model of the catalogue, to columns of shape (n,); no starting values are needed.

    ``start`` gives starting values to nonlinear coefficients: with all of them the search begins there and only there; when
    the result's ``better`` or ``warnings`` are looked at, one round without starts is spent beside it. ``hold`` fixes
    coefficients, ``limits`` bounds them as ``{"k": (0, None)}``. ``sigma`` are standard deviations of the measured column
    (carried through the left side, as to ln(y)), or a mapping of them by column where the left side has several. ``loss`` is
    one of squares, huber, cauchy, tukey. ``progress(round, sum of squares)`` is told of every round and may stop the search
    by returning True. The same seed gives the same answer. See fit_polynomial for the rest.
    ``estimate`` gives whole starts from columns and response, as a model of the catalogue does for its formula. Without
    ``thorough`` the first round, or the estimates, decide: for a first look at many models. With ``sigma_x``, standard
    deviations of x, and ``sigma`` the fit takes the distances of the rows in both, and their ``correlation`` (distances.py).
    ``noise`` "poisson" takes y for counts, "binomial" for shares of ``whole`` (1, or 100 for per cent) of so many ``trials``,
    (n,) or one number (see counts.py); the rows tell by "growing" how their scatter grows, σ = a + b·|y| (see growing.py), by
    "correlated" how alike neighbours in x err, whose ``covariance`` (n, n) may be known, too (see correlated.py).
    A model is fitted to columns named x and y, to the only two, or to those named by ``columns``. Raises FormulaError or
    DataError for a request that cannot be met; not converging is a result with a status.

    >>> from vettore import core
    >>> t, y = [0, 5, 10, 20, 40], [8.1, 6.2, 4.9, 3.0, 1.2]
    >>> decay = core.fit("y = A*exp(-k*t)", {"t": t, "y": y})
    >>> k = decay.coefficients["k"]
    >>> f"{k.value:.4f} ± {k.standard_error:.4f}"
    '0.0492 ± 0.0010'
    """
    text, estimate = _text_of(formula, data, columns, estimate)
    known = (loss, absolute_sigma and covariance is None, level, seed, progress, estimate, thorough)
    asked = Options(start or {}, hold or {}, {}, *known)
    noisy = check_noise(noise, asked, (sigma, weights, sigma_x), covariance is not None, trials, whole)
    check_steps(text, data, asked, {"sigma_x": sigma_x, "correlation": correlation, "covariance": covariance}, noisy)
    result = _asked_fit(text, data, asked, (start, hold, limits), sigma, weights, errors_of_x(sigma_x, correlation))
    if covariance is not None or noisy is Noise.CORRELATED:
        return _of_correlated(result, text, data, covariance, absolute_sigma, limits, thorough)
    return result if noisy is Noise.NORMAL else _scattered(result, text, data, noisy, (trials, whole), asked, limits)


def _text_of(
    formula: str | Model, data: Mapping[str, Values], columns: tuple[str, str] | None, estimate: Estimate | None
) -> tuple[str, Estimate | None]:
    """Return the text of a formula, or of a model over its columns with the starts that it knows."""
    if not isinstance(data, Mapping):
        raise DataError(f'The data are columns by name, as {{"x": x, "y": y}}; {type(data).__name__} was given.')
    if isinstance(formula, Model):
        x, y = formula.columns_of(list(data), columns)
        return formula.over(x, y, list(data)), formula.estimator(x, y, list(data))
    if columns is not None:
        raise DataError("columns name x and y for a model of the catalogue; a formula names its own.")
    return formula, estimate


def _asked_fit(
    text: str,
    data: Mapping[str, Values],
    asked: Options,
    given: tuple[Mapping[str, float] | None, Mapping[str, float] | None, Limits | None],
    sigma: Sigma | None,
    weights: Values | None,
    in_x: ErrorsOfX | None,
) -> FitResult:
    """Fit a formula by the shortest way that it allows; ``given`` are start, hold and limits, still to be looked at."""
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
    result = _stepped(read, data, sigma, weights, asked)
    if result is not None:
        return _with_doubts(result, text, data, asked)
    if asked.loss == SQUARES and not prepared(text, data, held).parts.nonlinear:
        result = fit_terms(read, data, held, sigma, weights, asked.absolute_sigma, asked.level)
    if result is None or not _inside(result, bounds):
        result = _fit(text, data, sigma, weights, asked)
    if in_x is not None:
        check_errors_of_x(asked, sigma, weights)
        options = {name: getattr(asked, name) for name in ("absolute_sigma", "level", "seed", "thorough")}
        result = fit_distances(result, read, data, in_x, bounds, {**options, "limits": limits})
    return _with_doubts(result, text, data, asked)


def _with_doubts(result: FitResult, text: str, data: Mapping[str, Values], asked: Options) -> FitResult:
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


def _stepped(
    read: Formula, data: Mapping[str, Values], sigma: Sigma | None, weights: Values | None, asked: Options
) -> FitResult | None:
    """Return the fit of a formula that steps at coefficients, which no derivative finds; None for others."""
    from vettore.core.fitting.steps import fit_steps, step_names

    steps = step_names(read, asked.held)
    if not steps or read.left is None:
        return None
    bounds = {name: pair for name, pair in asked.limits.items() if name not in steps}
    start = {name: value for name, value in asked.start.items() if name not in steps}
    shared: dict[str, Any] = {
        "limits": bounds,
        "level": asked.level,
        "seed": asked.seed,
        "absolute_sigma": asked.absolute_sigma,
    }

    def fit_held(at: Mapping[str, float]) -> FitResult:
        held = {**asked.held, **at}
        result = fit(
            str(read), data, start=start, hold=held, sigma=sigma, weights=weights, progress=asked.progress, **shared
        )
        return replace(result, formula=str(read))

    return fit_steps(
        read,
        data,
        steps,
        (sigma, weights),
        asked.limits,
        fit_held,
        {**shared, "hold": asked.held, "start": start or None},
        asked.progress,
    )


def _of_correlated(
    result: FitResult,
    text: str,
    data: Mapping[str, Values],
    covariance: Values | None,
    absolute: bool,
    limits: Limits | None,
    thorough: bool,
) -> FitResult:
    """Return the fit of rows whose errors are correlated, from one of errors that are not."""
    from vettore.core.fitting.correlated import fit_correlated

    read = read_once(text, frozenset(data))
    held = {name: one.value for name, one in result.coefficients.items() if one.held}
    return fit_correlated(result, read, data, covariance, absolute, check_limits(read, limits, held), thorough)


def _scattered(
    result: FitResult,
    text: str,
    data: Mapping[str, Values],
    noise: Noise,
    of: tuple[Values | float | None, float],
    asked: Options,
    limits: Limits | None,
) -> FitResult:
    """Return the fit of a scatter that follows from the curve, from one of even scatter."""
    if noise is not Noise.GROWING:
        return _counted(result, text, data, noise, of, asked, limits)
    from vettore.core.fitting.growing import fit_growing

    options = {name: getattr(asked, name) for name in ("level", "seed", "thorough")}
    return fit_growing(result, read_once(text, frozenset(data)), data, {**options, "limits": limits})


def _counted(
    result: FitResult,
    text: str,
    data: Mapping[str, Values],
    noise: Noise,
    of: tuple[Values | float | None, float],
    asked: Options,
    limits: Limits | None,
) -> FitResult:
    """Return the fit of greatest likelihood from one by least squares."""
    from vettore.core.fitting.counts import fit_counts, law_of

    read = read_once(text, frozenset(data))
    if not isinstance(read.left, Name):
        raise DataError(f"Counts are fitted as they are: write y, not {result.left}, before the =.")
    (given, whole), used = of, result.rows_in_use
    trials: Array | float | None
    if given is None or isinstance(given, (int, float)):
        trials = given
    else:
        column = as_values(given, "trials")
        if len(column) != len(used):
            raise DataError(f"trials has {len(column)} entries, and the data have {len(used)} rows.")
        trials = column[used]
    law = law_of(result.y, noise, trials, whole, np.flatnonzero(used) + 1)
    bounds = check_limits(read, limits, dict(asked.held))
    options = {name: getattr(asked, name) for name in ("level", "seed", "thorough")}
    return fit_counts(result, read, data, law, bounds, {**options, "limits": limits})


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
