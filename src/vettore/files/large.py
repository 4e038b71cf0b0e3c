"""Large text tables, read by pandas' C reader with the layout that was guessed.

A file that the reader can take as it is goes to it by its path, which is fastest; one with comments
between its rows, old line ends or another encoding is put in order in memory first.
"""

from __future__ import annotations

import io
import re
import warnings
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.files.refusals import FileError, check_columns
from vettore.files.sniff import SAMPLE_BYTES, SPACES, Layout, lines_of, text_of

SAMPLE_LINES = 200


@dataclass(frozen=True)
class Source:
    """Where the rows are: in a file, below some lines, or in memory."""

    path: str | None
    text: str
    skipped: int
    spaced: bool = True


@dataclass(frozen=True, eq=False)
class Found:
    """Columns as numbers, or as the texts of their cells where they are not purely numbers."""

    columns: list[Array | list[str]]
    sample: list[str]
    comments: list[str]


def read(data: bytes, head: str, layout: Layout, name: str, path: str) -> Found:
    """Read the table below the header. Raises FileError in a sentence."""
    comments: list[str] = []
    if path and _as_it_is(data, layout):
        spaced = f"{layout.delimiter} " in head or '"' in head
        source, raw = Source(path, "", layout.first_row, spaced), data
    else:
        text = text_of(data, layout.encoding).replace("\r\n", "\n").replace("\r", "\n")
        body = text[_offset_of_line(text, layout.first_row) :].rstrip("\x1a\x0c\n\t ")
        body, comments = _without_comments(body, layout)
        source, raw = Source(None, body, 0), body.encode("utf-8")
    frame = _frame(source, layout, None, name)
    if frame is None or frame.shape[1] < layout.columns:
        check_columns(_widest(raw, layout), name)
        # Rows longer than the first: read again with room for the longest, so that no cell is lost.
        frame = _frame(source, layout, max(layout.columns, _widest(raw, layout)), name)
    empty = frame.isna().all(axis=1).to_numpy()
    some_empty = bool(empty.any())
    columns: list[Array | list[str]] = []
    for place in frame.columns:
        values = frame[place].to_numpy()
        if values.dtype.kind in "fi" and not np.isinf(values).any():
            kept = values[~empty] if some_empty else values
            columns.append(np.ascontiguousarray(kept, dtype=np.float64))
        else:
            # Words, or numbers beyond the range of a double: every cell is looked at by our own rules.
            again = _frame(source, layout, len(frame.columns), name, place)[place]
            columns.append([str(cell).strip() for cell in again[~empty].fillna("")])
    sample = lines_of(head)[layout.first_row :][:SAMPLE_LINES]
    return Found(columns, sample, comments)


def _as_it_is(data: bytes, layout: Layout) -> bool:
    mark = layout.comment_mark.encode()
    commented = bool(mark) and data.find(b"\n" + mark) >= 0
    return (
        layout.encoding in ("utf-8", "utf-8-sig")
        and not commented
        and b"\x1a" not in data[-64:]
        and (b"\r" not in data[:SAMPLE_BYTES] or b"\r\n" in data[:SAMPLE_BYTES])
    )


def _without_comments(body: str, layout: Layout) -> tuple[str, list[str]]:
    if not layout.comment_mark:
        return body, []
    pattern = re.compile(rf"^[ \t]*{re.escape(layout.comment_mark)}.*(?:\n|$)", re.MULTILINE)
    found = pattern.findall(body)
    return (pattern.sub("", body), [line.strip() for line in found]) if found else (body, [])


def _frame(source: Source, layout: Layout, width: int | None, name: str, only: int | None = None):
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
        raise FileError(f"“{name}” could not be read as a table: {error}") from None


def _widest(raw: bytes, layout: Layout) -> int:
    """Return the largest number of cells in a line (marks inside quotes may make it too large, which does no harm)."""
    if layout.delimiter == SPACES:
        return layout.columns
    codes = np.frombuffer(raw, dtype=np.uint8)
    starts = np.flatnonzero(codes == ord("\n")) + 1
    starts = starts[starts < len(codes)]
    if len(starts) <= layout.first_row:
        return layout.columns
    marks = (codes == ord(layout.delimiter)).view(np.uint8)
    # Lines above the table do not count; a line has fewer than 256 marks or is counted again in full.
    counts = np.add.reduceat(marks, starts[max(layout.first_row - 1, 0) :], dtype=np.uint16)
    return int(counts.max()) + 1


def _offset_of_line(text: str, line: int) -> int:
    place = 0
    for _ in range(line):
        place = text.find("\n", place) + 1
        if place == 0:
            return len(text)
    return place
