"""What there is to say of single columns of a series, and their numbers as a table."""

from __future__ import annotations

from dataclasses import asdict, dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import VettoreError, name_rows
from vettore.core.inspection import Finding, Remedy
from vettore.core.rounding import read_number
from vettore.core.statistics import (
    Description,
    Relation,
    describe,
    histogram,
    median_absolute_deviation,
    relation,
)
from vettore.study.series import Role, Series
from vettore.study.table import doubt_of, words_in

# Ranks of longer columns take longer than anyone looks at them.
MOST_RELATED = 300_000


def column_findings(series: Series) -> list[Finding]:
    """Return what there is to say of single columns: blanks, words among numbers, unequal lengths, problems."""
    found = []
    for place, (column, settings) in enumerate(zip(series.data, series.columns, strict=True)):
        if column.problem:
            found.append(Finding(f"{settings.name} is blank: {column.problem}", ()))
            continue
        if column.texts is not None:
            continue
        found += [Finding(words, ()) for words in column.remarks]
        doubt = "" if settings.raw is None else doubt_of(series.table.columns[settings.raw], settings.other_reading)
        if doubt:
            found.append(Finding(doubt, (), Remedy.OTHER_READING, place))
        blank = np.flatnonzero(~np.isfinite(column.values))
        if not len(blank) or len(blank) == series.rows:
            continue
        used = settings.role in (Role.X, Role.Y)
        consequence = "left out of every fit" if used else "not used by any curve"
        rows = tuple(int(row) for row in blank)
        named = name_rows([row + 1 for row in rows])
        if len(column.words) == 0 and blank[0] == series.rows - len(blank):
            found.append(Finding(f"{settings.name} is shorter: {named} have no value ({consequence}).", rows))
        elif column.words:
            found.append(Finding(f"{words_in(column)}; {consequence}.", tuple(sorted(column.words))))
            rest = tuple(row for row in rows if row not in column.words)
            if rest:
                rest_named = name_rows([row + 1 for row in rest])
                found.append(Finding(f"No number in {settings.name}: {rest_named} ({consequence}).", rest))
        else:
            found.append(Finding(f"No number in {settings.name}: {named} ({consequence}).", rows))
        other = [row for row, word in column.words.items() if read_number(word) is not None]
        if other:
            found.append(
                Finding(
                    f"{settings.name}: {name_rows([r + 1 for r in other])} use another decimal mark.", tuple(other)
                )
            )
    return found


@dataclass(frozen=True, eq=False)
class ColumnNumbers:
    """A column in numbers, with its bars and how it goes together with x."""

    told: Description
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
    told = {}
    for column, settings in zip(series.data, series.columns, strict=True):
        if column.texts is None:
            try:
                told[settings.name] = asdict(describe(column.values[series.kept]))
            except VettoreError:
                continue
    measures = list(next(iter(told.values()), {}))
    rows = [["", *told]]
    rows += [[m.replace("_", " "), *("" if t[m] is None else repr(t[m]) for t in told.values())] for m in measures]
    return rows
