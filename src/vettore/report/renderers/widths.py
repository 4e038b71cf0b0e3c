"""How wide the columns of a printed page are, from the typefaces themselves.

A printer that has to find them out sets every cell three times, which is a third of all its work.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache
from html import unescape
from typing import NamedTuple

from vettore.core.typesetting.typeset import Box, to_html
from vettore.look.theme import FONT_FOLDER
from vettore.report.blocks import Cell, Pairs, Table, words_of

POINTS_PER_MM = 72 / 25.4
# The sizes of type in a table, in points, and the room on the left of its columns, as report.css.j2 sets them.
CELL, HEAD, SYMBOL = 9.5, 8.5, 12.0
BETWEEN, BEFORE_WORDS = 3 * POINTS_PER_MM, 8 * POINTS_PER_MM
# Columns are this much wider than what stands in them: kerning and figures of one width change it a little.
SPARE, LEAST_SPARE = 1.05, 1.01
# Of two columns of pairs one takes so much of the width, and a label leaves its text at least that share of it.
HALF, LEAST_TEXT = 0.47, 0.3
TAG = re.compile(r"<[^>]*>")


class Columns(NamedTuple):
    """The widths of columns as shares of 100, and that of the whole in points."""

    shares: tuple[float, ...]
    width: float


@cache
def _advances(file: str) -> tuple[dict[int, str], dict[str, tuple[int, int]], int]:
    from fontTools.ttLib import TTFont

    with TTFont(FONT_FOLDER / file) as font:
        return dict(font.getBestCmap()), dict(font["hmtx"].metrics), int(font["head"].unitsPerEm)


def width_of(text: str, size: float, file: str = "Inter-Regular.otf") -> float:
    """Return how wide a text is, in points; a letter that the typeface lacks takes a whole em."""
    names, metrics, em = _advances(file)
    return sum(metrics[names[ord(letter)]][0] if ord(letter) in names else em for letter in text) * size / em


def _of_words(text: str, size: float, file: str = "Inter-Regular.otf") -> tuple[float, float]:
    return max((width_of(word, size, file) for word in text.split(" ")), default=0.0), width_of(text, size, file)


def _of_cell(cell: Cell) -> tuple[float, float]:
    """Return the width of a cell whose lines are broken wherever they can be, and of one on a single line."""
    if isinstance(cell, Box):
        symbol = width_of(unescape(TAG.sub("", to_html(cell))), SYMBOL, "STIXGeneral-Regular.otf")
        return symbol, symbol
    return _of_words(words_of(cell), CELL)


def _of_column(table: Table, place: int) -> tuple[float, float, float]:
    """Return the width of a column's longest word, that of its longest text, and the room on its left."""
    cells = [_of_cell(row[place]) for row in table.rows if place < len(row)]
    if place < len(table.headings):
        cells.append(_of_words(table.headings[place], HEAD, "Inter-SemiBold.otf"))
    room = 0.0 if place == 0 else BEFORE_WORDS if place in table.words else BETWEEN
    least, natural = (max(widths) for widths in zip(*cells, strict=True))
    return least, natural, room


def columns_of(table: Table, page: float) -> Columns | None:
    """Return the columns of a table on a page so many points wide; None where its longest words leave no room.

    Where not all fit on single lines, what the longest words leave is shared out by how much more each column would take
    (CSS 2.1, 17.5.2.2).
    """
    values = [_of_column(table, place) for place in range(max(map(len, (table.headings, *table.rows))))]
    for spare in (SPARE, LEAST_SPARE):
        least, natural = ([spare * column[side] + column[2] for column in values] for side in (0, 1))
        if sum(natural) <= page:
            break
    whole = sum(natural)
    if not whole > 0 or sum(least) > page:
        return None
    if whole > page:
        share = (page - sum(least)) / (whole - sum(least))
        natural = [low + share * (high - low) for low, high in zip(least, natural, strict=True)]
        whole = page
    return Columns(tuple(100 * value / whole for value in natural), whole if table.matrix else page)


def pair_columns(block: Pairs, page: float) -> tuple[float, float]:
    """Return the shares of 100 of a page that labels and their texts take: once, or in each of two columns."""
    room = page * (HALF if block.short else 1.0)
    label, text = (
        SPARE * max(width_of(part, CELL) for part in parts) + BETWEEN
        for parts in zip(*((line.label, line.text) for line in block.lines), strict=True)
    )
    kept = label if label + text <= room else min(label, max(room - text, (1 - LEAST_TEXT) * room))
    share = 100 * kept / page
    return share, 100 * room / page - share


def in_lines(block: Pairs) -> Sequence[Sequence[object]]:
    """Return pairs as they follow each other in the lines of a page: two in each where they are short."""
    each = 2 if block.short else 1
    return [block.lines[at : at + each] for at in range(0, len(block.lines), each)]
