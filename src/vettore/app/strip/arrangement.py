"""How the equation strip is arranged within its height: chips inside the equation, or in one row beneath it.

A short equation has its chips inside. A longer one is set in symbols on one line, as large as its room allows, with the
chips beneath. What is still too long is scrolled; nothing is cut at the top or the bottom.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

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
from vettore.core.typeset import Row, flat

MARGIN, AIR, BETWEEN = 20.0, 6.0, 6.0
# Sizes of type of an equation with its chips inside, from the largest.
INSIDE = (25.0, 21.0, 18.0)
# The size of one without; it may shrink to this share before it is scrolled, and to any size to keep within its height.
LARGEST, SHRINKS_TO, STEP, LEAST = 23.0, 0.7, 0.95, 7.0

Place = Callable[[Row, float, Callable[[str, float], Placed]], Placed]


@dataclass(frozen=True, eq=False)
class Line:
    """A line of the strip: what is on it, where it begins, and how far it may be scrolled."""

    placed: Placed
    x: float
    baseline: float
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

    equation: Line
    chips: Line | None = None


def arranged(
    terms: list[Row], chips: Mapping[str, Chip], lit: str, room: float, beside: float, height: float
) -> Arrangement:
    """Return how terms are arranged in a strip; ``beside`` is the width that its buttons take on the first line."""
    for size in INSIDE:
        whole = _line(terms, size, lambda name, at: inline_chip(name, chips.get(name, Chip("", "")), at, name == lit))
        if whole.width <= room - beside and whole.above + whole.below + 2 * AIR <= height:
            free = height - whole.above - whole.below
            return Arrangement(Line(whole, MARGIN, free / 2 + whole.above))
    row = _row(chips, lit, room)
    free = height - ROW_HEIGHT - 2 * AIR - BETWEEN
    equation = _symbols(terms, lit, room - beside, free)
    baseline = AIR + (free - equation.above - equation.below) / 2 + equation.above
    return Arrangement(
        Line(equation, MARGIN, baseline, max(equation.width - (room - beside), 0.0)),
        Line(row, MARGIN, height - AIR, max(row.width - room, 0.0)),
    )


def _line(terms: list[Row], size: float, slot: Callable[[str, float], Placed]) -> Placed:
    return side_by_side([place(term, size, slot) for term in terms])


def _symbols(terms: list[Row], lit: str, room: float, height: float) -> Placed:
    """Return the equation in symbols: within the height whatever it takes, within the width as long as it can be read."""

    def fits(placed: Placed) -> bool:
        return placed.above + placed.below <= height

    def at(terms: list[Row], size: float) -> Placed:
        return _line(terms, size, lambda name, at: lit_symbol(name, at, name == lit))

    # Fractions that would have to be tiny to stand in the height are written on one line.
    if not fits(at(terms, LARGEST * SHRINKS_TO)):
        terms = [Row((flat(term),)) for term in terms]
    size = LARGEST
    placed = at(terms, size)
    while size > LEAST and (not fits(placed) or (placed.width > room and size > LARGEST * SHRINKS_TO)):
        size *= STEP
        placed = at(terms, size)
    return placed


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
