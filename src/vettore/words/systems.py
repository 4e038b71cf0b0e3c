"""Fitted systems in words: what a sentence says of one, its columns, its coefficients, what was read off it."""

from __future__ import annotations

from collections.abc import Mapping

from vettore.core.errors import VettoreError
from vettore.core.remarks import RemarkKind, counted, listed
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.system_readings import read_off, words_of
from vettore.study.fitting.systems import DerivedSystem, SystemAnswer, name_of
from vettore.words.fits import conflict_in_words
from vettore.words.lines import Line

# What is only told, and is no reason to doubt.
TOLD_ONLY = frozenset(
    {
        RemarkKind.ROWS_WITHOUT_NUMBER,
        RemarkKind.RANGES_BENT,
        RemarkKind.UNIT_DROPPED,
        RemarkKind.DATES_AS_TIME,
        RemarkKind.DURATIONS_AS_TIME,
    }
)


def doubts_of(system: DerivedSystem) -> tuple[str, ...]:
    """Return what speaks against a system, in sentences."""
    doubts = [remark.sentence for remark in system.result.remarks if remark.kind not in TOLD_ONLY]
    return (*doubts, *(conflict_in_words(conflict) for conflict in system.units.contradictions))


def notes_of(system: DerivedSystem) -> tuple[str, ...]:
    """Return what else is to be known."""
    return tuple(remark.sentence for remark in system.result.remarks if remark.kind in TOLD_ONLY)


def sentence_of(system: DerivedSystem, style: NumberStyle) -> str:
    """Say what was fitted, how well it goes through the columns, and whether there are doubts."""
    result = system.result
    shares = [(name, value) for name, value in result.r_squared.items() if value is not None]
    least = min(shares, key=lambda pair: pair[1], default=None)
    over = f"{name_of(system.recipe)} over {system.over}: {counted(len(result.fitted_names), 'coefficient')} from "
    over += f"{counted(result.n, 'number')} in {listed(system.measured)}."
    through = ""
    if least is not None:
        percent = style.fixed(100 * least[1], 1 if least[1] < 0.999 else 2)
        of_all = "or more of what each column does" if len(shares) > 1 else f"of what {least[0]} does"
        through = f" It accounts for {percent} % {of_all}."
    count = len(doubts_of(system))
    end = " Nothing speaks against it." if not count else f" {counted(count, 'thing')} to look at."
    return over + through + end


def coefficient_lines(system: DerivedSystem, style: NumberStyle) -> tuple[Line, ...]:
    """Return each coefficient with its ± and unit; what is held or at a limit says so."""
    out = []
    for name, entry in system.result.coefficients.items():
        more = " (held)" if entry.held else " (at its limit)" if entry.at_limit else ""
        out.append(Line(name, style.pair(entry.value, entry.standard_error, system.unit_of(name)) + more))
    return tuple(out)


def column_lines(system: DerivedSystem, style: NumberStyle) -> tuple[Line, ...]:
    """Return of each measured column its scatter, R² and number of rows."""
    out = []
    for name, scatter in system.result.scatters.items():
        share = system.result.r_squared[name]
        out.append(Line(f"scatter of {name}", f"{style.number(scatter, 3)} {system.unit_of(name)}".rstrip()))
        out += [] if share is None else [Line(f"R² of {name}", style.number(share, 5))]
        out.append(Line(f"rows of {name}", str(len(system.result.residuals[name]))))
    return tuple(out)


def conserved_words(totals: tuple[Mapping[str, float], ...], style: NumberStyle) -> tuple[str, ...]:
    """Return the sums of states that never change, as ``A + B + 2 C``."""
    return tuple(
        " + ".join(name if factor == 1 else f"{style.short(factor, 6)} {name}" for name, factor in total.items())
        for total in totals
    )


def answer_words(answer: SystemAnswer, style: NumberStyle) -> str:
    """Return a number that was read, with its ± and unit."""
    beyond = ", beyond the data" if answer.beyond else ""
    return style.pair(answer.value, answer.standard_error, answer.unit) + beyond


def reading_lines(
    system: DerivedSystem, style: NumberStyle
) -> tuple[tuple[int, Line, tuple[SystemAnswer, ...]], ...]:
    """Return what the kept readings say: the place of each among them, its line or lines, and its answers."""
    out: list[tuple[int, Line, tuple[SystemAnswer, ...]]] = []
    for place, reading in enumerate(system.recipe.readings):
        try:
            answers = read_off(system, reading)
        except VettoreError as error:
            out.append((place, Line(words_of(reading), str(error)), ()))
            continue
        if not answers:
            out.append((place, Line(words_of(reading), "there is no such place within the data"), ()))
        out += [(place, Line(answer.called, answer_words(answer, style)), (answer,)) for answer in answers]
    return tuple(out)
