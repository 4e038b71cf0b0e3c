"""What deserves a look in a series, in words: one entry a kind. A test fails when a kind has none."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

from vettore.core.cells.number_marks import MARK_NAMES
from vettore.core.columns.inspection import Finding, FindingKind
from vettore.core.errors import name_rows
from vettore.core.rounding import NumberStyle
from vettore.study.series import Role, Series
from vettore.study.table import RawColumn

# Gaps beyond this are counted.
MOST_GAPS = 3


def finding_sentence(finding: Finding, series: Series, style: NumberStyle) -> str:
    """Return what was found in a series."""
    return FINDINGS[finding.kind](finding, series, style)


def words_in(column: RawColumn) -> str:
    """Return what cells of a column hold no number, as ``5 cells of signal are not numbers: rows 3 and 8 (“<LOD”)``."""
    rows = sorted(column.words)
    if not rows or column.texts is not None:
        return ""
    some = list(dict.fromkeys(column.words[row] for row in rows))
    quoted = ", ".join(f"“{word[:24]}{'…' if len(word) > 24 else ''}”" for word in some[:3])
    more = ", …" if len(some) > 3 else ""
    count = "1 cell" if len(rows) == 1 else f"{len(rows):,} cells"
    verb = "is not a number" if len(rows) == 1 else "are not numbers"
    return f"{count} of {column.name} {verb}: {name_rows([row + 1 for row in rows])} ({quoted}{more})"


def doubt_of(column: RawColumn, other_chosen: bool = False) -> str:
    """Return what is doubtful about the marks in a column, as a sentence; empty where nothing is.

    ``other_chosen`` is whether the user has it read the other way, which is then what the sentence begins with.
    """
    if column.doubt is None:
        return ""
    row = next(
        row for row in range(len(column.values)) if row not in column.doubt.plain and np.isfinite(column.values[row])
    )
    value = float(column.values[row])
    whole, parts = (value, value / 1000) if column.doubt.grouped else (value * 1000, value)
    called = MARK_NAMES[column.doubt.mark]
    text = f"{parts:.3f}".replace(".", column.doubt.mark)
    grouped = column.doubt.grouped != other_chosen
    read, other = (f"{whole:.0f}", f"{parts:.3f}") if grouped else (f"{parts:.3f}", f"{whole:.0f}")
    taken = "to group digits" if grouped else "for the decimal mark"
    return f"{column.name}: the {called} was taken {taken}, so that {text} is {read}; it could also be {other}."


def _name(series: Series, role: Role) -> str:
    column = series.column(role)
    return column.name if column else str(role)


def _rows(finding: Finding) -> str:
    return name_rows([row + 1 for row in finding.rows])


def _far_off(finding: Finding, series: Series, style: NumberStyle) -> str:
    verb, whose = ("is", "its") if len(finding.rows) == 1 else ("are", "their")
    times = style.number(finding.figures[0], 2)
    return f"{_rows(finding).capitalize()} {verb} far from {whose} neighbours ({times} times the scatter there)."


def _gaps(finding: Finding, series: Series, style: NumberStyle) -> str:
    usual, *ends = finding.figures
    pairs = list(zip(ends[::2], ends[1::2], strict=True))
    spans = ", ".join(f"{style.short(start)} to {style.short(end)}" for start, end in pairs[:MOST_GAPS])
    more = f" and {len(pairs) - MOST_GAPS} more" if len(pairs) > MOST_GAPS else ""
    count = "a gap" if len(pairs) == 1 else f"{len(pairs)} gaps"
    return f"{_name(series, Role.X)} is regular (every {style.short(usual)}) with {count}: {spans}{more}."


def _at_limit(which: str) -> Callable[[Finding, Series, NumberStyle], str]:
    def words(finding: Finding, series: Series, style: NumberStyle) -> str:
        level = f"the {which} {_name(series, Role.Y)}, {style.short(finding.figures[0])}"
        return f"{len(finding.rows)} rows have {level}: was the instrument at its limit?"

    return words


def _consequence(finding: Finding, series: Series) -> str:
    used = series.columns[finding.column].role in (Role.X, Role.Y)
    return "left out of every fit" if used else "not used by any curve"


def _column(finding: Finding, series: Series) -> str:
    return series.columns[finding.column].name


def _two_readings(finding: Finding, series: Series, style: NumberStyle) -> str:
    settings = series.columns[finding.column]
    assert settings.raw is not None
    return doubt_of(series.table.columns[settings.raw], settings.other_reading)


FINDINGS: Mapping[FindingKind, Callable[[Finding, Series, NumberStyle], str]] = {
    FindingKind.FAR_OFF: _far_off,
    FindingKind.REPEATED_X: lambda finding, series, style: (
        f"{len(finding.rows)} rows share {_name(series, Role.X)} = {style.short(finding.figures[0])}."
    ),
    FindingKind.REPEATED_XS: lambda finding, series, style: (
        f"{finding.figures[0]:.0f} values of {_name(series, Role.X)} are repeated, in {len(finding.rows)} rows."
    ),
    FindingKind.NO_ORDER: lambda finding, series, style: f"{_name(series, Role.X)} is in no order.",
    FindingKind.GOES_BACK: lambda finding, series, style: f"{_name(series, Role.X)} goes back at {_rows(finding)}.",
    FindingKind.GAPS: _gaps,
    FindingKind.AT_LARGEST: _at_limit("largest"),
    FindingKind.AT_SMALLEST: _at_limit("smallest"),
    FindingKind.BLANK: lambda finding, series, style: f"{_column(finding, series)} is blank: {finding.remark}",
    FindingKind.SAID_IN_FILE: lambda finding, series, style: finding.remark,
    FindingKind.TWO_READINGS: _two_readings,
    FindingKind.ENDS_EARLY: lambda finding, series, style: (
        f"{_column(finding, series)} is shorter: {_rows(finding)} have no value ({_consequence(finding, series)})."
    ),
    FindingKind.NOT_NUMBERS: lambda finding, series, style: (
        f"{words_in(series.data[finding.column])}; {_consequence(finding, series)}."
    ),
    FindingKind.NO_NUMBER: lambda finding, series, style: (
        f"No number in {_column(finding, series)}: {_rows(finding)} ({_consequence(finding, series)})."
    ),
    FindingKind.OTHER_MARK: lambda finding, series, style: (
        f"{_column(finding, series)}: {_rows(finding)} use another decimal mark."
    ),
}
