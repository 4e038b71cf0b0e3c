"""New tables made from a series: averages of repeats, thinning, a moving median, practice data. Never in place."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array
from vettore.core.columns.practice_data import PracticeData
from vettore.core.errors import DataError, Fault
from vettore.study.series import Role, Series
from vettore.study.table import RawColumn, Source, Table, cell_texts, typed_column


def _xy(series: Series) -> tuple[Array, Array]:
    x, y = series.values(Role.X), series.values(Role.Y)
    if x is None or y is None:
        raise DataError(f"{series.name} needs a column for x and one for y.", Fault.MISSING)
    rows = series.in_use
    if not rows.any():
        raise DataError(f"{series.name} has no rows in use.", Fault.NOTHING)
    return x[rows], y[rows]


def _named(series: Series, role: Role, values: Array, name: str = "", places: int | None = None) -> RawColumn:
    column = series.column(role)
    return RawColumn(
        name or (column.name if column else str(role)), column.unit if column else "", values, places=places
    )


def averages_of_repeats(series: Series) -> Table:
    """Return one row per x with the mean y, its standard error (blank for a single row) and the count."""
    x, y = _xy(series)
    places, which, counts = np.unique(x, return_inverse=True, return_counts=True)
    if (counts == 1).all():
        raise DataError(f"No x of {series.name} is repeated: there is nothing to average.", Fault.NOTHING)
    mean = np.bincount(which, y) / counts
    squares = np.bincount(which, (y - mean[which]) ** 2)
    with np.errstate(all="ignore"):
        error = np.where(counts > 1, np.sqrt(squares / (counts - 1) / counts), np.nan)
    y_column = series.column(Role.Y)
    columns = (
        _named(series, Role.X, places),
        _named(series, Role.Y, mean),
        RawColumn("standard error", y_column.unit if y_column else "", error),
        RawColumn("count", "", counts.astype(np.float64), places=0),
    )
    return Table(columns, _source(series, "averages of repeats"))


def across_columns(series: Series, places: Sequence[int]) -> Table:
    """Return, for each row, count, sum, mean, standard deviation, smallest and largest across some columns."""
    if len(places) < 2:
        raise DataError("Numbers across columns need at least two columns of numbers.", Fault.TOO_FEW)
    block = np.column_stack([series.data[place].values for place in places])
    good = np.isfinite(block)
    count = good.sum(axis=1)
    filled = np.where(good, block, 0.0)
    with np.errstate(all="ignore"):
        total = np.where(count > 0, filled.sum(axis=1), np.nan)
        mean = total / count
        squares = np.where(good, (block - mean[:, None]) ** 2, 0.0).sum(axis=1)
        spread = np.where(count > 1, np.sqrt(squares / (count - 1)), np.nan)
        low = np.where(count > 0, np.where(good, block, np.inf).min(axis=1), np.nan)
        high = np.where(count > 0, np.where(good, block, -np.inf).max(axis=1), np.nan)
    units = {series.columns[place].unit for place in places}
    unit = units.pop() if len(units) == 1 else ""
    columns = (
        RawColumn("row", "", np.arange(1.0, series.rows + 1), places=0),
        RawColumn("mean", unit, mean),
        RawColumn("count", "", count.astype(np.float64), places=0),
        RawColumn("sum", unit, total),
        RawColumn("standard deviation", unit, spread),
        RawColumn("smallest", unit, low),
        RawColumn("largest", unit, high),
    )
    named = ", ".join(series.columns[place].name for place in places)
    return Table(columns, _source(series, f"each row across {named}"))


def every_nth(series: Series, step: int) -> Table:
    """Return every ``step``-th row in use."""
    if step < 2:
        raise DataError("Thinning keeps every 2nd row or fewer; give a whole number from 2 on.", Fault.OUT_OF_BOUNDS)
    x, y = _xy(series)
    columns = (_named(series, Role.X, x[::step].copy()), _named(series, Role.Y, y[::step].copy()))
    return Table(columns, _source(series, f"every {step}. row"))


def moving_median(series: Series, width: int) -> Table:
    """Return the median of y over ``width`` neighbouring rows by rising x; the window narrows at the ends."""
    if width < 3 or width % 2 == 0:
        raise DataError("A moving median takes an odd number of rows from 3 on.", Fault.OUT_OF_BOUNDS)
    x, y = _xy(series)
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    if width > len(y):
        raise DataError(f"The window has {width} rows, the series only {len(y)}.", Fault.TOO_FEW)
    half = width // 2
    inner = np.median(np.lib.stride_tricks.sliding_window_view(y, width), axis=1)
    left = [float(np.median(y[: 2 * i + 1])) for i in range(half)]
    right = [float(np.median(y[len(y) - 2 * i - 1 :])) for i in reversed(range(half))]
    columns = (_named(series, Role.X, x), _named(series, Role.Y, np.concatenate([left, inner, right])))
    return Table(columns, _source(series, f"moving median over {width} rows"))


def practice_table(data: PracticeData) -> Table:
    """Return practice data as a table; its source tells the truth."""
    truth = ", ".join(f"{name} = {value:.6g}" for name, value in data.values.items())
    how = (("made from", data.formula), ("true values", truth), ("outliers", str(len(data.outliers))))
    columns = (RawColumn(data.x_name, "", data.x), RawColumn(data.y_name, "", data.y))
    return Table(columns, Source("practice data", how=how, kind="practice"))


def _source(series: Series, what: str) -> Source:
    return Source("", how=(("made from", series.name), ("by", what)), kind="made")


# Typed tables: data of their own, so edits make a new table.


def empty_table(columns: int = 2, rows: int = 1) -> Table:
    """Return a table to type into."""
    names = ["x", "y", *(f"column {i}" for i in range(3, columns + 1))]
    result = tuple(RawColumn(name, "", np.full(rows, np.nan)) for name in names[:columns])
    return Table(result, Source("", how=(("read as", "typed"),), kind="typed"))


def write_block(table: Table, row: int, place: int, block: Sequence[Sequence[str]]) -> Table:
    """Return a typed table with a block of cells written from (row, place) on; it grows where the block needs it."""
    rows = max(table.rows, row + len(block))
    width = max([place + len(line) for line in block], default=0)
    texts = [cell_texts(column) + [""] * (rows - table.rows) for column in table.columns]
    columns = list(table.columns)
    while len(columns) < width:
        k = len(columns) + 1
        taken = {column.name for column in columns}
        name = next(n for n in (f"column {k}", *(f"column {k} {i}" for i in range(2, 1000))) if n not in taken)
        columns.append(RawColumn(name, "", np.full(rows, np.nan)))
        texts.append([""] * rows)
    for i, line in enumerate(block):
        for j, cell in enumerate(line):
            texts[place + j][row + i] = cell.strip()
    touched = set(range(place, place + max((len(line) for line in block), default=0)))
    result = tuple(
        typed_column(cells, column.name, column.unit) if i in touched or rows != table.rows else column
        for i, (column, cells) in enumerate(zip(columns, texts, strict=True))
    )
    return Table(result, table.source)


def insert_rows(table: Table, at: int, count: int = 1) -> Table:
    """Return a typed table with blank rows put in."""
    return _with_rows(table, [*range(at), *([-1] * count), *range(at, table.rows)])


def delete_rows(table: Table, rows: Sequence[int]) -> Table:
    """Return a typed table without some rows. Raises DataError when none would be left."""
    numbers = set(rows)
    if len(numbers) >= table.rows:
        raise DataError("A table needs at least one row. Remove the series instead.", Fault.TOO_FEW)
    return _with_rows(table, [row for row in range(table.rows) if row not in numbers])


def _with_rows(table: Table, rows: list[int]) -> Table:
    columns = []
    for column in table.columns:
        texts = cell_texts(column)
        cells = [texts[row] if row >= 0 else "" for row in rows]
        columns.append(typed_column(cells, column.name, column.unit))
    return Table(tuple(columns), table.source)


def filled_sequence(start: float, count: int, step: float | None, end: float | None, logarithmic: bool) -> list[str]:
    """Return the cells of a sequence: from start by steps, or to an end; linear or logarithmic. Raises DataError."""
    if not 1 <= count <= 1_000_000:
        raise DataError("A sequence has between 1 and 1,000,000 values.", Fault.OUT_OF_BOUNDS)
    if logarithmic:
        last = end if end is not None else start * (step or 1.0) ** (count - 1)
        if start <= 0 or last <= 0:
            raise DataError("A logarithmic sequence stays above 0.", Fault.OUT_OF_BOUNDS)
        values = np.asarray(np.geomspace(start, last, count), dtype=np.float64)
    elif end is not None:
        values = np.asarray(np.linspace(start, end, count), dtype=np.float64)
    else:
        # start + k·step for each k: adding steps up would add up their rounding.
        values = np.asarray(start + np.arange(count) * (step or 1.0), dtype=np.float64)
    return [repr(float(f"{value:.15g}")) for value in values]
