"""What was tested about a fit: facts with a verdict; ``vettore/words/checks.py`` has their sentences.

A probability below 0.001 makes a check bad, below 0.04 worth a look; checks that look at many rows or at several tests
at once divide these by their number (Bonferroni). Fewer than eight rows say nothing about the scatter, and nothing is
said. How often each is wrong on clean data, and how often it finds what it is for, is in docs/ACCURACY.md.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np

from vettore.core.arrays import Array, Mask, Rows
from vettore.core.columns.scatter import f_above, lag_one, longest_run, normality, run_at_an_end, runs
from vettore.core.columns.statistics import ranks
from vettore.core.distributions import t_two_sided
from vettore.core.fitting.after.clean import MOST_ROWS, clean_residuals, pattern_probability, spread_probability
from vettore.core.fitting.after.diagnostics import Diagnostics, diagnostics, weighted_residuals
from vettore.core.fitting.details import Counts
from vettore.core.fitting.noises.counts import tails
from vettore.core.fitting.request import SQUARES
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.remarks import LEFT_AT_ZERO, NO_UNCERTAINTY, Remark, RemarkKind

FEWEST_ROWS = 8
# Worth a look from 0.04 on, so that what simulation leaves uncertain stays below one false alarm in twenty.
BAD, LOOK = 0.001, 0.04
# Cook's distance from which one row moves the curve noticeably, and strongly.
COOK_LOOK, COOK_BAD = 1.0, 4.0
# Tests of a pattern at once; they go together, so that their number overstates how often one is wrong.
PATTERN_TESTS = 3
# Correlations of coefficients from which they are hard to tell apart, and hardly at all.
TOGETHER_LOOK, TOGETHER_BAD = 0.99, 0.9999
# Left-one-out error over residual standard deviation from which a curve leans on single rows.
LEANS = 2.0
FEW_DEGREES_OF_FREEDOM = 5
# An outlier is named from this many standard deviations on, whatever the number of rows.
FAR = 3.0


class Verdict(StrEnum):
    """How a check came out."""

    GOOD = "good"
    LOOK = "look"
    BAD = "bad"


class Kind(StrEnum):
    """What was tested, the gravest first."""

    CONVERGENCE = "convergence"
    TREND = "trend"
    OUTLIERS = "outliers"
    PATTERN = "pattern"
    LACK_OF_FIT = "lack of fit"
    INFLUENCE = "influence"
    X_ERRORS = "± of x"
    KNOWN_SIGMA = "known ±"
    TOGETHER = "coefficients"
    VAGUE = "vague coefficients"
    UNCERTAINTY = "uncertainty"
    DEPENDENT = "dependent terms"
    LIMITS = "limits"
    SPREAD = "spread"
    NORMAL = "normal scatter"
    ROWS = "rows"


class Outcome(StrEnum):
    """Which of several things a check of one kind found."""

    NOT_CONVERGED = "not converged"
    ANOTHER_ANSWER = "another answer"
    AT_START = "one side at the start"
    AT_END = "one side at the end"
    SAME_SIDE = "neighbours on one side"
    ALTERNATING = "sides change too regularly"
    GROWS = "grows"
    SHRINKS = "shrinks"
    RISES = "rises"
    FALLS = "falls"
    TOO_FAR = "too far"
    TOO_NEAR = "too near"
    EVERY_POINT = "through every point"
    FEW_ROWS = "few rows"
    LEANS = "leans on single rows"
    AS_BY_CHANCE = "as by chance"


@dataclass(frozen=True)
class Check:
    """One check: what was found, the coefficients and rows it names, and the figures that it rests on, by name.

    ``rows`` are places among the rows in use (from 0), the gravest first; ``numbers`` are what they are called.
    ``remark`` is the remark of the fit that it repeats, if it does.
    """

    kind: Kind
    verdict: Verdict
    outcome: Outcome | None = None
    names: tuple[str, ...] = ()
    rows: tuple[int, ...] = ()
    numbers: tuple[int, ...] = ()
    figures: Mapping[str, float] = field(default_factory=dict)
    remark: Remark | None = None


def checks(result: FitResult, numbers: Sequence[int] | Rows | None = None) -> tuple[Check, ...]:
    """Return what was tested of a fit; ``numbers`` are the row numbers to be named, one for each row in use.

    >>> from vettore import core
    >>> bent = core.fit_polynomial(range(12), [x**2 for x in range(12)], 1)
    >>> core.checks(bent)[0].verdict
    <Verdict.LOOK: 'look'>
    """
    named = np.asarray(numbers if numbers is not None else np.flatnonzero(result.rows_in_use) + 1)
    results = [_convergence(result)]
    if result.exact:
        return tuple(check for check in (*results, _enough(result)) if check is not None)
    answer = diagnostics(result)
    counts = result.deviance is not None
    if answer is not None and result.n >= FEWEST_ROWS:
        r = weighted_residuals(result)
        with np.errstate(divide="ignore", invalid="ignore"):
            even = np.where(result.leverage < 1 - 1e-9, r / np.sqrt(np.maximum(1 - result.leverage, 1e-9)), 0.0)
        order = np.argsort(result.x, kind="stable")
        ordered, drawn = even[order], None
        if result.n <= MOST_ROWS and result.loss == SQUARES:
            drawn = clean_residuals(result.basis(), result.leverage, order)
        results.append(_pattern(ordered, drawn))
        if counts:
            # Few counts are no normal distribution, and their scatter grows as it should.
            results.append(_rare_counts(result, named))
        else:
            results += [
                _spread(ordered, drawn, result.fitted[order]),
                _normal(ordered),
                _outliers(answer, result, named),
            ]
        results.append(_influence(answer, result, named))
    results += [
        _known_sigma(result),
        None if counts else _lack_of_fit(result),
        _trend(result),
        *_coefficients(result),
        _enough(result),
    ]
    return tuple(check for check in results if check is not None)


def _verdict(p: float, tests: int = 1) -> Verdict:
    if p * tests < BAD:
        return Verdict.BAD
    return Verdict.LOOK if p * tests < LOOK else Verdict.GOOD


def _convergence(result: FitResult) -> Check | None:
    if not result.converged:
        return Check(Kind.CONVERGENCE, Verdict.BAD, Outcome.NOT_CONVERGED)
    if result.better is not None:
        return Check(Kind.CONVERGENCE, Verdict.BAD, Outcome.ANOTHER_ANSWER, remark=result.remarks[-1])
    unsure = _first_of(result, frozenset({RemarkKind.FEW_ROUNDS_AGREE}))
    if unsure is None:
        return None
    return Check(Kind.CONVERGENCE, Verdict.LOOK, Outcome.ANOTHER_ANSWER, remark=unsure)


def _first_of(result: FitResult, kinds: frozenset[RemarkKind]) -> Remark | None:
    return next((remark for remark in result.own_remarks if remark.kind in kinds), None)


def _pattern(ordered: Array, drawn: Array | None) -> Check:
    count, expected, p_runs = runs(ordered)
    correlation, p_lag = lag_one(ordered)
    longest, p_longest = longest_run(ordered)
    at_end, p_end, first_rows = run_at_an_end(ordered)
    p = min(p_runs, p_lag, p_longest, p_end)
    together = min(PATTERN_TESTS * p, 1.0) if drawn is None else pattern_probability(ordered, drawn)
    figures = {"runs": count, "expected": expected, "longest": longest, "correlation": correlation, "p": together}
    verdict = _verdict(together)
    if verdict is Verdict.GOOD:
        return Check(Kind.PATTERN, verdict, figures=figures)
    if p == p_end and p < min(p_runs, p_lag):
        outcome = Outcome.AT_START if first_rows else Outcome.AT_END
        return Check(Kind.PATTERN, verdict, outcome, figures={**figures, "at the end": at_end})
    outcome = Outcome.SAME_SIDE if correlation > 0 and count <= expected else Outcome.ALTERNATING
    return Check(Kind.PATTERN, verdict, outcome, figures=figures)


def _spread(even: Array, drawn: Array | None, fitted: Array) -> Check | None:
    if float(np.ptp(fitted)) <= 0:
        return None
    rho = float(np.corrcoef(ranks(np.abs(even)), ranks(fitted))[0, 1])
    n = len(even)
    if not math.isfinite(rho):
        return None
    t = rho * math.sqrt((n - 2) / max(1 - rho * rho, 1e-12))
    p = t_two_sided(t, n - 2) if drawn is None else spread_probability(even, drawn, fitted)
    outcome = Outcome.GROWS if rho > 0 else Outcome.SHRINKS
    return Check(Kind.SPREAD, _verdict(p), outcome, figures={"correlation": rho, "p": p})


def _normal(ordered: Array) -> Check:
    statistic, p = normality(ordered)
    return Check(Kind.NORMAL, _verdict(p), figures={"statistic": statistic, "p": p})


def _outliers(answer: Diagnostics, result: FitResult, named: Array) -> Check:
    size = np.where(np.isfinite(answer.studentised), np.abs(answer.studentised), np.inf)
    size = np.where(np.isnan(answer.studentised), 0.0, size)
    freedom = result.degrees_of_freedom - 1
    far = [i for i in _largest_first(size, size >= FAR) if t_two_sided(float(size[i]), freedom) * result.n < LOOK]
    figures = {"largest": float(size.max())}
    if not far:
        return Check(Kind.OUTLIERS, Verdict.GOOD, figures=figures)
    p = t_two_sided(float(size[far[0]]), freedom) * result.n
    verdict = Verdict.BAD if p < BAD else Verdict.LOOK
    return Check(Kind.OUTLIERS, verdict, rows=tuple(far), numbers=_numbers(named, far), figures=figures)


def _rare_counts(result: FitResult, named: Array) -> Check:
    """Name rows whose counts, by their own law, are rarer than one of so many would be."""
    assert isinstance(result.details, Counts)
    chance = np.minimum(tails(result) * result.n, 1.0)
    far = [place for place in np.argsort(chance, kind="stable").tolist() if chance[place] < LOOK]
    figures = {"largest": float(np.abs(result.details.signed_deviance).max())}
    if not far:
        return Check(Kind.OUTLIERS, Verdict.GOOD, figures=figures)
    verdict = Verdict.BAD if chance[far[0]] < BAD else Verdict.LOOK
    return Check(Kind.OUTLIERS, verdict, rows=tuple(far), numbers=_numbers(named, far), figures=figures)


def _numbers(named: Array, places: Sequence[int]) -> tuple[int, ...]:
    return tuple(int(named[place]) for place in places)


def _largest_first(values: Array, chosen: Mask) -> list[int]:
    """Return the places of the chosen values, from the largest."""
    places = np.flatnonzero(chosen)
    numbers: list[int] = places[np.argsort(-values[places], kind="stable")].tolist()
    return numbers


def _influence(answer: Diagnostics, result: FitResult, named: Array) -> Check:
    """Name rows that move the curve by more than a row of clean data with their leverage would.

    With t the internally studentised residual D = t²h/(m(1 − h)), and t²/ν is a Beta(½, (ν − 1)/2) variable: at the
    ends of a cubic of twelve rows D exceeds 1 every third time by chance.
    """
    cook = np.where(np.isnan(answer.cook), np.inf, answer.cook)
    beyond = cook > COOK_LOOK
    # Only of those, since the chance takes far longer than the distance.
    far = beyond.copy()
    far[far] = _chance_of(cook[far], result.leverage[far], result) * result.n < LOOK
    strong = _largest_first(cook, far)
    figures = {"largest": float(cook.max()), "limit": COOK_LOOK}
    if not beyond.any():
        return Check(Kind.INFLUENCE, Verdict.GOOD, figures=figures)
    verdict = Verdict.BAD if strong and cook[strong[0]] > COOK_BAD else Verdict.LOOK
    outcome = None if strong else Outcome.AS_BY_CHANCE
    named_rows = strong or _largest_first(cook, beyond)
    return Check(
        Kind.INFLUENCE,
        verdict,
        outcome=outcome,
        rows=tuple(named_rows),
        numbers=_numbers(named, named_rows),
        figures=figures,
    )


def _chance_of(cook: Array, leverage: Array, result: FitResult) -> Array:
    """Return the probability of so large a distance for rows of clean data of their leverage; 0 for one that decides alone."""
    from scipy.special import betaincc

    freedom = result.degrees_of_freedom
    m = result.n - freedom
    rest = np.maximum(1 - leverage, 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.clip(cook * m * rest / (leverage * freedom), 0.0, 1.0)
    chance = betaincc(0.5, (freedom - 1) / 2, np.where(np.isfinite(share), share, 1.0))
    return np.where(np.isfinite(cook), chance, 0.0)


def _known_sigma(result: FitResult) -> Check | None:
    """Compare the scatter about the curve with standard deviations that are taken as known."""
    ratio, above = result.reduced_chi_squared, result.chi_squared_p
    if ratio is None or above is None or result.chi_squared is None:
        return None
    figures = {"χ²": result.chi_squared, "ν": result.degrees_of_freedom, "χ²/ν": ratio, "p": above}
    outcome = Outcome.TOO_FAR if ratio > 1 else Outcome.TOO_NEAR
    return Check(Kind.KNOWN_SIGMA, _verdict(2 * min(above, 1 - above)), outcome, figures=figures)


def _lack_of_fit(result: FitResult) -> Check | None:
    """Compare the scatter about the curve with that of rows of equal x (Draper & Smith 1998, §2.1)."""
    levels = len(np.unique(result.x))
    pure_freedom = result.n - levels
    lack_freedom = levels - (result.n - result.degrees_of_freedom)
    if pure_freedom < 2 or lack_freedom < 1 or len(result.x) != len(result.y):
        return None
    which = np.unique(result.x, return_inverse=True)[1]
    w = np.ones(result.n) if result.sigma is None else 1 / result.sigma**2
    means = np.bincount(which, w * result.y) / np.bincount(which, w)
    pure = float(np.sum(w * (result.y - means[which]) ** 2))
    total = float(np.sum(weighted_residuals(result) ** 2))
    if pure <= 0:
        return None
    f = max(total - pure, 0.0) / lack_freedom / (pure / pure_freedom)
    p = f_above(f, lack_freedom, pure_freedom)
    figures = {"F": f, "lack freedom": lack_freedom, "pure freedom": pure_freedom, "p": p}
    return Check(Kind.LACK_OF_FIT, _verdict(p), figures=figures)


def _trend(result: FitResult) -> Check | None:
    """Bad when the curve as a whole runs against the data."""
    if result.n < FEWEST_ROWS or np.ptp(result.x) <= 0 or np.ptp(result.fitted) <= 0 or np.ptp(result.y) <= 0:
        return None
    rho = float(np.corrcoef(ranks(result.x), ranks(result.y))[0, 1])
    own = float(np.corrcoef(ranks(result.x), ranks(result.fitted))[0, 1])
    t = rho * math.sqrt((result.n - 2) / max(1 - rho * rho, 1e-12))
    if rho * own >= 0 or t_two_sided(t, result.n - 2) > 0.01:
        return None
    outcome = Outcome.RISES if rho > 0 else Outcome.FALLS
    return Check(Kind.TREND, Verdict.BAD, outcome, figures={"correlation": rho})


def _coefficients(result: FitResult) -> list[Check]:
    out = [_hardly_apart(result)]
    vague = tuple(
        coefficient.name
        for coefficient in result.coefficients.values()
        if coefficient.standard_error is not None and coefficient.standard_error > abs(coefficient.value)
    )
    if vague:
        out.append(Check(Kind.VAGUE, Verdict.LOOK, names=vague))
    unknown = _first_of(result, NO_UNCERTAINTY)
    if result.covariance is None and result.degrees_of_freedom > 0 and unknown is not None:
        out.append(Check(Kind.UNCERTAINTY, Verdict.BAD, remark=unknown))
    out += [
        Check(Kind.DEPENDENT, Verdict.BAD, remark=remark)
        for remark in result.own_remarks
        if remark.kind in LEFT_AT_ZERO
    ]
    limited = tuple(coefficient.name for coefficient in result.coefficients.values() if coefficient.at_limit)
    if limited:
        out.append(Check(Kind.LIMITS, Verdict.LOOK, names=limited))
    return [check for check in out if check is not None]


def _hardly_apart(result: FitResult) -> Check | None:
    """Name the two coefficients that go together most closely, if they do. Powers of x always do."""
    table, names = result.correlation, result.fitted_names
    if table is None or not 1 < len(table) == len(names) or result.method is FitMethod.LINEAR:
        return None
    off = np.abs(table - np.eye(len(table)))
    i, j = divmod(int(np.argmax(off)), len(table))
    if off[i, j] <= TOGETHER_LOOK:
        return None
    verdict = Verdict.BAD if off[i, j] > TOGETHER_BAD else Verdict.LOOK
    pair = (names[min(i, j)], names[max(i, j)])
    return Check(Kind.TOGETHER, verdict, names=pair, figures={"correlation": float(table[i, j])})


def _enough(result: FitResult) -> Check | None:
    figures: dict[str, float] = {"rows": result.n, "coefficients": result.n - result.degrees_of_freedom}
    if result.degrees_of_freedom < 1:
        return Check(Kind.ROWS, Verdict.BAD, Outcome.EVERY_POINT, figures=figures)
    if result.degrees_of_freedom < FEW_DEGREES_OF_FREEDOM:
        return Check(Kind.ROWS, Verdict.LOOK, Outcome.FEW_ROWS, figures=figures)
    error, scatter = result.left_one_out_error, result.residual_sd
    if error is not None and scatter and not result.weighted and result.loss == SQUARES and error > LEANS * scatter:
        figures = {"leave-one-out error": error, "residual sd": scatter}
        return Check(Kind.ROWS, Verdict.LOOK, Outcome.LEANS, figures=figures)
    return None
