"""What there is to say of single columns of a series, and their numbers as a table."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.columns.inspection import Finding, FindingKind, Remedy, what_to_look_at
from vettore.core.columns.statistics import (
    Description,
    Relation,
    describe,
    histogram,
    median_absolute_deviation,
    relation,
)
from vettore.core.errors import VettoreError
from vettore.core.rounding import read_number
from vettore.study.series import Role, Series

# Ranks of longer columns take longer than anyone looks at them.
MOST_RELATED = 300_000


def findings_of(series: Series) -> list[Finding]:
    """Return what deserves a look in a series: in its single columns, then in y over x."""
    findings = column_findings(series)
    x, y = series.values(Role.X), series.values(Role.Y)
    if x is not None and y is not None:
        findings += what_to_look_at(x, y, series.in_use)
    return findings


def column_findings(series: Series) -> list[Finding]:
    """Return what there is to say of single columns: blanks, words among numbers, unequal lengths, problems."""
    findings = []
    for place, (column, settings) in enumerate(zip(series.data, series.columns, strict=True)):
        if column.problem:
            findings.append(Finding(FindingKind.BLANK, column=place, remark=column.problem))
        elif column.texts is None:
            findings += [Finding(FindingKind.SAID_IN_FILE, column=place, remark=remark) for remark in column.remarks]
            if settings.raw is not None and series.table.columns[settings.raw].doubt is not None:
                findings.append(Finding(FindingKind.TWO_READINGS, remedy=Remedy.OTHER_READING, column=place))
            findings += _blanks(series, place)
    return findings


def _blanks(series: Series, place: int) -> list[Finding]:
    """Return the findings about cells of a column that hold no number; one that is all blank is no column of numbers."""
    column = series.data[place]
    blank = tuple(np.flatnonzero(~np.isfinite(column.values)).tolist())
    if not blank or len(blank) == series.rows:
        return []
    if column.words:
        findings = [Finding(FindingKind.NOT_NUMBERS, tuple(sorted(column.words)), column=place)]
        rest = tuple(row for row in blank if row not in column.words)
        findings += [Finding(FindingKind.NO_NUMBER, rest, column=place)] if rest else []
    else:
        at_end = blank[0] == series.rows - len(blank)
        findings = [Finding(FindingKind.ENDS_EARLY if at_end else FindingKind.NO_NUMBER, blank, column=place)]
    other = tuple(row for row, word in column.words.items() if read_number(word) is not None)
    return [*findings, Finding(FindingKind.OTHER_MARK, other, column=place)] if other else findings


@dataclass(frozen=True, eq=False)
class ColumnNumbers:
    """A column in numbers, with its bars and how it goes together with x."""

    description: Description
    median_absolute_deviation: float
    bars: tuple[Array, Array]
    x_name: str
    with_x: Relation | None


def column_numbers(series: Series, place: int) -> ColumnNumbers:
    """Return the numbers of a column over the rows that are not set aside. Raises DataError when it is all blank."""
    values = series.data[place].values[series.kept]
    x = series.place(Role.X)
    with_x = None
    if x is not None and x != place and len(values) <= MOST_RELATED:
        with_x = relation(series.data[x].values[series.kept], values)
    return ColumnNumbers(
        describe(values),
        median_absolute_deviation(values),
        histogram(values),
        series.columns[x].name if x is not None else "",
        with_x,
    )


def summary_table(series: Series) -> list[list[str]]:
    """Return the numbers of every column, in full precision, as rows of cells with a header."""
    by_name = {}
    for column, settings in zip(series.data, series.columns, strict=True):
        if column.texts is None:
            try:
                by_name[settings.name] = asdict(describe(column.values[series.kept]))
            except VettoreError:
                continue
    measures = list(next(iter(by_name.values()), {}))
    rows = [["", *by_name]]
    rows += [[m.replace("_", " "), *("" if t[m] is None else repr(t[m]) for t in by_name.values())] for m in measures]
    return rows
