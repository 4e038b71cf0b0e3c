"""From raw columns to the columns that are used: cells typed over, units converted, worked columns.

Nothing here changes a raw value; every column is worked out anew from the raw ones and the decisions.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Literal

import numpy as np

from vettore.core.arrays import Array
from vettore.core.cells.dates import SECONDS, TimeUnit, seconds_of
from vettore.core.columns.differences import slope_through_neighbours
from vettore.core.errors import FormulaError, VettoreError
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_expression
from vettore.core.formula.tree import Node, names
from vettore.core.rounding import read_number
from vettore.study.table import RawColumn, Table

# Names that a worked column may use beside those of columns.
SLOPE, ROW = "slope", "row"


class Role(StrEnum):
    """What a column is for; the value is the word on screen."""

    X = "x"
    Y = "y"
    Y_ERROR = "± of y"
    X_ERROR = "± of x"
    CORRELATION = "correlation"
    COVARIANCE = "covariance"
    TRIALS = "number of trials"
    Z = "z"
    CARRIED = "carried along"
    TEXT = "text"


@dataclass(frozen=True)
class ColumnSettings:
    """What the user decided about a column.

    ``raw`` is its place in the table (None for a worked column, which has a ``formula``). Values in use are
    raw·factor + offset; ``places`` is the number of decimal places shown (None: as it came). With ``elapsed``
    (s, min, h or d) a column of dates gives the time passed since ``zero`` (empty: since its first row).
    ``other_reading`` takes a mark that may group digits or part decimals the other way than it was read.
    """

    name: str
    unit: str
    role: Role
    raw: int | None = None
    formula: str = ""
    factor: float = 1.0
    offset: float = 0.0
    places: int | None = None
    elapsed: TimeUnit | Literal[""] = ""
    zero: str = ""
    other_reading: bool = False


@dataclass(frozen=True)
class CellEdit:
    """What was typed over a cell of a raw column."""

    row: int
    raw: int
    text: str


def effective_columns(
    table: Table, settings: tuple[ColumnSettings, ...], edits: tuple[CellEdit, ...]
) -> tuple[RawColumn, ...]:
    """Return one column per setting. A worked column that cannot be worked out is blank and says why."""
    ready: dict[int, RawColumn] = {}
    for place, setting in enumerate(settings):
        if setting.raw is not None:
            ready[place] = _from_raw(
                table.columns[setting.raw], setting, [edit for edit in edits if edit.raw == setting.raw]
            )
    worked = {place: column for place, column in enumerate(settings) if column.raw is None}
    trees: dict[int, Node] = {}
    known = column_names(settings)
    for place, item in worked.items():
        try:
            trees[place] = read_expression(item.formula, known)
        except FormulaError as error:
            ready[place] = _blank(item, table.rows, f"{error.message} {error.hint}".strip())
    named: dict[str, list[int]] = {}
    for place, item in enumerate(settings):
        named.setdefault(item.name, []).append(place)
    awaited = {
        place: {other for name in _names_needed(tree, settings) for other in named.get(name, ()) if other in trees}
        for place, tree in trees.items()
    }
    followers: dict[int, list[int]] = {}
    for place, others in awaited.items():
        for other in others:
            followers.setdefault(other, []).append(place)
    able = [place for place, others in awaited.items() if not others]
    while able:
        place = able.pop()
        ready[place] = _work_out(worked[place], trees.pop(place), settings, ready, named, table.rows)
        for follower in followers.get(place, ()):
            awaited[follower].discard(place)
            if not awaited[follower]:
                able.append(follower)
    for place in trees:
        ready[place] = _blank(worked[place], table.rows, "It refers to itself, directly or through others.")
    return tuple(ready[place] for place in range(len(settings)))


def column_names(settings: tuple[ColumnSettings, ...]) -> list[str]:
    """Return the names that a worked column or a condition may use."""
    return [*(setting.name for setting in settings), SLOPE, ROW]


def values_by_name(settings: tuple[ColumnSettings, ...], data: tuple[RawColumn, ...], rows: int) -> dict[str, object]:
    """Return the columns by name, for conditions and formulas; of equal names the first counts."""
    by_name: dict[str, object] = {ROW: np.arange(1.0, rows + 1)}
    x, y = (_of_role(settings, dict(enumerate(data)), role) for role in (Role.X, Role.Y))
    if x is not None and y is not None:
        by_name[SLOPE] = slope_through_neighbours(x, y)
    for item, column in reversed(list(zip(settings, data, strict=True))):
        by_name[item.name] = column.values if column.texts is None else np.array(column.texts, dtype=object)
    return by_name


def _names_needed(tree: Node, settings: tuple[ColumnSettings, ...]) -> set[str]:
    """Return the names of the columns that a tree needs."""
    wanted = set(names(tree))
    if SLOPE in wanted:
        wanted |= {setting.name for setting in settings if setting.role in (Role.X, Role.Y)}
    return wanted


def _from_raw(raw: RawColumn, settings: ColumnSettings, edits: list[CellEdit]) -> RawColumn:
    column = replace(
        raw, name=settings.name, unit=settings.unit, places=raw.places if settings.places is None else settings.places
    )
    if settings.other_reading and raw.doubt is not None:
        shown = settings.places if settings.places is not None else 3 if raw.doubt.grouped else 0
        column = replace(column, values=raw.doubt.other_values(raw.values), places=shown)
    if edits:
        column = _edited(column, edits)
    if settings.elapsed and column.texts is not None:
        column = _elapsed(column, settings)
    if column.texts is None and (settings.factor, settings.offset) != (1.0, 0.0):
        places = settings.places if settings.places is not None else None
        column = replace(column, values=column.values * settings.factor + settings.offset, places=places)
    return column


def _elapsed(column: RawColumn, settings: ColumnSettings) -> RawColumn:
    """Turn dates into the time passed since a zero."""
    seconds = seconds_of([*(column.texts or ()), *([settings.zero] if settings.zero else [])])
    if seconds is None:
        return replace(column, texts=None, places=None, problem="The cells are no dates.")
    zero = seconds[-1] if settings.zero else seconds[np.isfinite(seconds)][0]
    values = (seconds[: len(column.texts or ())] - zero) / SECONDS[settings.elapsed]
    return replace(column, values=values, texts=None, words={}, places=None)


def _edited(column: RawColumn, edits: list[CellEdit]) -> RawColumn:
    if column.texts is not None:
        texts = list(column.texts)
        for edit in edits:
            texts[edit.row] = edit.text
        return replace(column, texts=tuple(texts))
    values, words = column.values.copy(), dict(column.words)
    for edit in edits:
        number = read_number(edit.text)
        values[edit.row] = np.nan if number is None else number
        words.pop(edit.row, None)
        if number is None and edit.text.strip():
            words[edit.row] = edit.text
    return replace(column, values=values, words=words)


def _work_out(
    item: ColumnSettings,
    tree: Node,
    settings: tuple[ColumnSettings, ...],
    ready: dict[int, RawColumn],
    named: dict[str, list[int]],
    rows: int,
) -> RawColumn:
    wanted = set(names(tree))
    columns: dict[str, Array] = {}
    for name, places in ((name, named.get(name, ())) for name in sorted(wanted)):
        # Of equal names the first counts.
        column = next((ready[place] for place in places if place in ready), None)
        if column is None:
            continue
        if column.texts is not None:
            return _blank(item, rows, f"{name} holds text.")
        if column.problem:
            return _blank(item, rows, f"{name} has no values.")
        columns[name] = column.values
    if ROW in wanted and ROW not in columns:
        columns[ROW] = np.arange(1.0, rows + 1)
    if SLOPE in wanted and SLOPE not in columns:
        x, y = (_of_role(settings, ready, role) for role in (Role.X, Role.Y))
        if x is None or y is None:
            return _blank(item, rows, "A slope needs a column for x and one for y.")
        columns[SLOPE] = slope_through_neighbours(x, y)
    try:
        values = evaluate(tree, columns, rows)
    except VettoreError as error:
        return _blank(item, rows, str(error))
    values = np.where(np.isfinite(values), values, np.nan)
    return RawColumn(item.name, item.unit, values, places=item.places)


def _of_role(settings: tuple[ColumnSettings, ...], ready: dict[int, RawColumn], role: Role) -> Array | None:
    return next((ready[p].values for p, setting in enumerate(settings) if setting.role is role and p in ready), None)


def _blank(settings: ColumnSettings, rows: int, problem: str) -> RawColumn:
    return RawColumn(settings.name, settings.unit, np.full(rows, np.nan), places=settings.places, problem=problem)
