"""Read delimited text as instruments write it.

Up to ``LARGE`` bytes every cell is read by our own rules. Larger files without quotes go through pandas' C reader
with the same layout; columns that it does not find purely numeric, that have blanks, or whose marks are not beyond doubt
are read again by our rules, so that both ways give the same table.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

from vettore.core.arrays import LARGEST_WHOLE, Array, finite
from vettore.core.cells import cells
from vettore.core.cells.number_marks import Marks, decide, decide_together, places_in
from vettore.core.errors import Fault
from vettore.files import large
from vettore.files.encodings import SAMPLE_BYTES, encoding_of, text_of
from vettore.files.large import columns_of
from vettore.files.refusals import FileError, check_columns, read_bytes, shown_name, shown_path
from vettore.files.sniff import FEWEST_LINES, Layout, guess, header_cells, lines_of, rows_of
from vettore.files.unfolded import MOST_SUMMARIES, names_things, trailing_summaries, unfolded
from vettore.study.table import (
    PLACES_ROWS,
    RawColumn,
    Source,
    Table,
    column_from_cells,
    columns_from_cells,
    file_votes,
)

LARGE = 2 * 1024 * 1024
# Rows of a long text that tell which marks a column takes; columns that leave room for doubt are read whole.
SAMPLE_ROWS = 1000

Change = Callable[[Layout, str], Layout]


def read_table(path: Path | str, change: Change | None = None) -> tuple[Table, Layout]:
    """Read a delimited text file; return the table and the layout it was read with.

    ``change`` may replace parts of the guessed layout, given it and the first lines. Raises FileError in a sentence.
    """
    path = Path(path)
    return read_as_it_is(path, change) or parse(read_bytes(path), shown_name(path), shown_path(path), change)


def parse(data: bytes, name: str, path: str = "", change: Change | None = None) -> tuple[Table, Layout]:
    """Read a delimited text that is in memory; see read_table."""
    encoding = encoding_of(data, name)
    head, layout = _begin(data, encoding, name, change)
    if len(data) <= LARGE:
        columns, notes = _read_small(text_of(data, layout.encoding), layout, name)
        return _table(columns, notes, layout, name, path, digest_of(data)), layout
    columns, notes = _from_long(large.read(data, layout, name), head, layout)
    return _table(columns, notes, layout, name, path, "", lambda: digest_of(data)), layout


def read_as_it_is(path: Path, change: Change | None = None) -> tuple[Table, Layout] | None:
    """Read a long text straight from its file; None when it is short, or must be put in order in memory first."""
    name = shown_name(path)
    try:
        with path.open("rb") as file:
            size = file.seek(0, 2)
            if size <= LARGE:
                return None
            file.seek(0)
            start = file.read(2 * SAMPLE_BYTES)
            file.seek(max(size - 64, 0))
            tail = file.read()
    except OSError:
        return None  # reading it whole says what is wrong
    encoding = encoding_of(start[: start.rfind(b"\n") + 1] or start, name)
    head, layout = _begin(start, encoding, name, change)
    if not large.takes_as_it_is(start, tail, layout) or large.holds_quotes(str(path)):
        return None
    result = large.read_from_file(str(path), head, layout, name)
    if result is None:
        return None
    columns, notes = _from_long(result, head, layout)
    return _table(columns, notes, layout, name, shown_path(path), "", lambda: _digest_of_file(path)), layout


def _begin(data: bytes, encoding: str, name: str, change: Change | None) -> tuple[str, Layout]:
    """Return the first lines and the layout."""
    size = 2 * SAMPLE_BYTES
    while data.count(b"\n", 0, size) < FEWEST_LINES and size < len(data):
        size *= 8
    head = text_of(data[:size], encoding)
    layout = guess(head, encoding, name)
    if change is not None:
        layout = change(layout, head)
    check_columns(layout.columns, name)
    return head, layout


def _table(
    columns: tuple[RawColumn, ...],
    notes: list[str],
    layout: Layout,
    name: str,
    path: str,
    digest: str,
    later: Callable[[], str] | None = None,
) -> Table:
    if not any(column.texts is None for column in columns):
        raise FileError(
            f"“{name}” holds a table, but no column of numbers. Check the delimiter and the decimal mark.",
            Fault.NOTHING,
        )
    source = Source(
        name=name,
        path=path,
        digest=digest,
        read_at=datetime.now().astimezone().isoformat(timespec="seconds"),
        how=layout.describe(len(notes)),
        notes=tuple(notes),
    )
    if later is None:
        return Table(columns, source)
    worker = ThreadPoolExecutor(1, "digest")
    digested = worker.submit(later)
    worker.shutdown(wait=False)
    return Table(columns, source, digested.result)


def _digest_of_file(path: Path) -> str:
    try:
        with path.open("rb") as file:
            return hashlib.file_digest(file, "sha256").hexdigest()
    except OSError:
        return ""


def digest_of(data: bytes) -> str:
    """Return the SHA-256 of a file's bytes."""
    return hashlib.sha256(data).hexdigest()


def _is_comment(line: str, layout: Layout) -> bool:
    return bool(layout.comment_mark) and line.lstrip().startswith(layout.comment_mark)


def _notes_above(lines: list[str], layout: Layout) -> list[str]:
    header = (layout.names_line, layout.units_line, layout.group_line)
    return [line.strip() for i, line in enumerate(lines[: layout.first_row]) if i not in header and line.strip()]


