"""How the equation strip is arranged within its height: chips inside the equation, or in one row beneath it.

A short equation has its chips inside. A longer one is set in symbols on one line, as large as its room allows, with the
chips beneath. What is still too long is scrolled; nothing is cut at the top or the bottom.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from math import inf

from PySide6.QtCore import QRectF

from vettore.app.strip.chips import (
    LEAST_VALUE,
    ROW_HEIGHT,
    SMALL_VALUE,
    VALUE,
    Chip,
    inline_chip,
    lit_symbol,
    row_chip,
)
from vettore.app.strip.painter import Placed, place, side_by_side
from vettore.core.typesetting.typeset import Row, flat

MARGIN, AIR, BETWEEN = 20.0, 6.0, 6.0
# Sizes of type of an equation with its chips inside, from the largest.
INSIDE = (25.0, 21.0, 18.0)
# The size of one without; it may shrink to this share before it is scrolled, and to any size to keep within its height.
LARGEST, SHRINKS_TO, STEP, LEAST = 23.0, 0.7, 0.95, 7.0


@dataclass(frozen=True, eq=False)
class StripLine:
    """A line of the strip: what is on it, where it begins, and how far it may be scrolled."""

    placed: Placed
    x: float
    baseline: float
    # The width that is taken on its right.
    beside: float = 0.0
    overflow: float = 0.0

    def frames(self, scrolled: float) -> dict[str, list[QRectF]]:
        """Return where each coefficient is on the line."""
        out: dict[str, list[QRectF]] = {}
        for name, frame in self.placed.moved_chips(self.x - scrolled, self.baseline):
            out.setdefault(name, []).append(frame)
        return out


@dataclass(frozen=True, eq=False)
class Arrangement:
    """One line with the chips inside, or the equation and beneath it the ``chips`` in a row."""

    equation: StripLine
    chips: StripLine | None = None


def arranged(
    terms: tuple[Row, ...], chips: Mapping[str, Chip], lit: str, room: float, beside: tuple[float, ...], height: float
) -> Arrangement:
    """Return how terms are arranged in a strip.

    ``beside`` are the widths that may be taken on the first line, the widest first: a narrower one is for an equation
    that has its chips inside only then.
    """
    if (inside := _inside(terms, chips, lit, room, beside, height)) is not None:
        return inside
    row = _row(chips, lit, room)
    free = height - ROW_HEIGHT - 2 * AIR - BETWEEN
    wide = room - beside[0]
    equation = _symbols(terms, lit, wide, free)
    baseline = AIR + (free - equation.above - equation.below) / 2 + equation.above
    return Arrangement(
        StripLine(equation, MARGIN, baseline, beside[0], max(equation.width - wide, 0.0)),
        StripLine(row, MARGIN, height - AIR, 0.0, max(row.width - room, 0.0)),
    )


def _inside(
    terms: tuple[Row, ...], chips: Mapping[str, Chip], lit: str, room: float, beside: tuple[float, ...], height: float
) -> Arrangement | None:
    """Return the equation with its chips inside, as large as it can be; None when it cannot be small enough."""

    def at(size: float) -> Placed:
        return _line(terms, size, lambda name, at: inline_chip(name, chips.get(name, Chip("", "")), at, name == lit))

    # Most that do not fit do not at the smallest size: that one is tried first.
    smallest = at(INSIDE[-1])
    if not _fits(smallest, room - beside[-1], height - 2 * AIR):
        return None
    if chips.keys() - {name for name, _ in smallest.chips}:
        # Of peaks, and of several equations, there are chips without a place in it.
        return None
    sizes = [*(at(size) for size in INSIDE[:-1]), smallest]
    for taken in beside:
        for whole in sizes:
            if _fits(whole, room - taken, height - 2 * AIR):
                free = height - whole.above - whole.below
                return Arrangement(StripLine(whole, MARGIN, free / 2 + whole.above, taken))
    return None


def _fits(placed: Placed, width: float, height: float) -> bool:
    return placed.width <= width and placed.above + placed.below <= height


def _line(terms: tuple[Row, ...], size: float, slot: Callable[[str, float], Placed]) -> Placed:
    return side_by_side([place(term, size, slot) for term in terms])


# The line of symbols stays the same while values change under the hand.
@lru_cache(maxsize=32)
def _symbols(terms: tuple[Row, ...], lit: str, room: float, height: float) -> Placed:
    """Return the equation in symbols, as large as it can be."""
    terms, size = _readable(terms, room, height)
    return _in_symbols(terms, size, lit)


def _in_symbols(terms: tuple[Row, ...], size: float, lit: str = "") -> Placed:
    return _line(terms, size, lambda name, at: lit_symbol(name, at, name == lit))


@lru_cache(maxsize=32)
def _readable(terms: tuple[Row, ...], room: float, height: float) -> tuple[tuple[Row, ...], float]:
    """Return the terms and the size of type that keeps them in the height, and in the width while it can be read."""
    # Fractions that would have to be tiny to stand in the height are written on one line.
    if not _fits(_in_symbols(terms, LARGEST * SHRINKS_TO), inf, height):
        terms = tuple(Row((flat(term),)) for term in terms)
    size = LARGEST
    while size > LEAST:
        placed = _in_symbols(terms, size)
        if _fits(placed, inf if size <= LARGEST * SHRINKS_TO else room, height):
            break
        size *= STEP
    return terms, size


def _row(chips: Mapping[str, Chip], lit: str, room: float) -> Placed:
    """Return the chips side by side, in smaller type where there are many."""
    for size in (VALUE, SMALL_VALUE, LEAST_VALUE):
        pieces = [row_chip(name, chip, size, name == lit) for name, chip in chips.items()]
        row = _with_gaps(pieces)
        if row.width <= room:
            break
    return row


def _with_gaps(pieces: list[Placed]) -> Placed:
    gap = Placed(BETWEEN, 0.0, 0.0, lambda painter, x, baseline: None)
    spaced = [part for piece in pieces for part in (gap, piece)][1:]
    return side_by_side(spaced)
