"""What was tested about a fit, each in a plain sentence with its figure and a verdict.

A probability below 0.001 makes a check bad, below 0.04 worth a look; checks that look at many rows or at several tests
at once divide these by their number (Bonferroni). Fewer than eight rows say nothing about the scatter, and nothing is
said. How often each is wrong on clean data, and how often it finds what it is for, is in docs/ACCURACY.md.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vettore.core.arrays import Array, Mask, Rows
from vettore.core.distributions import t_two_sided
from vettore.core.errors import name_rows
from vettore.core.fitting.asked import SQUARES
from vettore.core.fitting.clean import MOST_ROWS, clean_residuals, pattern_probability, spread_probability
from vettore.core.fitting.diagnostics import Diagnostics, diagnostics, weighted_residuals
from vettore.core.fitting.result import FitResult
from vettore.core.rounding import NumberStyle
from vettore.core.scatter import f_above, lag_one, longest_run, normality, run_at_an_end, runs
from vettore.core.statistics import ranks

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
MOST_NAMED = 5
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
    KNOWN_SIGMA = "known ±"
    TOGETHER = "coefficients"
    LIMITS = "limits"
    SPREAD = "spread"
    NORMAL = "normal scatter"
    ROWS = "rows"


@dataclass(frozen=True)
class Check:
    """One check; ``figure`` is what the sentence rests on, ``rows`` are places among the rows in use (from 0)."""

    kind: Kind
    verdict: Verdict
    sentence: str
    figure: str = ""
    rows: tuple[int, ...] = ()


def checks(
    result: FitResult, numbers: Sequence[int] | Rows | None = None, style: NumberStyle | None = None
) -> tuple[Check, ...]:
    """Return what was tested of a fit; ``numbers`` are the row numbers to be named, one for each row in use."""
    style = style or NumberStyle()
    named = np.asarray(numbers if numbers is not None else np.flatnonzero(result.rows_in_use) + 1)
    found = [_convergence(result)]
    if result.exact:
        return tuple(one for one in (*found, _enough(result, style)) if one is not None)
    told = diagnostics(result)
    if told is not None and result.n >= FEWEST_ROWS:
        r = weighted_residuals(result)
        with np.errstate(divide="ignore", invalid="ignore"):
            even = np.where(result.leverage < 1 - 1e-9, r / np.sqrt(np.maximum(1 - result.leverage, 1e-9)), 0.0)
        order = np.argsort(result.x, kind="stable")
        ordered, drawn = even[order], None
        if result.n <= MOST_ROWS and result.loss == SQUARES:
            drawn = clean_residuals(result.basis(), result.leverage, order)
        found += [
            _pattern(ordered, drawn, style),
            _spread(ordered, drawn, result.fitted[order], result, style),
            _normal(ordered, style),
            _outliers(told, result, named, style),
            _influence(told, result, named, style),
        ]
    found += [
        _known_sigma(result, style),
        _lack_of_fit(result, style),
        _trend(result, style),
        *_coefficients(result, style),
    ]
    found.append(_enough(result, style))
    return tuple(one for one in found if one is not None)


def _verdict(p: float, tests: int = 1) -> Verdict:
    return Verdict.BAD if p * tests < BAD else Verdict.LOOK if p * tests < LOOK else Verdict.GOOD


def _probability(p: float, style: NumberStyle) -> str:
    return "p < 0.001" if p < 0.001 else f"p = {style.fixed(p, 3)}"


def _convergence(result: FitResult) -> Check | None:
    if not result.converged:
        sentence = "The search did not converge: the coefficients are only the best values met so far."
        return Check(Kind.CONVERGENCE, Verdict.BAD, sentence, result.message)
    if result.better is not None:
        return Check(Kind.CONVERGENCE, Verdict.BAD, result.warnings[-1], result.message)
    unsure = [text for text in result.own_warnings if "other answers may fit" in text]
    if unsure:
        return Check(Kind.CONVERGENCE, Verdict.LOOK, unsure[0], result.message)
    return None


def _pattern(ordered: Array, drawn: Array | None, style: NumberStyle) -> Check:
    count, expected, p_runs = runs(ordered)
    correlation, p_lag = lag_one(ordered)
    longest, p_longest = longest_run(ordered)
    at_end, p_end, first_rows = run_at_an_end(ordered)
    p = min(p_runs, p_lag, p_longest, p_end)
    together = min(PATTERN_TESTS * p, 1.0) if drawn is None else pattern_probability(ordered, drawn)
    figure = (
        f"{count} runs of like sign, {style.fixed(expected, 0)} expected by chance, the longest of {longest} rows; "
        f"neighbours correlate with {style.fixed(correlation, 2)} ({_probability(together, style)})"
    )
    verdict = _verdict(together)
    if verdict is Verdict.GOOD:
        return Check(Kind.PATTERN, verdict, "The residuals show no pattern along x.", figure)
    if p == p_end and p < min(p_runs, p_lag):
        where = "first" if first_rows else "last"
        words = f"The {where} {at_end} residuals lie on the same side: the curve misses part of the shape there."
    elif correlation > 0 and count <= expected:
        words = "Neighbouring residuals lie on the same side: the curve misses part of the shape."
    else:
        words = "The residuals change sides more regularly than chance would have it."
    return Check(Kind.PATTERN, verdict, words, figure)


def _spread(even: Array, drawn: Array | None, fitted: Array, result: FitResult, style: NumberStyle) -> Check | None:
    if float(np.ptp(fitted)) <= 0:
        return None
    rho = float(np.corrcoef(ranks(np.abs(even)), ranks(fitted))[0, 1])
    n = result.n
    if not math.isfinite(rho):
        return None
    t = rho * math.sqrt((n - 2) / max(1 - rho * rho, 1e-12))
    p = t_two_sided(t, n - 2) if drawn is None else spread_probability(even, drawn, fitted)
    figure = f"rank correlation of |residual| with the fitted value {style.fixed(rho, 2)} ({_probability(p, style)})"
    verdict = _verdict(p)
    if verdict is Verdict.GOOD:
        return Check(Kind.SPREAD, verdict, "The scatter is as wide at small values as at large ones.", figure)
    words = "grows" if rho > 0 else "shrinks"
    remedy = "" if result.weighted else " Weights from a column of ± would account for it."
    return Check(Kind.SPREAD, verdict, f"The scatter {words} with the fitted value.{remedy}", figure)


def _normal(ordered: Array, style: NumberStyle) -> Check:
    statistic, p = normality(ordered)
    figure = f"Anderson–Darling {style.fixed(statistic, 2)} ({_probability(p, style)})"
    verdict = _verdict(p)
    if verdict is Verdict.GOOD:
        return Check(Kind.NORMAL, verdict, "The scatter looks like a normal distribution.", figure)
    return Check(
        Kind.NORMAL, verdict, "The scatter is not like a normal distribution, so intervals hold only roughly.", figure
    )


def _outliers(told: Diagnostics, result: FitResult, named: Array, style: NumberStyle) -> Check:
    size = np.where(np.isfinite(told.studentised), np.abs(told.studentised), np.inf)
    size = np.where(np.isnan(told.studentised), 0.0, size)
    freedom = result.degrees_of_freedom - 1
    far = [i for i in _largest_first(size, size >= FAR) if t_two_sided(float(size[i]), freedom) * result.n < LOOK]
    largest = float(size.max())
    figure = f"largest studentised residual {style.number(min(largest, 1e6), 2)}"
    if not far:
        return Check(Kind.OUTLIERS, Verdict.GOOD, "No row lies farther off than chance would have it.", figure)
    p = t_two_sided(float(size[far[0]]), freedom) * result.n
    rows = name_rows(sorted(int(named[i]) for i in far[:MOST_NAMED]))
    more = f" and {len(far) - MOST_NAMED} more" if len(far) > MOST_NAMED else ""
    verb = "lies" if len(far) == 1 else "lie"
    words = f"{rows.capitalize()}{more} {verb} farther from the curve than chance would have it."
    return Check(Kind.OUTLIERS, Verdict.BAD if p < BAD else Verdict.LOOK, words, figure, tuple(far))


def _largest_first(values: Array, chosen: Mask) -> list[int]:
    """Return the places of the chosen values, from the largest."""
    places = np.flatnonzero(chosen)
    found: list[int] = places[np.argsort(-values[places], kind="stable")].tolist()
    return found


def _influence(told: Diagnostics, result: FitResult, named: Array, style: NumberStyle) -> Check:
    """Name rows that move the curve by more than a row of clean data with their leverage would.

    With t the internally studentised residual D = t²h/(m(1 − h)), and t²/ν is a Beta(½, (ν − 1)/2) variable: at the
    ends of a cubic of twelve rows D exceeds 1 every third time by chance.
    """
    cook = np.where(np.isnan(told.cook), np.inf, told.cook)
    chance = _chance_of(cook, result)
    strong = _largest_first(cook, (cook > COOK_LOOK) & (chance * result.n < LOOK))
    top = float(cook.max())
    figure = (
        f"largest Cook's distance {style.number(top, 2)}" if math.isfinite(top) else "one row has a leverage of 1"
    )
    if not strong:
        return Check(Kind.INFLUENCE, Verdict.GOOD, "No single row decides the curve.", figure)
    top = float(cook[strong[0]])
    rows = name_rows(sorted(int(named[i]) for i in strong[:MOST_NAMED]))
    verb = "moves" if len(strong) == 1 else "move"
    verdict = Verdict.BAD if top > COOK_BAD else Verdict.LOOK
    return Check(Kind.INFLUENCE, verdict, f"{rows.capitalize()} {verb} the curve strongly.", figure, tuple(strong))


def _chance_of(cook: Array, result: FitResult) -> Array:
    """Return the probability of so large a distance for each row of clean data; 0 for a row that decides alone."""
    from scipy.special import betaincc

    freedom = result.degrees_of_freedom
    m = result.n - freedom
    rest = np.maximum(1 - result.leverage, 0.0)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.clip(cook * m * rest / (result.leverage * freedom), 0.0, 1.0)
    chance = betaincc(0.5, (freedom - 1) / 2, np.where(np.isfinite(share), share, 1.0))
    return np.where(np.isfinite(cook), chance, 0.0)


def _known_sigma(result: FitResult, style: NumberStyle) -> Check | None:
    """Compare the scatter about the curve with standard deviations that are taken as known."""
    ratio, above = result.reduced_chi_squared, result.chi_squared_p
    if ratio is None or above is None or result.chi_squared is None:
        return None
    figure = (
        f"χ² = {style.number(result.chi_squared, 4)} for {result.degrees_of_freedom} degrees of freedom, "
        f"χ²/ν = {style.number(ratio, 3)} ({_probability(above, style)})"
    )
    verdict = _verdict(2 * min(above, 1 - above))
    if verdict is Verdict.GOOD:
        return Check(Kind.KNOWN_SIGMA, verdict, "The scatter about the curve is what the known ± of y say.", figure)
    if ratio > 1:
        words = (
            "The points lie farther from the curve than the known ± of y allow: "
            "the curve is not right, or the ± are too small."
        )
    else:
        words = "The points lie nearer to the curve than the known ± of y say: the ± are too large."
    return Check(Kind.KNOWN_SIGMA, verdict, words, figure)


def _lack_of_fit(result: FitResult, style: NumberStyle) -> Check | None:
    """Compare the scatter about the curve with that of rows of equal x (Draper & Smith 1998, §2.1)."""
    _, which, counts = np.unique(result.x, return_inverse=True, return_counts=True)
    levels = len(counts)
    pure_freedom = result.n - levels
    lack_freedom = levels - (result.n - result.degrees_of_freedom)
    if pure_freedom < 2 or lack_freedom < 1 or len(result.x) != len(result.y):
        return None
    w = np.ones(result.n) if result.sigma is None else 1 / result.sigma**2
    means = np.bincount(which, w * result.y) / np.bincount(which, w)
    pure = float(np.sum(w * (result.y - means[which]) ** 2))
    total = float(np.sum(weighted_residuals(result) ** 2))
    if pure <= 0:
        return None
    f = max(total - pure, 0.0) / lack_freedom / (pure / pure_freedom)
    p = f_above(f, lack_freedom, pure_freedom)
    figure = f"F({lack_freedom}, {pure_freedom}) = {style.number(f, 3)} ({_probability(p, style)})"
    verdict = _verdict(p)
    if verdict is Verdict.GOOD:
        words = "The curve misses the means of repeated x by no more than their scatter allows."
    else:
        words = "The curve misses the means of repeated x by more than their scatter allows."
    return Check(Kind.LACK_OF_FIT, verdict, words, figure)


def _trend(result: FitResult, style: NumberStyle) -> Check | None:
    """Bad when the curve as a whole runs against the data."""
    if result.n < FEWEST_ROWS or np.ptp(result.x) <= 0 or np.ptp(result.fitted) <= 0 or np.ptp(result.y) <= 0:
        return None
    rho = float(np.corrcoef(ranks(result.x), ranks(result.y))[0, 1])
    own = float(np.corrcoef(ranks(result.x), ranks(result.fitted))[0, 1])
    t = rho * math.sqrt((result.n - 2) / max(1 - rho * rho, 1e-12))
    if rho * own >= 0 or t_two_sided(t, result.n - 2) > 0.01:
        return None
    words = f"y {'rises' if rho > 0 else 'falls'} with x as a whole, but the curve does the opposite."
    return Check(Kind.TREND, Verdict.BAD, words, f"rank correlation {style.fixed(rho, 2)}")


def _coefficients(result: FitResult, style: NumberStyle) -> list[Check]:
    out = []
    table = result.correlation
    if table is not None and len(table) > 1:
        off = np.abs(table - np.eye(len(table)))
        i, j = divmod(int(np.argmax(off)), len(table))
        names, top = result.fitted_names, float(off[i, j])
        if top > TOGETHER_LOOK and len(names) == len(table) and not _is_polynomial(result):
            verdict = Verdict.BAD if top > TOGETHER_BAD else Verdict.LOOK
            words = f"{names[min(i, j)]} and {names[max(i, j)]} can hardly be told apart by these rows."
            out.append(Check(Kind.TOGETHER, verdict, words, f"correlation {style.fixed(float(table[i, j]), 4)}"))
    vague = [
        one.name
        for one in result.coefficients.values()
        if one.standard_error is not None and one.standard_error > abs(one.value)
    ]
    if vague:
        verb = "is" if len(vague) == 1 else "are"
        words = (
            f"{' and '.join(vague)} {verb} known to no better than {'its' if len(vague) == 1 else 'their'} own size."
        )
        out.append(Check(Kind.TOGETHER, Verdict.LOOK, words, "standard error above the value"))
    if result.covariance is None and result.degrees_of_freedom > 0:
        words = next((text for text in result.own_warnings if "no uncertainty" in text), "")
        if words:
            out.append(Check(Kind.TOGETHER, Verdict.BAD, words))
    # Terms that are combinations of others are left at a value that says nothing about them.
    merged = [text for text in result.own_warnings if "it is left at" in text]
    out += [Check(Kind.TOGETHER, Verdict.BAD, text) for text in merged]
    limited = [one.name for one in result.coefficients.values() if one.at_limit]
    if limited:
        verb = "stands" if len(limited) == 1 else "stand"
        words = f"{' and '.join(limited)} {verb} at a limit: the data would have it beyond."
        out.append(Check(Kind.LIMITS, Verdict.LOOK, words))
    return out


def _is_polynomial(result: FitResult) -> bool:
    """Powers of x always go together, which says nothing about the curve."""
    return result.method == "linear least squares"


def _enough(result: FitResult, style: NumberStyle) -> Check | None:
    m = result.n - result.degrees_of_freedom
    if result.degrees_of_freedom < 1:
        words = "There are as many coefficients as rows: the curve passes through every point."
        return Check(Kind.ROWS, Verdict.BAD, words, f"{result.n} rows, {m} coefficients")
    if result.degrees_of_freedom < FEW_DEGREES_OF_FREEDOM:
        words = "So few rows say little about the scatter; trust the ± only roughly."
        return Check(Kind.ROWS, Verdict.LOOK, words, f"{result.n} rows, {m} coefficients")
    error, scatter = result.left_one_out_error, result.residual_sd
    if error is not None and scatter and not result.weighted and result.loss == "squares" and error > LEANS * scatter:
        words = "The curve leans on single rows: without a row it misses that row by much more."
        figure = (
            f"leave-one-out error {style.number(error, 2)}, residual standard deviation {style.number(scatter, 2)}"
        )
        return Check(Kind.ROWS, Verdict.LOOK, words, figure)
    return None
