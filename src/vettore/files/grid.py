"""Find the table in a grid of cells, as spreadsheets, web tables and the clipboard give them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vettore.core.cells import cells
from vettore.core.cells.number_marks import Evidence
from vettore.core.errors import Fault
from vettore.files.refusals import FileError, check_columns
from vettore.files.unfolded import trailing_summaries, unfolded
from vettore.study.table import RawColumn, Source, Table, columns_from_cells

ROW_SHARE = 0.5
# A header names at least this share of the columns.
HEADER_SHARE = 0.6


@dataclass(frozen=True)
class Block:
    """Where the table stands: its first row and column, and the rows (if any) of names and units."""

    first_row: int
    first_column: int
    columns: int
    names_rows: tuple[int, ...]
    units_row: int | None


def table_from_grid(grid: Sequence[Sequence[str]], source: Source, mark: str | None = None) -> Table:
    """Return the table in a grid of texts; rows above it become notes. Raises FileError when there is none."""
    block = find_block(grid, source.name)
    last = block.first_column + block.columns
    rows = [_cut(row, block.first_column, last) for row in grid[block.first_row :]]
    while rows and not any(cell.strip() for cell in rows[-1]):
        rows.pop()
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    summaries = trailing_summaries(rows)
    below = [" ".join(cell.strip() for cell in row if cell.strip()) for row in rows[len(rows) - summaries :]]
    rows = rows[: len(rows) - summaries]
    names = _names(grid, block)
    units = _cut(grid[block.units_row], block.first_column, last) if block.units_row is not None else []
    columns: list[RawColumn] = []
    read = columns_from_cells([[row[place] for row in rows] for place in range(block.columns)], Evidence(mark))
    for place, column in enumerate(read):
        header = names[place] if place < len(names) else ""
        name, unit = cells.split_unit(header)
        if units:
            unit = cells.clean_unit(units[place])
        empty = column.texts is None and not column.words and not (column.values == column.values).any()
        if empty and not name:
            continue
        columns.append(_called(column, name, unit, place, bool(names), {item.name for item in columns}))
    columns = unfolded(columns, Evidence(mark))
    if not any(column.texts is None for column in columns):
        raise FileError(f"“{source.name}” holds a table, but no column of numbers.", Fault.NOTHING)
    header_rows = {*block.names_rows, block.units_row}
    notes = tuple(
        " ".join(cell.strip() for cell in grid[i] if cell.strip())
        for i in range(block.first_row)
        if i not in header_rows and any(cell.strip() for cell in grid[i])
    )
    notes = (*notes, *below)
    how = (
        *source.how,
        ("names", "none" if not block.names_rows else f"from row {block.names_rows[-1] + 1}"),
        ("units", "from the header" if block.units_row is None else f"from row {block.units_row + 1}"),
        (
            "above the table",
            {0: "nothing", 1: "1 row kept as a note"}.get(len(notes), f"{len(notes)} rows kept as notes"),
        ),
    )
    return Table(
        tuple(columns),
        Source(source.name, source.path, source.digest, source.read_at, how, notes, source.kind, source.options),
    )


def find_block(grid: Sequence[Sequence[str]], name: str) -> Block:
    """Find the rows of numbers and what names them."""
    width = max((len(row) for row in grid), default=0)
    check_columns(width, name)
    good_rows = []
    for i, row in enumerate(grid):
        filled = [cell for cell in row if cell.strip()]
        good = sum(map(cells.is_value, filled))
        if good and good >= ROW_SHARE * sum(not cells.is_blank(cell) for cell in filled):
            good_rows.append(i)
    if not good_rows:
        raise FileError(f"“{name}” holds no table of numbers.", Fault.NOTHING)
    first = good_rows[0]
    sample = [grid[i] for i in good_rows[:300]]
    used = [c for c in range(width) if any(c < len(row) and row[c].strip() for row in sample)]
    left, right = used[0], used[-1] + 1
    above = [i for i in range(first - 1, -1, -1) if any(cell.strip() for cell in grid[i])][:3]
    headers: list[int] = []
    for i in above:
        cells_filled = sum(bool(cell.strip()) for cell in _cut(grid[i], left, right))
        lonely = cells_filled < max(1, (right - left) * HEADER_SHARE)
        if (lonely and not headers) or (lonely and cells_filled < 2 and right - left > 2) or len(headers) == 2:
            break
        headers.append(i)
    units_row = None
    if len(headers) > 1:
        texts = _cut(grid[headers[0]], left, right)
        above_them = _cut(grid[headers[1]], left, right)
        # A second row under merged cells names columns; units stand only under a name of their own.
        named = all(name.strip() for name, text in zip(above_them, texts, strict=True) if text.strip())
        if named and all(cells.is_unit(text.strip("()[] ") or "-") for text in texts):
            units_row = headers.pop(0)
            headers = headers[:1]
    return Block(first, left, right - left, tuple(reversed(headers)), units_row)


def _names(grid: Sequence[Sequence[str]], block: Block) -> list[str]:
    """Return the header of each column; of two header rows the upper is carried over the cells merged with it."""
    rows = [_cut(grid[i], block.first_column, block.first_column + block.columns) for i in block.names_rows]
    if not rows:
        return []
    names = [cell.strip() for cell in rows[-1]]
    for upper in rows[:-1]:
        carried, whole = "", []
        for cell in upper:
            carried = cell.strip() or carried
            whole.append(carried)
        names = [f"{a} {b}".strip() if a != b else b for a, b in zip(whole, names, strict=True)]
    return names


def _called(column: RawColumn, name: str, unit: str, place: int, headed: bool, taken: set[str]) -> RawColumn:
    from dataclasses import replace

    if not name:
        name = ("x", "y")[place] if not headed and place < 2 else f"column {place + 1}"
    if name in taken:
        name = next(f"{name} {k}" for k in range(2, 10_000) if f"{name} {k}" not in taken)
    return replace(column, name=name, unit=unit)


def _cut(row: Sequence[str], left: int, right: int) -> list[str]:
    cut = list(row[left:right])
    return cut + [""] * (right - left - len(cut))
