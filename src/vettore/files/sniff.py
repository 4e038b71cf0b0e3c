"""Guess how a delimited text is laid out, from its first 64 KB.

Every delimiter is tried; the one that explains all lines below the header best, as rows whose cells are numbers, wins.
The lines above the first row are then header, units and notes. Which mark is the decimal one, and which groups digits, is
decided column by column, see core.number_marks; the layout tells the decimal mark of the file as a whole.
"""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any

from vettore.core.cells import cells
from vettore.core.cells.number_marks import Evidence, decide_together
from vettore.core.errors import Fault
from vettore.files.encodings import ENCODING_NAMES, SAMPLE_BYTES
from vettore.files.refusals import FileError, check_columns

# More lines than this tell nothing new about the layout.
SAMPLE_LINES, FEWEST_LINES = 120, 12
SPACES = "spaces"
DELIMITER_NAMES = {"\t": "tabs", ";": "semicolons", ",": "commas", "|": "bars", SPACES: "spaces"}
COMMENT_MARKS = ("#", "%", "//", "!", ";", "'")
# A line is taken for a row of the table when at least this share of its filled cells are numbers or dates.
ROW_SHARE = 0.5
# What rows of other lengths take from a guess: a space that groups digits makes rows uneven.
UNEVEN = 0.3
# Rows of numbers that may stand above the names, as those that count the columns.
MOST_ABOVE_NAMES = 2
_AT_SPACES = re.compile(r'"(?:[^"]|"")*"|\S+')


@dataclass(frozen=True)
class Layout:
    """How a text is read. ``first_row`` is the line (from 0) of the first row; None lines are absent.

    ``mark_chosen`` is whether the decimal mark was chosen by the user, and so holds for every column.
    """

    encoding: str
    delimiter: str
    decimal_mark: str
    columns: int
    first_row: int
    names_line: int | None = None
    units_line: int | None = None
    comment_mark: str = ""
    mark_chosen: bool = False
    # The line above the names that groups them, where names come twice.
    group_line: int | None = None

    def joined(self, row: Iterable[str]) -> str:
        """Return the cells of a row as the line that they stood on."""
        return (" " if self.delimiter == SPACES else self.delimiter).join(row)

    @property
    def evidence(self) -> Evidence:
        """What is known of the decimal mark before the columns are looked at."""
        return Evidence(self.decimal_mark, True) if self.mark_chosen else evidence_of(self.delimiter)

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


def change_to(delimiter: str | None, decimal_mark: str | None, name: str) -> Callable[[Layout, str], Layout] | None:
    """Return what changes a guess to a delimiter and a decimal mark that are known; None where nothing is."""
    if delimiter is None and decimal_mark is None:
        return None

    def change(layout: Layout, head: str) -> Layout:
        if delimiter is not None:
            layout = guess(head, layout.encoding, name, delimiter)
        return layout if decimal_mark is None else replace(layout, decimal_mark=decimal_mark, mark_chosen=True)

    return change


def lines_of(text: str) -> list[str]:
    """Split at the line ends that files use (and at no other characters, as str.splitlines would)."""
    return text.replace("\r\n", "\n").replace("\r", "\n").split("\n")


def split_line(line: str, delimiter: str) -> list[str]:
    """Split one line into cells, respecting double quotes; see rows_of for whole texts."""
    return next(iter(rows_of(line, delimiter)), [""])


def rows_of(text: str, delimiter: str) -> list[list[str]]:
    """Split a text with plain line ends into rows of cells without the blanks around them.

    A quote at the start of a cell holds delimiters and line ends up to the next single one, and a doubled one inside it
    is a quote. Where the last one is never closed, quotes are read as they stand, so that nothing is swallowed.
    """
    if delimiter == SPACES:
        return [_split_at_spaces(line) for line in text.split("\n")]
    if '"' not in text:
        return [[cell.strip() for cell in line.split(delimiter)] for line in text.split("\n")]
    how: dict[str, Any] = {"delimiter": delimiter, "skipinitialspace": True}
    rows = list(csv.reader(io.StringIO(text, newline=""), **how))
    if rows and any("\n" in cell for cell in rows[-1]) and not text.rstrip().endswith('"'):
        rows = list(csv.reader(io.StringIO(text, newline=""), quoting=csv.QUOTE_NONE, **how))
    return [[" ".join(cell.split("\n")).strip() for cell in row] for row in rows]


