"""Read delimited text as instruments write it.

Up to ``LARGE`` bytes every cell is read by our own rules. Larger files go through pandas' C reader
with the same layout; columns that it does not find purely numeric are read again by our rules, so
both ways give the same table.
"""

from __future__ import annotations

import hashlib
import io
import re
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path

import numpy as np

from vettore.files import cells
from vettore.files.refusals import FileError, read_bytes
from vettore.files.sniff import SAMPLE_BYTES, SPACES, Layout, decode, guess, header_cells, lines_of, split_line
from vettore.study.series import RawColumn, Source, Table

LARGE = 2 * 1024 * 1024
# A column is numbers when at least this share of its cells that say anything are numbers.
NUMBER_SHARE = 0.5

Guess = Callable[[Layout], Layout]


def read_table(path: Path | str, change: Guess | None = None) -> tuple[Table, Layout]:
    """Read a delimited text file; return the table and the layout it was read with.

    ``change`` may replace parts of the guessed layout. Raises FileError in a sentence.
    """
    path = Path(path)
    return parse(read_bytes(path), path.name, str(path.resolve()), change)


def parse(data: bytes, name: str, path: str = "", change: Guess | None = None) -> tuple[Table, Layout]:
    """Read a delimited text that is in memory; see read_table."""
    text, encoding = decode(data, name)
    layout = guess(text, encoding, name)
    if change is not None:
        layout = change(layout)
    if len(data) > LARGE:
        columns, notes = _read_large(text, layout, name)
    else:
        columns, notes = _read_small(text, layout)
    if not any(column.texts is None for column in columns):
        raise FileError(
            f"“{name}” holds a table, but no column of numbers. Check the delimiter and the decimal mark."
        )
    source = Source(
        name=name,
        path=path,
        digest=hashlib.sha256(data).hexdigest(),
        read_at=datetime.now().astimezone().isoformat(timespec="seconds"),
        how=layout.describe(len(notes)),
        notes=tuple(notes),
    )
    return Table(columns, source), layout


def _is_comment(line: str, layout: Layout) -> bool:
    return bool(layout.comment_mark) and line.lstrip().startswith(layout.comment_mark)


def _notes_above(lines: list[str], layout: Layout) -> list[str]:
    header = (layout.names_line, layout.units_line)
    return [line.strip() for i, line in enumerate(lines[: layout.first_row]) if i not in header and line.strip()]


def _read_small(text: str, layout: Layout) -> tuple[tuple[RawColumn, ...], list[str]]:
    lines = lines_of(text)
    notes = _notes_above(lines, layout)
    rows = []
    for line in lines[layout.first_row :]:
        if _is_comment(line, layout):
            notes.append(line.strip())
        elif line.strip(" \t\x1a\x0c" + layout.delimiter.replace(SPACES, "")):
            rows.append(split_line(line, layout.delimiter))
    width = max(layout.columns, max(map(len, rows), default=0))
    filled = [row + [""] * (width - len(row)) for row in rows]
    columns = [_column([row[place] for row in filled], layout.decimal_mark) for place in range(width)]
    return _named(columns, lines, layout), notes


def _column(texts: list[str], mark: str) -> RawColumn:
    """Turn the cells of a column into numbers with blanks and words, or into text."""
    numbers = [cells.number(text, mark) for text in texts]
    good = sum(value is not None for value in numbers)
    saying = sum(not cells.is_blank(text) for text in texts)
    if good == 0 or good < NUMBER_SHARE * saying:
        if saying == 0:
            return RawColumn("", "", np.full(len(texts), np.nan), _words(texts, numbers))
        return RawColumn("", "", np.full(len(texts), np.nan), texts=tuple(texts))
    values = np.array([np.nan if value is None else value for value in numbers], dtype=np.float64)
    places = max(
        (cells.places(text, mark) for text, value in zip(texts[:200], numbers, strict=False) if value is not None),
        default=0,
    )
    return RawColumn("", "", values, _words(texts, numbers), places=places)


def _words(texts: list[str], numbers: list[float | None]) -> dict[int, str]:
    return {row: text for row, (text, value) in enumerate(zip(texts, numbers, strict=True)) if value is None and text}


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


def _read_large(text: str, layout: Layout, name: str) -> tuple[tuple[RawColumn, ...], list[str]]:
    head_end = _offset_of_line(text, layout.first_row)
    head = lines_of(text[:head_end])
    notes = _notes_above(head, layout)
    body = text[head_end:].rstrip("\x1a\x0c\r\n\t ")
    if layout.comment_mark:
        pattern = re.compile(rf"^[ \t]*{re.escape(layout.comment_mark)}.*(?:\r?\n|$)", re.MULTILINE)
        found = pattern.findall(body)
        if found:
            notes += [line.strip() for line in found]
            body = pattern.sub("", body)
    width = max(layout.columns, _widest(body, layout.delimiter))
    frame = _frame(body, layout, width, name)
    empty = frame.isna().all(axis=1)
    sample = lines_of(body[:SAMPLE_BYTES])[:200]
    columns = []
    for place in range(width):
        series = frame[place][~empty] if empty.any() else frame[place]
        values = series.to_numpy()
        clean = series.dtype.kind in "fi" and not np.isinf(values).any()
        if clean:
            texts = [
                row[place] for row in (split_line(line, layout.delimiter) for line in sample) if place < len(row)
            ]
            places = max((cells.places(cell, layout.decimal_mark) for cell in texts), default=0)
            columns.append(RawColumn("", "", values.astype(np.float64), places=places))
        else:
            again = (
                series if series.dtype.kind not in "fib" else _frame(body, layout, width, name, place)[place][~empty]
            )
            columns.append(_column([str(cell).strip() for cell in again.fillna("")], layout.decimal_mark))
    return _named(columns, head + sample[:1], layout), notes


def _frame(body: str, layout: Layout, width: int, name: str, only: int | None = None):
    import pandas

    try:
        return pandas.read_csv(
            io.StringIO(body),
            sep=r"\s+" if layout.delimiter == SPACES else layout.delimiter,
            decimal=layout.decimal_mark,
            header=None,
            names=range(width),
            index_col=False,
            usecols=None if only is None else [only],
            dtype=None if only is None else str,
            keep_default_na=False,
            na_values=[""],
            skipinitialspace=True,
            skip_blank_lines=True,
            low_memory=False,
        )
    except (pandas.errors.ParserError, ValueError) as error:
        raise FileError(f"“{name}” could not be read as a table: {error}") from None


def _widest(body: str, delimiter: str) -> int:
    """Return the largest number of cells in a line (quotes may make it too large, which does no harm)."""
    if delimiter == SPACES:
        return 0
    raw = np.frombuffer(body.encode("utf-8"), dtype=np.uint8)
    ends = np.flatnonzero(raw == ord("\n"))
    marks = np.flatnonzero(raw == ord(delimiter))
    if not len(marks):
        return 1
    counts = np.bincount(np.searchsorted(ends, marks))
    return int(counts.max()) + 1


def _offset_of_line(text: str, line: int) -> int:
    """Return where a line starts, counting line ends as splitlines does for the ends that files use."""
    place = 0
    for _ in range(line):
        found = re.compile(r"\r\n|\n|\r").search(text, place)
        if found is None:
            return len(text)
        place = found.end()
    return place