def _read_small(text: str, layout: Layout, name: str) -> tuple[tuple[RawColumn, ...], list[str]]:
    lines = lines_of(text)
    below = lines[layout.first_row :]
    comments = [line.strip() for line in below if _is_comment(line, layout)]
    body = "\n".join(line for line in below if not _is_comment(line, layout)) if comments else "\n".join(below)
    cells_of, beside = _measured_rows(columns_of(body, layout, name), lines, layout)
    columns = columns_from_cells(cells_of, layout.evidence)
    named = unfolded(_named(columns, lines, layout, cells_of), layout.evidence)
    return tuple(named), [*_notes_above(lines, layout), *comments, *beside]


def _measured_rows(columns: list[list[str]], lines: list[str], layout: Layout) -> tuple[list[list[str]], list[str]]:
    """Return columns without rows that are no measurements, and these as notes: names that come again, sums at the end."""
    notes: list[str] = []
    names = [] if layout.names_line is None else header_cells(lines[layout.names_line], layout, layout.comment_mark)
    if any(names):
        header = [names[k] if k < len(names) else "" for k in range(len(columns))]
        first = (row for row, cell in enumerate(columns[0]) if cell == header[0])
        again = {row for row in first if [column[row] for column in columns] == header}
        if again:
            notes = [layout.joined(header)] * len(again)
            columns = [[cell for row, cell in enumerate(column) if row not in again] for column in columns]
    count = trailing_summaries([*zip(*(column[-MOST_SUMMARIES - 1 :] for column in columns), strict=True)])
    if count:
        last = zip(*(column[-count:] for column in columns), strict=True)
        notes += [layout.joined(row) for row in last if any(row)]
        columns = [column[:-count] for column in columns]
    return columns, notes


def _named(
    columns: list[RawColumn], lines: list[str], layout: Layout, cells_of: list[list[str]] | None = None
) -> tuple[RawColumn, ...]:
    """Give the columns their names and units; drop columns that have neither a header nor any cell."""
    names: list[str] = []
    units: list[str] = []
    if layout.names_line is not None:
        names = header_cells(lines[layout.names_line], layout, layout.comment_mark)
    if layout.units_line is not None:
        units = header_cells(lines[layout.units_line], layout, layout.comment_mark)
    if len(names) > len(columns) and sum(map(bool, names)) == len(columns):
        # Names that stand with blanks between them, over cells that do not.
        names = [name for name in names if name]
    names = _with_groups(names, lines, layout)
    named: list[RawColumn] = []
    for place, column in enumerate(columns):
        header = names[place].strip() if place < len(names) else ""
        empty = column.texts is None and not column.words and not np.isfinite(column.values).any()
        if empty and not header:
            continue
        name, unit = cells.split_unit(header)
        if cells_of is not None and names_things(name, cells_of[place]):
            blank = np.full(len(cells_of[place]), np.nan)
            words = "Cells such as 1E5 were read as names, not as powers of ten."
            column = RawColumn("", "", blank, texts=tuple(cells_of[place]), remarks=(words,))
        if place < len(units):
            unit = cells.clean_unit(units[place])
        if not name:
            name = ("x", "y")[place] if not names and place < 2 else f"column {place + 1}"
        taken = {other.name for other in named}
        if name in taken:
            name = next(f"{name} {k}" for k in range(2, 10_000) if f"{name} {k}" not in taken)
        named.append(replace(column, name=name, unit=unit))
    return tuple(named)


def _with_groups(names: list[str], lines: list[str], layout: Layout) -> list[str]:
    """Return names that come twice with what stands over them in the line above: sample y and blank y."""
    if layout.group_line is None or len(set(filter(None, names))) == len([name for name in names if name]):
        return names
    carried, out = "", []
    above = header_cells(lines[layout.group_line], layout, layout.comment_mark)
    for place, name in enumerate(names):
        carried = (above[place].strip() if place < len(above) else "") or carried
        out.append(f"{carried} {name}".strip() if names.count(name) > 1 else name)
    return out


def _within(values: Array) -> bool:
    return bool(max(values.max(initial=0.0), -values.min(initial=0.0)) <= LARGEST_WHOLE)


def _from_long(result: large.LargeRead, head: str, layout: Layout) -> tuple[tuple[RawColumn, ...], list[str]]:
    """Make columns of what was read fast, by the rules of short files: cells that leave room for doubt are looked at."""
    lines = lines_of(head)
    below = [line for line in lines[layout.first_row :][:SAMPLE_ROWS] if not _is_comment(line, layout)]
    while sum(line.count('"') for line in below) % 2:
        below.pop()  # a cell that goes on beyond the sample
    rows = rows_of("\n".join(below), layout.delimiter)
    sample = [[row[place] if place < len(row) else "" for row in rows[:-1]] for place in range(len(result.columns))]
    texts: list[Sequence[str]] = []
    plain = []
    for place, values in enumerate(result.columns):
        answer = decide(sample[place], layout.evidence)
        # Numbers by the fast way are plain ones with the file's mark; where none of the sample shows that, all are read.
        same = (answer.other is None and answer.marks == Marks(layout.decimal_mark)) or (
            not answer.vote and answer.other is None
        )
        plain.append(not isinstance(values, list) and same and finite(values) and _within(values))
        texts.append(sample[place] if plain[-1] else result.texts_of(place))
    decided = decide_together(texts, layout.evidence)
    votes = file_votes(decided, layout.evidence)
    columns = []
    for values, cells_in, item, fast in zip(result.columns, texts, decided, plain, strict=True):
        if fast and not isinstance(values, list):
            places = max((places_in(text, item.marks) for text in cells_in[:PLACES_ROWS]), default=0)
            columns.append(RawColumn("", "", values, places=places))
        else:
            columns.append(column_from_cells(cells_in, item, votes))
    above = lines[: layout.first_row]
    named = unfolded(_named(columns, above, layout), layout.evidence)
    return tuple(named), [*_notes_above(above, layout), *result.comments]