def _split_at_spaces(line: str) -> list[str]:
    line = line.strip()
    if '"' not in line:
        return line.split()
    return [part[1:-1].replace('""', '"') if part[:1] == '"' else part for part in _AT_SPACES.findall(line)]


def guess(text: str, encoding: str, name: str, delimiter: str | None = None) -> Layout:
    """Return the most likely layout, with a delimiter that is known. Raises FileError when no table of numbers is in sight."""
    size = SAMPLE_BYTES
    while text.count("\n", 0, size) < FEWEST_LINES and size < len(text):
        # Cells longer than any sample.
        size *= 8
    lines = lines_of(text[:size])
    if len(text) > size and len(lines) > 1:
        lines = lines[:-1]
    lines = lines[:SAMPLE_LINES]
    content = [
        (index, line)
        for index, line in enumerate(lines)
        if line.strip() and not line.lstrip().startswith(COMMENT_MARKS[:4]) and not cells.is_rule(line)
    ]
    content = _without_repeats(content)
    for _, line in content[:FEWEST_LINES]:
        check_columns(1 + max(line.count(mark) for mark in "\t;|,"), name)
    best: _Tried | None = None
    for tried in ("\t", ";", "|", ",", SPACES) if delimiter is None else (delimiter,):
        result = _try(content, tried)
        if result is not None and (best is None or result.score > best.score):
            best = result
    if best is None:
        raise FileError(
            f"“{name}” holds text but no table of numbers: none of its first {len(lines)} lines has numbers in columns.",
            Fault.NOTHING,
        )
    layout = Layout(encoding, best.delimiter, "", best.columns, best.first)
    return replace(_with_header(layout, lines, best.names), decimal_mark=_mark_of(lines, best))


def _without_repeats(content: list[tuple[int, str]]) -> list[tuple[int, str]]:
    """Return lines without names that come again among the rows: they tell nothing new of the layout."""
    seen: set[str] = set()
    out = []
    for index, line in content:
        words = any(letter.isalpha() for letter in line) and not any(letter.isdecimal() for letter in line)
        if words and line.strip() in seen:
            continue
        seen.add(line.strip())
        out.append((index, line))
    return out


@dataclass(frozen=True)
class _Tried:
    """A guess: its score, where the table stands, and the line of names if it stands among rows of numbers."""

    score: tuple[float, int]
    delimiter: str
    columns: int
    first: int
    names: int | None


def _try(lines: list[tuple[int, str]], delimiter: str) -> _Tried | None:
    """Return how well a delimiter explains all lines below the header, and where the table stands under it.

    The score is the share of numbers among the cells that say anything, times the share of lines that are rows of the
    table, less for rows of other lengths. A guess that sends rows to the notes, since they hold a word where it wants a
    number, loses.
    """
    if delimiter != SPACES and not any(delimiter in line for _, line in lines):
        # Whole lines are the cells, as they are for spaces where there are none.
        return None
    content = [(index, split_line(line, delimiter)) for index, line in lines]
    counts = [(sum(map(cells.is_value, row)), sum(not cells.is_blank(cell) for cell in row)) for _, row in content]
    good = [k for k, (values, saying) in enumerate(counts) if values and values >= ROW_SHARE * saying]
    if not good:
        return None
    columns = _width([len(content[k][1]) for k in good])
    good = [k for k in good if len(content[k][1]) <= columns + 1]
    first = next((k for k in good if len(content[k][1]) >= min(columns, 2) or columns == 1), None)
    if first is None:
        return None
    names = _names_among(content, first, columns)
    if names is not None:
        first = names + 1
        if first + 1 < len(content) and counts[first][0] == 0 and _are_units(content[first][1]):
            first += 1
    elif first + 1 < len(content) and _heads(content[first][1], content[first + 1][1]):
        first += 1
    else:
        first = _up_to_names(content, counts, first, columns, delimiter)
    rows = list(zip(content[first:], counts[first:], strict=True))
    values = sum(count[0] for _, count in rows)
    saying = sum(max(count[1], 1) for _, count in rows)
    covered = len(rows) / max(len(content) - (1 if names is None and first else 0), 1)
    even = sum(len(row) == columns for (_, row), _ in rows) / max(len(rows), 1)
    share = values / max(saying, 1) * min(covered, 1.0) * (1 - UNEVEN * (1 - even))
    where = content[names][0] if names is not None else None
    return _Tried((round(share, 3), min(columns, 2)), delimiter, columns, content[first][0], where)


