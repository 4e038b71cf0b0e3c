"""What is to be said of a result beside its numbers: facts with a kind, and the sentence of each kind.

All other sentences stand in ``vettore/words``. These stand here because scripts read ``result.warnings`` and the
``notes`` of curves and areas, and the core imports nothing above itself. Nothing reads them to learn something: that is
in ``kind``, ``names``, ``rows`` and ``figures``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from vettore.core.errors import name_rows


class RemarkKind(StrEnum):
    """What a remark is about."""

    UNIT_DROPPED = "unit dropped"
    DATES_AS_TIME = "dates as time"
    DURATIONS_AS_TIME = "durations as time"
    WHOLE_NUMBERS_ROUNDED = "whole numbers rounded"
    ROWS_WITHOUT_NUMBER = "rows without a number"
    ROWS_WITHOUT_WEIGHT = "rows without a weight"
    POINTS_WITHOUT_NUMBER = "points without a number"
    REPEATS_AVERAGED = "repeats averaged"
    SITES_WITHOUT_NUMBER = "sites without a number"
    SITES_AVERAGED = "sites averaged"
    SPELT_ALIKE = "spelt alike"
    NO_COLUMN = "no column"
    NUMBER_E = "the number e"
    BY_DIFFERENCES = "slopes by differences"
    LIKE_A_COLUMN = "like a column"
    AS_GOOD = "another answer as good"
    FUNCTION_JOINED = "function joined to a column"
    READ_FROM_LEFT = "read from the left"
    ROUGH_SIGMA = "rough ± of the left side"
    ZERO_TERM = "term of zeros"
    DEPENDENT_TERM = "dependent term"
    SAME_Y = "y without variation"
    THROUGH_EVERY_POINT = "through every point"
    TOO_FEW_ROWS = "too few rows"
    NO_EFFECT = "no effect on the curve"
    STEPS = "where the curve steps"
    NOT_APART = "not to be told apart"
    WOULD_TELL = "a measurement would tell"
    AT_LIMIT = "at a limit"
    RESTS_ON_LIMIT = "rests on a limit"
    RANGES_BENT = "ranges of the likelihood"
    HARDLY_TOLD = "hardly told by few rows"
    ALIKE_TO_THE_END = "neighbours as alike as is allowed"
    START_WITHOUT_VALUE = "start without a value"
    FEW_ROUNDS_AGREE = "few rounds agree"
    MISSES_SHAPE = "neighbouring residuals go one way"
    PEAKS_AS_GOOD = "another number of peaks about as good"
    PEAK_NOT_APART = "peak hardly told from another"
    PEAKS_NOT_APART = "several peaks hardly told apart"
    PEAK_AT_EDGE = "peak at the end of the rows"
    PEAK_GONE = "expected peak gone"
    PEAK_NEW = "peak not expected"
    CEILING = "tops cut at one height"
    BASELINE_LEFT_OUT = "± of the baseline left out"
    BETTER_SQUARES = "better sum of squares"
    BETTER_SCALE = "better scale of the residuals"


@dataclass(frozen=True)
class Remark:
    """One fact: the names it is about, the rows (counted from 1), and the numbers that it rests on."""

    kind: RemarkKind
    names: tuple[str, ...] = ()
    rows: tuple[int, ...] = ()
    figures: tuple[float, ...] = ()

    @property
    def sentence(self) -> str:
        """The remark in words."""
        return SENTENCES[self.kind](self)


class Noted:
    """What has remarks tells them in sentences as ``notes``, too."""

    remarks: tuple[Remark, ...]

    @property
    def notes(self) -> tuple[str, ...]:
        """The remarks in sentences."""
        return sentences(self.remarks)


# Beside these no standard error can be known at all.
NO_UNCERTAINTY = frozenset(
    {RemarkKind.NO_EFFECT, RemarkKind.NOT_APART, RemarkKind.TOO_FEW_ROWS, RemarkKind.THROUGH_EVERY_POINT}
)
# Terms that are combinations of others, or nothing, are left at a value that says nothing about them.
LEFT_AT_ZERO = frozenset({RemarkKind.ZERO_TERM, RemarkKind.DEPENDENT_TERM})


def sentences(remarks: Iterable[Remark]) -> tuple[str, ...]:
    """Return remarks in words."""
    return tuple(remark.sentence for remark in remarks)


def listed(names: Iterable[str]) -> str:
    """Return ``a, b and c``."""
    *first, last = names
    return f"{', '.join(first)} and {last}" if first else last


# Of more names than these the first are named, and how many others there are.
FEW_NAMES = 6


def few_listed(names: tuple[str, ...]) -> str:
    """Return ``a, b and c``, of very many ``a, b, c, d and 9 others``."""
    if len(names) <= FEW_NAMES:
        return listed(names)
    named = names[: FEW_NAMES - 2]
    return f"{', '.join(named)} and {len(names) - len(named)} others"


def _walked(remark: Remark) -> str:
    """Return what is said of ranges that were walked for beside a limit."""
    if not remark.figures:
        return ""
    return f"; the {'range allows' if len(remark.names) == 1 else 'ranges allow'} every value inside the limits"


def _others(names: tuple[str, ...]) -> str:
    together = " together" if len(names) > 1 else ""
    return f"{listed(names)}{together}" if names else "the others"


def _changes_of(r: Remark) -> str:
    """Say how coefficients may change together without any effect."""
    if not r.figures:
        return ""
    parts = [f"{name} by {share:+.2g} %" for name, share in zip(r.names, r.figures, strict=False)]
    return f" The curves stay as they are when together {listed(parts)} change.".replace("-", "−")


def counted(count: float, word: str, several: str = "") -> str:
    """Return ``1 row``, ``12 rows``."""
    return f"1 {word}" if count == 1 else f"{count:.0f} {several or word + 's'}"


def _valued(remark: Remark) -> str:
    return ", ".join(f"{name} = {value:.5g}" for name, value in zip(remark.names, remark.figures, strict=False))


def _rows(remark: Remark) -> str:
    return name_rows(remark.rows)


def _better(what: str) -> Callable[[Remark], str]:
    def words(remark: Remark) -> str:
        own, other = remark.figures
        return (
            f"From the start that was given the search ended at {what} of {own:.6g}; another answer has {other:.6g}. "
            "Fit without a start, or from that answer."
        )

    return words


def _rounds(remark: Remark) -> str:
    agreed = int(remark.figures[0])
    return "one round" if agreed == 1 else f"{agreed} rounds"


SENTENCES: Mapping[RemarkKind, Callable[[Remark], str]] = {
    RemarkKind.UNIT_DROPPED: lambda r: f"{r.names[0]} was given in {r.names[1]}, which is taken for its unit.",
    RemarkKind.DATES_AS_TIME: lambda r: (
        f"{r.names[0]} was given as dates; its values are the time since {r.names[2]} in {r.names[1]}."
    ),
    RemarkKind.DURATIONS_AS_TIME: lambda r: (
        f"{r.names[0]} was given as durations; its values are durations in {r.names[1]}."
    ),
    RemarkKind.WHOLE_NUMBERS_ROUNDED: lambda r: (
        f"{_rows(r).capitalize()} of {r.names[0]} hold whole numbers of more digits than arithmetic has; "
        "they were rounded."
    ),
    RemarkKind.ROWS_WITHOUT_NUMBER: lambda r: f"{_rows(r).capitalize()} left out: no finite number in {r.names[0]}.",
    RemarkKind.ROWS_WITHOUT_WEIGHT: lambda r: f"{_rows(r).capitalize()} left out: no weight in {r.names[0]}.",
    RemarkKind.POINTS_WITHOUT_NUMBER: lambda r: f"{_rows(r).capitalize()} left out: no number.",
    RemarkKind.SITES_WITHOUT_NUMBER: lambda r: f"{_rows(r).capitalize()} left out: no number in x, y or z.",
    RemarkKind.SITES_AVERAGED: lambda r: (
        f"{counted(r.figures[0], 'site')} measured more than once, in {counted(r.figures[1], 'row')}: the means are used."
    ),
    RemarkKind.REPEATS_AVERAGED: lambda r: f"{counted(r.figures[0], 'row')} repeat an x; their y is averaged.",
    RemarkKind.SPELT_ALIKE: lambda r: (
        f"{r.names[0]} is no column and was fitted as a coefficient; the column {r.names[1]} is spelt alike."
    ),
    RemarkKind.NO_COLUMN: lambda r: "The right side names no column, so the curve is the same in every row.",
    RemarkKind.BY_DIFFERENCES: lambda r: (
        f"{r.names[0]} could not be read as a formula, so its slopes were worked out by differences."
    ),
    RemarkKind.NUMBER_E: lambda r: (
        "e was read as the number 2.718…, not as a coefficient. If it is to be fitted, give it another name, as k, "
        "or write it in backquotes: `e`."
    ),
    RemarkKind.LIKE_A_COLUMN: lambda r: (
        f"{r.names[0]} is no column and was fitted as a coefficient. Did you mean the column {r.names[1]}?"
    ),
    RemarkKind.AS_GOOD: lambda r: (
        f"Another answer fits as well: {_valued(r)}. These rows cannot tell which is meant."
    ),
    RemarkKind.FUNCTION_JOINED: lambda r: (
        f"{r.names[0]} was fitted as a coefficient. For the function write {r.names[1]}."
    ),
    RemarkKind.READ_FROM_LEFT: lambda r: (
        f"{r.names[0]} was read from the left, as {r.names[1]}. Put brackets around what belongs together."
    ),
    RemarkKind.ROUGH_SIGMA: lambda r: (
        f"The ± of {r.names[0]} is so large in {_rows(r)} that the ± of {r.names[1]} that follows is only rough."
    ),
    RemarkKind.ZERO_TERM: lambda r: (
        f"The term of {r.names[0]} is zero in every row, so it cannot be known; it is left at 0."
    ),
    RemarkKind.DEPENDENT_TERM: lambda r: (
        f"{r.names[0]} cannot be told apart from {_others(r.names[1:])}; it is left at 0."
    ),
    RemarkKind.SAME_Y: lambda r: "y is the same in every row, so R² has no meaning.",
    RemarkKind.THROUGH_EVERY_POINT: lambda r: (
        f"{counted(r.figures[0], 'row')} for {counted(r.figures[1], 'coefficient')}: the curve passes through every point and "
        "no uncertainty can be known."
    ),
    RemarkKind.TOO_FEW_ROWS: lambda r: (
        f"{counted(r.figures[0], 'row')} for {counted(r.figures[1], 'coefficient')}: no uncertainty can be known."
    ),
    RemarkKind.NO_EFFECT: lambda r: (
        f"{listed(r.names)} {'has' if len(r.names) == 1 else 'have'} no effect on the curve, so no uncertainty can be "
        "known."
    ),
    RemarkKind.STEPS: lambda r: (
        f"{listed(r.names)} {'says' if len(r.names) == 1 else 'say'} where the curve steps: the middle of the gap between "
        "rows that fits best, with a range from the likelihood; the ± of the others are those beside it."
    ),
    RemarkKind.NOT_APART: lambda r: (
        f"{listed(r.names)} cannot be told apart here, so no uncertainty can be known.{_changes_of(r)}"
    ),
    RemarkKind.WOULD_TELL: lambda r: (
        f"Measuring {r.names[0]} as well would tell all coefficients."
        if len(r.names) == 1
        else f"Measuring {', '.join(r.names[:-1])} or {r.names[-1]} as well would tell all coefficients."
    ),
    RemarkKind.AT_LIMIT: lambda r: f"{r.names[0]} is at its limit, so it has no standard error.",
    RemarkKind.HARDLY_TOLD: lambda r: (
        f"{counted(r.figures[0], 'row')} hardly tell {r.names[0]}: of made-up sets like these, 95 % ranges held in "
        f"{r.figures[1]:.0f} to 99 %."
    ),
    RemarkKind.ALIKE_TO_THE_END: lambda r: (
        f"Neighbours are as alike as is allowed (φ = {r.figures[0]:.3f}): these rows drift together and hardly tell where the "
        "curve lies. Measure over a longer span, or another time."
    ),
    RemarkKind.RESTS_ON_LIMIT: lambda r: (
        f"The ± of {few_listed(r.names)} {'rests' if len(r.names) == 1 else 'rest'} on the limit, as if it were the true value"
        f"{_walked(r)}."
    ),
    RemarkKind.RANGES_BENT: lambda r: (
        f"{'Ranges' if len(r.names) > 1 else 'The range'} of {few_listed(r.names)} by the likelihood: the ± alone would "
        f"not give {'them' if len(r.names) > 1 else 'it'}."
    ),
    RemarkKind.START_WITHOUT_VALUE: lambda r: (
        "The model has no finite value at the start that was given, so starts were searched for."
    ),
    RemarkKind.FEW_ROUNDS_AGREE: lambda r: (
        f"Only {_rounds(r)} of the search reached this answer; other answers may fit as well."
    ),
    RemarkKind.MISSES_SHAPE: lambda r: (
        f"Neighbouring residuals of {r.names[0]} go the same way (correlation {r.figures[0]:.2f}): the equations miss part of "
        "its shape, or a better answer was not found. Look at its residuals; try other starts."
    ),
    RemarkKind.PEAKS_AS_GOOD: lambda r: (
        f"{counted(r.figures[0], 'peak')} would do about as well: chance makes such a difference with a probability of "
        f"{r.figures[1]:.1g}."
    ),
    RemarkKind.PEAKS_NOT_APART: lambda r: (
        f"The rows hardly tell peaks {listed(r.names)} from their neighbours: the ± of their areas is "
        f"{100 * r.figures[0]:.0f} % to {100 * r.figures[1]:.0f} % of them. Another shape may need fewer peaks."
    ),
    RemarkKind.PEAK_NOT_APART: lambda r: (
        f"The rows hardly tell peak {r.names[0]} "
        + (f"from peak {r.names[1]}" if len(r.names) > 1 else "from the background")
        + f": the ± of its area is {100 * r.figures[0]:.0f} % of it."
    ),
    RemarkKind.PEAK_AT_EDGE: lambda r: (
        f"The top of peak {r.names[0]} lies at the end of the rows or beyond, at {r.figures[0]:.6g}: one side of it was not "
        "measured."
    ),
    RemarkKind.PEAK_GONE: lambda r: (
        f"Peak {r.names[0]} is gone: there is none within its width of {r.figures[0]:.6g}."
    ),
    RemarkKind.PEAK_NEW: lambda r: f"Peak {r.names[0]} at {r.figures[0]:.6g} is new: none was expected there.",
    RemarkKind.CEILING: lambda r: (
        f"Neighbouring rows from {r.names[0]} to {r.names[1]} stand at the highest value, {r.names[2]}: a detector at its end "
        "cuts tops so. Set these rows aside, and the flanks tell the top."
    ),
    RemarkKind.BASELINE_LEFT_OUT: lambda r: "its ± leaves that of the baseline out",
    RemarkKind.BETTER_SQUARES: _better("a sum of squares"),
    RemarkKind.BETTER_SCALE: _better("a scale of the residuals"),
}
