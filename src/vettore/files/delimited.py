"""Read delimited text as instruments write it.

Up to ``LARGE`` bytes every cell is read by our own rules. Larger files go through pandas' C reader
with the same layout; columns that it does not find purely numeric are read again by our rules, so
both ways give the same table.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

from vettore.core import cells
from vettore.files import large
from vettore.files.refusals import FileError, check_columns, read_bytes
from vettore.files.sniff import (
    SAMPLE_BYTES,
    SPACES,
    Layout,
    encoding_of,
    guess,
    header_cells,
    lines_of,
    split_line,
    text_of,
)
from vettore.study.table import PLACES_ROWS, RawColumn, Source, Table, column_from_texts

LARGE = 2 * 1024 * 1024

Change = Callable[[Layout, str], Layout]


def read_table(path: Path | str, change: Change | None = None) -> tuple[Table, Layout]:
    """Read a delimited text file; return the table and the layout it was read with.

    ``change`` may replace parts of the guessed layout, given it and the first lines. Raises FileError in a sentence.
    """
    path = Path(path)
    return read_as_it_is(path, change) or parse(read_bytes(path), path.name, str(path.resolve()), change)


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
    encoding = encoding_of(start[: start.rfind(b"\n") + 1] or start, path.name)
    head, layout = _begin(start, encoding, path.name, change)
    if not large.takes_as_it_is(start, tail, layout):
        return None
    found = large.read_from_file(str(path), head, layout, path.name)
    if found is None:
        return None
    columns, notes = _from_long(found, head, layout)
    return _table(columns, notes, layout, path.name, str(path.resolve()), "", lambda: _digest_of_file(path)), layout


def _begin(data: bytes, encoding: str, name: str, change: Change | None) -> tuple[str, Layout]:
    """Return the first lines and the layout."""
    head = text_of(data[: 2 * SAMPLE_BYTES], encoding)
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
            f"“{name}” holds a table, but no column of numbers. Check the delimiter and the decimal mark."
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
    header = (layout.names_line, layout.units_line)
    return [line.strip() for i, line in enumerate(lines[: layout.first_row]) if i not in header and line.strip()]


def _read_small(text: str, layout: Layout, name: str) -> tuple[tuple[RawColumn, ...], list[str]]:
    lines = lines_of(text)
    notes = _notes_above(lines, layout)
    rows = []
    for line in lines[layout.first_row :]:
        if _is_comment(line, layout):
            notes.append(line.strip())
        elif line.strip(" \t\x1a\x0c" + layout.delimiter.replace(SPACES, "")):
            rows.append(split_line(line, layout.delimiter))
    width = max(layout.columns, max(map(len, rows), default=0))
    check_columns(width, name)
    filled = [row + [""] * (width - len(row)) for row in rows]
    columns = [column_from_texts([row[place] for row in filled], layout.decimal_mark) for place in range(width)]
    return _named(columns, lines, layout), notes


def _named(columns: list[RawColumn], lines: list[str], layout: Layout) -> tuple[RawColumn, ...]:
    """Give the columns their names and units; drop columns that have neither a header nor any cell."""
    names: list[str] = []
    units: list[str] = []
    if layout.names_line is not None:
        names = header_cells(lines[layout.names_line], layout, layout.comment_mark)
    if layout.units_line is not None:
        units = header_cells(lines[layout.units_line], layout, layout.comment_mark)
    named: list[RawColumn] = []
    for place, column in enumerate(columns):
        header = names[place].strip() if place < len(names) else ""
        empty = column.texts is None and not column.words and not np.isfinite(column.values).any()
        if empty and not header:
            continue
        name, unit = cells.split_unit(header)
        if place < len(units):
            unit = cells.clean_unit(units[place])
        if not name:
            name = ("x", "y")[place] if not names and place < 2 else f"column {place + 1}"
        taken = {other.name for other in named}
        if name in taken:
            name = next(f"{name} {k}" for k in range(2, 10_000) if f"{name} {k}" not in taken)
        named.append(replace(column, name=name, unit=unit))
    return tuple(named)


def _from_long(found: large.Found, head: str, layout: Layout) -> tuple[tuple[RawColumn, ...], list[str]]:
    lines = lines_of(head)
    sample = [split_line(line, layout.delimiter) for line in lines[layout.first_row :][:PLACES_ROWS]]
    columns = []
    for place, values in enumerate(found.columns):
        if isinstance(values, list):
            columns.append(column_from_texts(values, layout.decimal_mark))
            continue
        places = [cells.places(row[place], layout.decimal_mark) for row in sample if place < len(row)]
        columns.append(RawColumn("", "", values, places=max(places, default=0)))
    above = lines[: layout.first_row]
    return _named(columns, above, layout), [*_notes_above(above, layout), *found.comments]