def _width(lengths: list[int]) -> int:
    """Return the number of columns: that of most rows, and of rows as many the wider; ragged tails belong to it."""
    counted = Counter(lengths)
    columns = max(counted, key=lambda length: (counted[length], length))
    if columns > 2:
        # A trailing delimiter on some rows, or a ragged tail, still belongs to the widest common table.
        wide = [length for length in lengths if abs(length - columns) <= 1]
        columns = max(wide) if wide.count(max(wide)) > len(lengths) / 4 else columns
    return columns


def _names_among(content: list[tuple[int, list[str]]], first: int, columns: int) -> int | None:
    """Return the row of names below numbers that count the columns, if there is one among the first rows."""
    for k in range(first + 1, min(first + 1 + MOST_ABOVE_NAMES, len(content) - 1)):
        row = content[k][1]
        named = [cell for cell in row if cell]
        words = all(not cells.is_value(cell) and not cells.is_blank(cell) for cell in named)
        if words and len(named) >= max(columns - 1, 1) and len(set(named)) == len(named):
            above = [row for _, row in content[first:k]]
            counting = [cell for row in above for cell in row[1:] if cell]
            starts = [row[0] for row in above if row and row[0]]
            # The first of them may say what is counted, as No. or channel.
            named_start = counting and not any(map(cells.is_blank, starts)) and _heads(row, content[k + 1][1])
            if all(cell.isdecimal() for cell in counting + ([] if named_start else starts)):
                return k
    return None


def _are_units(row: list[str]) -> bool:
    """Whether every cell of a row reads like a unit, as a row below the names does."""
    return any(row) and all(cells.is_unit(cell.strip("()[] ") or "-") for cell in row)


def _up_to_names(
    content: list[tuple[int, list[str]]], counts: list[tuple[int, int]], first: int, columns: int, delimiter: str
) -> int:
    """Return the first row of the table: those right above with a number, and words in the places of others, are rows.

    So are those that say a value is missing where numbers stand below, if a line is left for the names. A row whose first
    cell is a word where numbers stand below is the header.
    """
    below = content[first][1]
    under = {(place, cell) for _, row in content[first:] for place, cell in enumerate(row)}
    while first:
        index, row = content[first - 1]
        words = counts[first - 1][1] - counts[first - 1][0]
        near = content[first][0] - index == 1
        tells = counts[first - 1][0] or (
            first > 1 and len(row) == columns and _says_missing(row, below, under, content[first - 2][1])
        )
        if _heads(row, below) or not near or not tells or len(row) > columns or (words and delimiter == SPACES):
            return first
        first -= 1
    return first


def _says_missing(row: list[str], below: list[str], under: set[tuple[int, str]], above: list[str]) -> bool:
    """Whether a row says, where numbers stand below, that there are none: by a known word, or one that comes again."""
    return any(
        bool(cell.strip("-–—"))
        and (cells.is_blank(cell) or (place, cell) in under or above[place : place + 1] == [cell])
        for place, cell in enumerate(row)
        if place < len(below) and cells.is_value(below[place])
    )


