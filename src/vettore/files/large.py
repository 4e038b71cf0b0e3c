"""Large text tables, read by pandas' C reader with the layout that was guessed.

A file that the reader can take as it is goes to it by its path, which is fastest; one with comments
between its rows, old line ends or another encoding is put in order in memory first.
"""

from __future__ import annotations

import io
import itertools
import mmap
import re
import warnings
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import Fault
from vettore.files.encodings import text_of
from vettore.files.refusals import FileError, check_columns
from vettore.files.sniff import SPACES, Layout, rows_of

# Rows turned into columns in one piece: of many more, the one call would keep Python from the window.
AT_ONCE = 5_000
# A table of more cells than this, and of so many times those that are filled, is hardly one.
MOST_BLANK, MOST_TIMES = 2_000_000, 8
_WORD = re.compile(r"\S+")


@dataclass(frozen=True)
class Source:
    """Where the rows are: in a file, below some lines, or in memory."""

    path: str | None
    text: str
    skipped: int
    spaced: bool = True


@dataclass(frozen=True, eq=False)
class LargeRead:
    """Columns as numbers, or as the texts of their cells where they are not purely numbers.

    ``again`` reads the cells of one column as texts.
    """

    columns: Sequence[Array | list[str]]
    comments: list[str]
    again: Callable[[int], list[str]]

    def texts_of(self, place: int) -> list[str]:
        """Return the cells of a column as texts."""
        values = self.columns[place]
        return values if isinstance(values, list) else self.again(place)


def check_cells(rows: int, width: int, filled: int, name: str) -> None:
    """Refuse a table that is mostly blank, before room is made for it: one long row among many."""
    if rows * width > MOST_BLANK and rows * width > MOST_TIMES * filled:
        raise FileError(
            f"“{name}” has a row of {width:,} cells among {rows:,} rows that have {filled / rows:,.0f} on average. Take that "
            "row out, or save the tables in files of their own.",
            Fault.TOO_MANY,
        )


def in_place(body: str, columns: int) -> list[list[str]] | None:
    """Return rows cut where columns stand below each other, so that a blank cell shifts nothing; None where they do not."""
    lines = [line for line in body.expandtabs().split("\n") if line.strip()]
    words = [[(match.start(), match.end()) for match in _WORD.finditer(line)] for line in lines]
    whole = [places for places in words if len(places) == columns]
    if len(whole) < 2 or any(len(places) > columns for places in words):
        return None
    spans = [(min(p[k][0] for p in whole), max(p[k][1] for p in whole)) for k in range(columns)]
    if any(after[0] < before[1] for before, after in itertools.pairwise(spans)):
        return None
    out = []
    for line, places in zip(lines, words, strict=True):
        row = [""] * columns
        for start, end in places:
            over = [k for k, (low, high) in enumerate(spans) if start < high and end > low]
            if len(over) != 1 or row[over[0]]:
                # It stands under no column, or under two: nothing can be told from places.
                return None
            row[over[0]] = line[start:end]
        out.append(row)
    return out


def columns_of(body: str, layout: Layout, name: str) -> list[list[str]]:
    """Return the cells of the rows of a text, column by column, each as long as there are rows that are not blank."""
    body = body.rstrip("\x1a\x0c\n")
    rows = [row for row in rows_of(body, layout.delimiter) if any(row)]
    width = max(layout.columns, max(map(len, rows), default=0))
    check_columns(width, name)
    check_cells(len(rows), width, sum(map(len, rows)), name)
    if layout.delimiter == SPACES and '"' not in body and any(len(row) < layout.columns for row in rows):
        rows = in_place(body, layout.columns) or rows
    columns: list[list[str]] = [[] for _ in range(width)]
    for start in range(0, len(rows), AT_ONCE):
        block = rows[start : start + AT_ONCE]
        turned = [*itertools.zip_longest(*block, fillvalue="")]
        turned += [("",) * len(block)] * (width - len(turned))
        for column, cells in zip(columns, turned, strict=True):
            column.extend(cells)
    return columns


def read(data: bytes, layout: Layout, name: str) -> LargeRead:
    """Read the table below the header from memory, in order first. Raises FileError in a sentence."""
    text = text_of(data, layout.encoding).replace("\r\n", "\n").replace("\r", "\n")
    body = text[_offset_of_line(text, layout.first_row) :].rstrip("\x1a\x0c\n\t ")
    body, comments = _without_comments(body, layout)
    if '"' in body:
        # Quotes are read by one set of rules.
        columns = columns_of(body, layout, name)
        return LargeRead(columns, comments, lambda place: columns[place])
    source = Source(None, body, 0)
    frame = _frame(source, layout, None, name)
    if frame is None or frame.shape[1] < layout.columns:
        # Rows longer than the first: read again with room for the longest, so that no cell is lost.
        width = max(layout.columns, _widest(body.encode("utf-8"), layout))
        check_columns(width, name)
        rows = body.count("\n") + 1
        check_cells(rows, width, rows * layout.columns, name)
        frame = _frame(source, layout, width, name)
    return _large_read(frame, source, layout, name, comments)


