"""What there is to say of single columns of a series, and their numbers as a table."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np

from vettore.core.errors import VettoreError, name_rows
from vettore.core.inspection import Finding
from vettore.core.rounding import read_number
from vettore.core.statistics import describe
from vettore.study.series import Role, Series


def column_findings(series: Series) -> list[Finding]:
    """Return what there is to say of single columns: blanks, words among numbers, unequal lengths, problems."""
    found = []
    for column, settings in zip(series.data, series.columns, strict=True):
        if column.problem:
            found.append(Finding(f"{settings.name} is blank: {column.problem}", ()))
            continue
        if column.texts is not None:
            continue
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
            words = ", ".join(f"“{word}”" for word in dict.fromkeys(list(column.words.values())[:3]))
            found.append(
                Finding(f"{settings.name} has words among its numbers ({words}): {named}, {consequence}.", rows)
            )
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