def _heads(row: list[str], below: list[str]) -> bool:
    """Whether the first cell of a row is a word above a number, so that the row names columns."""
    return (
        bool(row)
        and bool(below)
        and not cells.is_value(row[0])
        and not cells.is_blank(row[0])
        and cells.is_value(below[0])
    )


def _mark_of(lines: list[str], best: _Tried) -> str:
    """Return the decimal mark that the columns of the first rows show."""
    rows = [split_line(line, best.delimiter) for line in lines[best.first :] if line.strip()]
    table = [[row[place] if place < len(row) else "" for row in rows] for place in range(best.columns)]
    decided = decide_together(table, evidence_of(best.delimiter))
    votes = [item.vote or item.marks.decimal for item in decided if item.vote or item.other]
    return max((".", ","), key=votes.count)


def evidence_of(delimiter: str) -> Evidence:
    """Return what a delimiter says of the decimal mark: a comma between cells is hardly one inside numbers."""
    return Evidence("." if delimiter == "," else None)


def _with_header(layout: Layout, lines: list[str], names: int | None) -> Layout:
    """Find the lines of names and units directly above the first row."""
    comment = next((mark for mark in COMMENT_MARKS if _marks(lines, mark, layout)), "")
    above = [
        i
        for i in range(layout.first_row - 1, -1, -1)
        if lines[i].strip(" \t" + layout.delimiter) and not cells.is_rule(lines[i])
    ]
    headers: list[tuple[int, list[str]]] = []
    columns = layout.columns - (2 if layout.delimiter == "|" and _is_framed(lines[layout.first_row]) else 0)
    for i in above[:2]:
        cell_texts = header_cells(lines[i], layout, comment)
        # A title row above the table fills one cell only; a header names most columns.
        filled = sum(bool(cell) for cell in cell_texts)
        numbers = sum(cells.looks_like_number(cell) for cell in cell_texts)
        if i == names:
            headers.append((i, cell_texts))
            break
        # Names may stand with blanks between them over cells that do not.
        wide = len(cell_texts) > layout.columns + 1 and filled != columns
        odd = filled < max(1, columns * 0.6) or wide or numbers > filled / 2
        # Names may be numbers, as wavelengths over columns, below the word for x.
        if odd and (headers or not _heads_numbers(cell_texts, layout.columns)):
            break
        headers.append((i, cell_texts))
    if not headers:
        return replace(layout, comment_mark=comment)
    nearest, texts = headers[0]
    if len(headers) == 2 and sum(bool(cells.split_unit(text)[1]) for text in texts) > len(texts) / 2:
        # Names that bring their units, under words that group them.
        return replace(layout, names_line=nearest, group_line=headers[1][0], comment_mark=comment)
    if len(headers) == 2 and _are_units(texts) and not _counts_names(headers[1][1], texts):
        return replace(layout, names_line=headers[1][0], units_line=nearest, comment_mark=comment)
    return replace(layout, names_line=nearest, comment_mark=comment)


def _is_framed(line: str) -> bool:
    """Whether a line begins and ends with a bar, so that there is nothing outside of them."""
    return line.strip()[:1] == line.strip()[-1:] == "|"


def _counts_names(above: list[str], texts: list[str]) -> bool:
    """Whether a row only counts columns, as Column 1 and Column 2, over names that bring their units."""
    counted = [re.match(r"(.*?)\s*(\d+)$", cell) for cell in above]
    words = {match[1] for match in counted if match}
    return None not in counted and len(words) == 1 and all(cells.split_unit(text)[1] for text in texts)


def _heads_numbers(texts: list[str], columns: int) -> bool:
    return len(texts) == columns > 1 and bool(texts[0]) and not cells.looks_like_number(texts[0]) and all(texts)


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