def read_from_file(path: str, head: str, layout: Layout, name: str) -> LargeRead | None:
    """Read the table below the header straight from a file; None when some row is longer than the first."""
    source = Source(path, "", layout.first_row, f"{layout.delimiter} " in head)
    frame = _frame(source, layout, None, name)
    if frame is None or frame.shape[1] < layout.columns:
        return None
    return _large_read(frame, source, layout, name, [])


def holds_quotes(path: str) -> bool:
    """Whether there is a double quote anywhere in a file."""
    with open(path, "rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as whole:
        return whole.find(b'"') >= 0


def takes_as_it_is(start: bytes, tail: bytes, layout: Layout) -> bool:
    """Whether the reader can take a file as it is, by its first and last bytes."""
    return (
        layout.encoding in ("utf-8", "utf-8-sig")
        and not layout.comment_mark
        and b"\x1a" not in tail
        and (b"\r" not in start or b"\r\n" in start)
    )


def _large_read(frame: Any, source: Source, layout: Layout, name: str, comments: list[str]) -> LargeRead:
    empty = frame.isna().all(axis=1).to_numpy()
    some_empty = bool(empty.any())
    width = len(frame.columns)

    def again(place: int) -> list[str]:
        cells_of = _frame(source, layout, width, name, place)[place]
        return [str(cell).strip() for cell in cells_of[~empty].fillna("")]

    columns: list[Array | list[str]] = []
    for place in frame.columns:
        values = frame[place].to_numpy()
        if values.dtype.kind in "fi" and not np.isinf(values).any():
            kept = values[~empty] if some_empty else values
            columns.append(np.ascontiguousarray(kept, dtype=np.float64))
        else:
            # Words, or numbers beyond the range of a double: every cell is looked at by our own rules.
            columns.append(again(place))
    return LargeRead(columns, comments, again)


def _without_comments(body: str, layout: Layout) -> tuple[str, list[str]]:
    if not layout.comment_mark:
        return body, []
    pattern = re.compile(rf"^[ \t]*{re.escape(layout.comment_mark)}.*(?:\n|$)", re.MULTILINE)
    items = pattern.findall(body)
    return (pattern.sub("", body), [line.strip() for line in items]) if items else (body, [])


def _frame(source: Source, layout: Layout, width: int | None, name: str, only: int | None = None) -> Any:
    """Return the rows as a frame; None when no width is given and some row is longer than the first."""
    import pandas

    try:
        with warnings.catch_warnings():
            # Columns of mixed cells are read again cell by cell, so a warning about them says nothing new.
            warnings.simplefilter("ignore", pandas.errors.DtypeWarning)
            return pandas.read_csv(
                io.StringIO(source.text) if source.path is None else source.path,
                sep=r"\s+" if layout.delimiter == SPACES else layout.delimiter,
                decimal=layout.decimal_mark,
                header=None,
                names=None if width is None else range(width),
                skiprows=source.skipped,
                index_col=False,
                dtype=None if only is None else {only: str},
                keep_default_na=False,
                na_values=[""],
                skipinitialspace=source.spaced,
                memory_map=source.path is not None,
            )
    except (pandas.errors.ParserError, ValueError) as error:
        if width is None:
            return None
        raise FileError(f"“{name}” could not be read as a table: {error}", Fault.FILE_DAMAGED) from None


def _widest(raw: bytes, layout: Layout) -> int:
    """Return the largest number of cells in a line (marks inside quotes may make it too large, which does no harm)."""
    if layout.delimiter == SPACES:
        return layout.columns
    codes = np.frombuffer(raw, dtype=np.uint8)
    starts = np.append(0, np.flatnonzero(codes == ord("\n")) + 1)
    starts = starts[starts < len(codes)]
    if not len(starts):
        return layout.columns
    marks = (codes == ord(layout.delimiter)).view(np.uint8)
    counts = np.add.reduceat(marks, starts, dtype=np.uint32)
    return int(counts.max()) + 1


def _offset_of_line(text: str, line: int) -> int:
    place = 0
    for _ in range(line):
        place = text.find("\n", place) + 1
        if place == 0:
            return len(text)
    return place
