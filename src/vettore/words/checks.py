"""Checks of a fit in words: one entry a kind. A test fails when a kind has none."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from vettore.core.errors import name_rows
from vettore.core.fitting.after.checks import Check, Kind, Outcome, Verdict
from vettore.core.fitting.details import Correlated
from vettore.core.fitting.result import FitResult
from vettore.core.remarks import counted, listed
from vettore.core.rounding import NumberStyle

# More rows than this are counted.
MOST_NAMED = 5
# A studentised residual beyond this is written as this.
LARGEST_RESIDUAL = 1e6


class CheckWords(NamedTuple):
    """The words of one kind: its sentence, and the figures under it (blank where it rests on none)."""

    sentence: Callable[[Check, FitResult], str]
    figure: Callable[[Check, FitResult, NumberStyle], str] = lambda check, result, style: ""


def check_sentence(check: Check, result: FitResult) -> str:
    """Return what a check found."""
    if check.remark is not None:
        return check.remark.sentence
    return CHECKS[check.kind].sentence(check, result)


def check_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    """Return what the sentence of a check rests on."""
    return CHECKS[check.kind].figure(check, result, style)


def gravest_first(checks: Sequence[Check]) -> list[Check]:
    """Return checks in the order in which they are to be looked at."""
    verdicts, kinds = (Verdict.BAD, Verdict.LOOK, Verdict.GOOD), list(Kind)
    return sorted(checks, key=lambda check: (verdicts.index(check.verdict), kinds.index(check.kind)))


def _probability(check: Check, style: NumberStyle) -> str:
    p = check.figures["p"]
    return "p < 0.001" if p < 0.001 else f"p = {style.fixed(p, 3)}"


def _rows(check: Check) -> str:
    more = f" and {len(check.numbers) - MOST_NAMED} more" if len(check.numbers) > MOST_NAMED else ""
    return f"{name_rows(sorted(check.numbers[:MOST_NAMED]))}{more}"


PATTERNS = {
    None: "The residuals show no pattern along x.",
    Outcome.SAME_SIDE: "Neighbouring residuals lie on the same side: the curve misses part of the shape.",
    Outcome.ALTERNATING: "The residuals change sides more regularly than chance would have it.",
}


def _pattern(check: Check, result: FitResult) -> str:
    words = _pattern_words(check)
    if not isinstance(result.details, Correlated):
        return words
    return f"Beyond what neighbours share, {words[0].lower()}{words[1:]}"


def _pattern_words(check: Check) -> str:
    if check.outcome not in (Outcome.AT_START, Outcome.AT_END):
        return PATTERNS[check.outcome]
    where = "first" if check.outcome is Outcome.AT_START else "last"
    rows = int(check.figures["at the end"])
    return f"The {where} {rows} residuals lie on the same side: the curve misses part of the shape there."


def _pattern_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    figures = check.figures
    of = "what is left correlates" if isinstance(result.details, Correlated) else "neighbours correlate"
    return (
        f"{int(figures['runs'])} runs of like sign, {style.fixed(figures['expected'], 0)} expected by chance, the longest of "
        f"{counted(figures['longest'], 'row')}; {of} with {style.fixed(figures['correlation'], 2)} "
        f"({_probability(check, style)})"
    )


def _spread(check: Check, result: FitResult) -> str:
    if check.verdict is Verdict.GOOD:
        return "The scatter is as wide at small values as at large ones."
    grows = "grows" if check.outcome is Outcome.GROWS else "shrinks"
    remedy = "" if result.weighted else " Weights from a column of ± would account for it."
    return f"The scatter {grows} with the fitted value.{remedy}"


def _normal(check: Check, result: FitResult) -> str:
    if check.verdict is Verdict.GOOD:
        return "The scatter looks like a normal distribution."
    return "The scatter is not like a normal distribution, so intervals hold only roughly."


def _outliers(check: Check, result: FitResult) -> str:
    if not check.rows:
        return "No row lies farther off than chance would have it."
    verb = "lies" if len(check.rows) == 1 else "lie"
    return f"{_rows(check).capitalize()} {verb} farther from the curve than chance would have it."


def _outliers_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    kind = "studentised" if result.deviance is None else "deviance"
    return f"largest {kind} residual {style.number(min(check.figures['largest'], LARGEST_RESIDUAL), 2)}"


def _influence(check: Check, result: FitResult) -> str:
    if not check.rows:
        return "No single row decides the curve."
    is_wanted = len(check.rows) == 1
    subject = (
        f"{name_rows(sorted(check.numbers[:MOST_NAMED])).capitalize()} {'moves' if is_wanted else 'move'} the curve"
    )
    if check.outcome is Outcome.AS_BY_CHANCE:
        return f"{subject}, as {'a row' if is_wanted else 'rows'} at such a place may by chance."
    return f"{subject} strongly."


def _influence_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    top = check.figures["largest"]
    limit = style.number(check.figures["limit"], 1)
    return (
        f"largest Cook's distance {style.number(top, 2)}, limit {limit}"
        if math.isfinite(top)
        else "one row has a leverage of 1"
    )


COUNTED = {
    None: "The counts scatter about the curve as counts do.",
    Outcome.TOO_FAR: "The counts lie farther from the curve than chance puts counts: the curve is not right, or they are not "
    "independent of each other.",
    Outcome.TOO_NEAR: "The counts lie nearer to the curve than chance puts counts: they were smoothed, or are no counts.",
}


def _known_sigma(check: Check, result: FitResult) -> str:
    if result.deviance is not None:
        return COUNTED[None if check.verdict is Verdict.GOOD else check.outcome]
    if check.verdict is Verdict.GOOD:
        return "The scatter about the curve is what the known ± of y say."
    if check.outcome is Outcome.TOO_FAR:
        return (
            "The points lie farther from the curve than the known ± of y allow: "
            "the curve is not right, or the ± are too small."
        )
    return "The points lie nearer to the curve than the known ± of y say: the ± are too large."


def _known_sigma_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    figures = check.figures
    return (
        f"χ² = {style.number(figures['χ²'], 4)} for {int(figures['ν'])} degrees of freedom, "
        f"χ²/ν = {style.number(figures['χ²/ν'], 3)} ({_probability(check, style)})"
    )


def _lack_of_fit(check: Check, result: FitResult) -> str:
    how = "no more" if check.verdict is Verdict.GOOD else "more"
    return f"The curve misses the means of repeated x by {how} than their scatter allows."


def _lack_of_fit_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    figures = check.figures
    freedom = f"{int(figures['lack freedom'])}, {int(figures['pure freedom'])}"
    return f"F({freedom}) = {style.number(figures['F'], 3)} ({_probability(check, style)})"


def _trend(check: Check, result: FitResult) -> str:
    does = "rises" if check.outcome is Outcome.RISES else "falls"
    return f"y {does} with x as a whole, but the curve does the opposite."


def _vague(check: Check, result: FitResult) -> str:
    verb, whose = ("is", "its") if len(check.names) == 1 else ("are", "their")
    return f"{' and '.join(check.names)} {verb} known to no better than {whose} own size."


def _limits(check: Check, result: FitResult) -> str:
    verb = "stands" if len(check.names) == 1 else "stand"
    return f"{' and '.join(check.names)} {verb} at a limit: the data would have it beyond."


ROWS = {
    Outcome.EVERY_POINT: "There are as many coefficients as rows: the curve passes through every point.",
    Outcome.FEW_ROWS: "So few rows say little about the scatter; trust the ± only roughly.",
    Outcome.LEANS: "The curve leans on single rows: without a row it misses that row by much more.",
}


def _many_rows(check: Check, result: FitResult) -> str:
    assert check.outcome is not None
    return ROWS[check.outcome]


def _rows_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    figures = check.figures
    if check.outcome is Outcome.LEANS:
        error, scatter = (style.number(figures[name], 2) for name in ("leave-one-out error", "residual sd"))
        return f"leave-one-out error {error}, residual standard deviation {scatter}"
    return f"{counted(figures['rows'], 'row')}, {counted(figures['coefficients'], 'coefficient')}"


def _repeats_the_remark(check: Check, result: FitResult) -> str:
    assert check.remark is not None
    return check.remark.sentence


X_ERRORS = {
    Verdict.GOOD: "The ± of x is not used by this fit, and it hardly matters.",
    Verdict.LOOK: "The ± of x is not used by this fit, and it matters for {}.",
    Verdict.BAD: "The ± of x is not used by this fit: {} and its ± are not to be trusted because of it.",
}


def _x_errors(check: Check, result: FitResult) -> str:
    return X_ERRORS[check.verdict].format(check.names[0])


def _x_errors_figure(check: Check, result: FitResult, style: NumberStyle) -> str:
    moved, held = style.number(check.figures["moved"], 2), 100 * check.figures["held"]
    return f"{check.names[0]} off by about {moved}; its 95 % range holds in about {held:.0f} % of cases"


CHECKS: Mapping[Kind, CheckWords] = {
    Kind.CONVERGENCE: CheckWords(
        lambda check, result: "The search did not converge: the coefficients are only the best values met so far.",
        lambda check, result, style: result.message,
    ),
    Kind.TREND: CheckWords(
        _trend, lambda check, result, style: f"rank correlation {style.fixed(check.figures['correlation'], 2)}"
    ),
    Kind.OUTLIERS: CheckWords(_outliers, _outliers_figure),
    Kind.PATTERN: CheckWords(_pattern, _pattern_figure),
    Kind.LACK_OF_FIT: CheckWords(_lack_of_fit, _lack_of_fit_figure),
    Kind.INFLUENCE: CheckWords(_influence, _influence_figure),
    Kind.X_ERRORS: CheckWords(_x_errors, _x_errors_figure),
    Kind.KNOWN_SIGMA: CheckWords(_known_sigma, _known_sigma_figure),
    Kind.TOGETHER: CheckWords(
        lambda check, result: f"{listed(check.names)} can hardly be told apart by these rows.",
        lambda check, result, style: f"correlation {style.fixed(check.figures['correlation'], 4)}",
    ),
    Kind.VAGUE: CheckWords(_vague, lambda check, result, style: "standard error above the value"),
    Kind.UNCERTAINTY: CheckWords(_repeats_the_remark),
    Kind.DEPENDENT: CheckWords(_repeats_the_remark),
    Kind.LIMITS: CheckWords(_limits),
    Kind.SPREAD: CheckWords(
        _spread,
        lambda check, result, style: (
            f"rank correlation of |residual| with the fitted value {style.fixed(check.figures['correlation'], 2)} "
            f"({_probability(check, style)})"
        ),
    ),
    Kind.NORMAL: CheckWords(
        _normal,
        lambda check, result, style: (
            f"Anderson–Darling {style.fixed(check.figures['statistic'], 2)} ({_probability(check, style)})"
        ),
    ),
    Kind.ROWS: CheckWords(_many_rows, _rows_figure),
}
