"""Guess how a delimited text is laid out, from its first 64 KB.

Every pair of delimiter and decimal mark is tried; the one under which the largest share of the cells
of the table are numbers wins. The lines above the first row of numbers are then header, units and notes.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace

from vettore.core import cells
from vettore.files.refusals import FileError

SAMPLE_BYTES = 64 * 1024
# More lines than this tell nothing new about the layout.
SAMPLE_LINES = 120
SPACES = "spaces"
DELIMITER_NAMES = {"\t": "tabs", ";": "semicolons", ",": "commas", "|": "bars", SPACES: "spaces"}
ENCODING_NAMES = {"utf-8-sig": "UTF-8 with mark", "cp1252": "Latin-1 (Windows)", "utf-16-le": "UTF-16"}
COMMENT_MARKS = ("#", "%", "//", "!", ";", "'")
# A line is taken for a row of the table when at least this share of its filled cells are numbers or dates.
ROW_SHARE = 0.5
# A sentence with more than this share of control characters is not text.
MOST_CONTROL = 0.02


@dataclass(frozen=True)
class Layout:
    """How a text is read. ``first_row`` is the line (from 0) of the first row; None lines are absent."""

    encoding: str
    delimiter: str
    decimal_mark: str
    columns: int
    first_row: int
    names_line: int | None = None
    units_line: int | None = None
    comment_mark: str = ""

    def describe(self, notes: int) -> tuple[tuple[str, str], ...]:
        """Return what was taken as what, as label–text pairs."""
        mark = "decimal comma" if self.decimal_mark == "," else "decimal point"
        names = "none" if self.names_line is None else f"from line {self.names_line + 1}"
        units = "from the header"
        if self.units_line is not None:
            units = f"from line {self.units_line + 1}"
        above = {0: "nothing", 1: "1 line kept as a note"}.get(notes, f"{notes} lines kept as notes")
        pairs = [
            ("read as", f"{DELIMITER_NAMES[self.delimiter]}, {mark}"),
            ("encoding", ENCODING_NAMES.get(self.encoding, self.encoding.upper())),
            ("names", names),
            ("units", units if self.names_line is not None or self.units_line is not None else "none"),
            ("beside the table", above),
        ]
        return tuple(pairs)


def encoding_of(data: bytes, name: str) -> str:
    """Return the encoding of a text. Raises FileError when the bytes are no text."""
    if not data[:SAMPLE_BYTES].strip() and not data.strip():
        raise FileError(f"“{name}” is empty. Choose a file with a table of numbers.")
    encoding = _encoding(data)
    if encoding is None:
        kind = "a spreadsheet or an archive" if data[:2] == b"PK" else "not text"
        raise FileError(f"“{name}” is {kind}, so it cannot be read as a text table. Export it as CSV first.")
    return encoding


def text_of(data: bytes, encoding: str) -> str:
    """Return the text of bytes; a character cut off at their end is replaced, and the mark at their start dropped."""
    return data.decode(encoding, errors="replace").lstrip("\ufeff")


def _encoding(data: bytes) -> str | None:
    if data.startswith(b"\xef\xbb\xbf"):
        return "utf-8-sig"
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    head = data[:SAMPLE_BYTES]
    if b"\0" in head:
        even, odd = head[0::2].count(0), head[1::2].count(0)
        if odd > 0.4 * len(head) / 2 and even == 0:
            return "utf-16-le"
        if even > 0.4 * len(head) / 2 and odd == 0:
            return "utf-16-be"
        return None
    control = sum(head.count(code) for code in range(32) if code not in (9, 10, 12, 13, 26))
    if control > MOST_CONTROL * len(head):
        return None
    if data.isascii():
        return "utf-8"
    try:
        data.decode("utf-8")
        return "utf-8"
    except UnicodeDecodeError:
        pass
    try:
        data.decode("cp1252")
        return "cp1252"
    except UnicodeDecodeError:
        return "latin-1"


def lines_of(text: str) -> list[str]:
    """Split at the line ends that files use (and at no other characters, as str.splitlines would)."""
    return text.replace("\r\n", "\n").replace("\r", "\n").split("\n")


def split_line(line: str, delimiter: str) -> list[str]:
    """Split a line into cells, respecting double quotes; a doubled quote inside quotes is a quote."""
    if delimiter == SPACES:
        line = line.strip()
        if '"' not in line:
            return line.split()
        return [part.strip('"') for part in re.findall(r'"[^"]*"|\S+', line)]
    if '"' not in line:
        return [part.strip() for part in line.split(delimiter)]
    parts, cell, quoted = [], "", False
    for i, char in enumerate(line):
        if char == '"':
            if quoted and line[i + 1 : i + 2] == '"':
                continue
            if i and line[i - 1] == '"' and not quoted and cell:
                cell += '"'
            quoted = not quoted
        elif char == delimiter and not quoted:
            parts.append(cell.strip())
            cell = ""
        else:
            cell += char
    return [*parts, cell.strip()]


def guess(text: str, encoding: str, name: str) -> Layout:
    """Return the most likely layout. Raises FileError when no table of numbers is in sight."""
    sample = text[:SAMPLE_BYTES]
    lines = lines_of(sample)
    if len(text) > SAMPLE_BYTES and len(lines) > 1:
        lines = lines[:-1]
    lines = lines[:SAMPLE_LINES]
    best: Layout | None = None
    best_score: tuple[float, int, int] = (0.0, 0, 0)
    for priority, (delimiter, mark) in enumerate(_candidates(sample)):
        found = _try(lines, delimiter, mark)
        if found is None:
            continue
        share, columns, first = found
        score = (round(share, 2), min(columns, 2), -priority)
        if score > best_score:
            best_score = score
            best = Layout(encoding, delimiter, mark, columns, first)
    if best is None:
        raise FileError(
            f"“{name}” holds text but no table of numbers: none of its first {len(lines)} lines has numbers in columns."
        )
    return _with_header(best, lines)


def _candidates(sample: str) -> list[tuple[str, str]]:
    pairs = [(delimiter, mark) for delimiter in ("\t", ";", "|") for mark in (".", ",")]
    pairs += [(",", "."), (SPACES, "."), (SPACES, ",")]
    if '"' in sample:
        pairs.append((",", ","))
    return pairs


def _try(lines: list[str], delimiter: str, mark: str) -> tuple[float, int, int] | None:
    """Return the share of numbers, the number of columns and the first row under a guess."""
    rows: list[tuple[int, list[str], int]] = []
    for index, line in enumerate(lines):
        if not line.strip() or line.lstrip().startswith(COMMENT_MARKS[:4]):
            continue
        split = split_line(line, delimiter)
        good = sum(cells.number(cell, mark) is not None or cells.is_date(cell) for cell in split)
        filled = sum(not cells.is_blank(cell) for cell in split)
        if good and good >= ROW_SHARE * filled:
            rows.append((index, split, good))
    if not rows:
        return None
    columns, _ = Counter(len(split) for _, split, _ in rows).most_common(1)[0]
    if columns > 2:
        # A trailing delimiter on some rows, or a ragged tail, still belongs to the widest common table.
        wide = [len(split) for _, split, _ in rows if abs(len(split) - columns) <= 1]
        columns = max(wide) if wide.count(max(wide)) > len(rows) / 4 else columns
    table = [(index, split, good) for index, split, good in rows if len(split) <= columns + 1]
    first = next(index for index, split, _ in table if len(split) >= min(columns, 2) or columns == 1)
    same = sum(good for index, split, good in table if index >= first and len(split) == columns)
    filled = sum(
        sum(bool(cell) for cell in split_line(line, delimiter))
        for line in lines[first:]
        if line.strip() and not line.lstrip().startswith(COMMENT_MARKS[:4])
    )
    return same / max(filled, 1), columns, first


def _with_header(layout: Layout, lines: list[str]) -> Layout:
    """Find the lines of names and units directly above the first row."""
    comment = next((mark for mark in COMMENT_MARKS if _marks(lines, mark, layout)), "")
    above = [i for i in range(layout.first_row - 1, -1, -1) if lines[i].strip(" \t" + layout.delimiter)]
    headers = []
    for i in above[:2]:
        cell_texts = header_cells(lines[i], layout, comment)
        # A title row above the table fills one cell only; a header names most columns.
        filled = sum(bool(cell) for cell in cell_texts)
        numbers = sum(cells.number(cell, layout.decimal_mark) is not None for cell in cell_texts)
        if filled < max(1, layout.columns * 0.6) or len(cell_texts) > layout.columns + 1 or numbers > filled / 2:
            break
        headers.append((i, cell_texts))
    if not headers:
        return replace(layout, comment_mark=comment)
    nearest, texts = headers[0]
    units_like = all(cells.is_unit(text.strip("()[] ") or "-") for text in texts)
    if len(headers) == 2 and units_like:
        return replace(layout, names_line=headers[1][0], units_line=nearest, comment_mark=comment)
    return replace(layout, names_line=nearest, comment_mark=comment)


def header_cells(line: str, layout: Layout, comment: str) -> list[str]:
    """Return the cells of a header line, without its comment mark."""
    text = line.lstrip()
    if comment and text.startswith(comment):
        text = text[len(comment) :].lstrip(" ")
    split = split_line(text, layout.delimiter)
    if layout.delimiter == SPACES and len(split) != layout.columns:
        wide = re.split(r"\s{2,}|\t", text.strip())
        split = wide if len(wide) == layout.columns else _join_units(split)
    return split


def _join_units(words: list[str]) -> list[str]:
    """Join ``depth (m)`` again where a header is split at spaces."""
    joined: list[str] = []
    for word in words:
        if joined and word.startswith(("(", "[")):
            joined[-1] += f" {word}"
        else:
            joined.append(word)
    return joined


def _marks(lines: list[str], mark: str, layout: Layout) -> bool:
    if mark == layout.delimiter:
        return False
    return any(line.lstrip().startswith(mark) for line in lines)
