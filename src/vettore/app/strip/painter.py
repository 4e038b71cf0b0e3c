"""Lay out typeset boxes on a baseline and paint them: text, scripts, fractions, roots, tall brackets, and chips."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QWidget

from vettore.app.painting import painting
from vettore.app.style import colour, serif
from vettore.core.typesetting.typeset import (
    Box,
    Fenced,
    Fraction,
    Lowered,
    Radical,
    Raised,
    Row,
    Slot,
    TextBox,
    coefficient_symbol,
)

INDEX_SCALE = 0.68
# Height of the line of fractions above the baseline, and space around it, in sizes of type.
AXIS, GAP = 0.26, 0.14
LEANS = 0.05
SMALLEST = 11.0
# Space above, below and between lines.
LINE_GAP = 8.0

Draw = Callable[[QPainter, float, float], None]
# Lays out the place of a coefficient at a size of type.
PlaceSlot = Callable[[str, float], "Placed"]


@dataclass(frozen=True)
class Placed:
    """A box with its extent about a baseline, how to draw it at its left end, and where chips in it are."""

    width: float
    above: float
    below: float
    draw: Draw
    chips: tuple[tuple[str, QRectF], ...] = ()

    def moved_chips(self, dx: float, dy: float) -> tuple[tuple[str, QRectF], ...]:
        """Return the chips from another origin."""
        return tuple((name, frame.translated(dx, dy)) for name, frame in self.chips)


def place(box: Box, size: float, slot: PlaceSlot | None = None, role: str = "ink") -> Placed:
    """Lay a box out; coefficients are symbols unless ``slot`` places something else."""
    match box:
        case TextBox(text):
            return _text(text, serif(size, box.italic), role)
        case Row(parts):
            return side_by_side([place(part, size, slot, role) for part in parts])
        case Raised(base, exponent):
            return _script(place(base, size, slot, role), exponent, size, slot, role, True)
        case Lowered(base, index):
            return _script(place(base, size, slot, role), index, size, slot, role, False)
        case Fraction(above, below):
            return _fraction(place(above, size * 0.92, slot, role), place(below, size * 0.92, slot, role), size, role)
        case Radical(of, index):
            return _radical(place(of, size, slot, role), index, size, role)
        case Fenced(of, bracket):
            return _fenced(place(of, size, slot, role), bracket, size, role)
        case Slot(name):
            return slot(name, size) if slot is not None else place(coefficient_symbol(name), size, None, "fit")


def side_by_side(pieces: list[Placed]) -> Placed:
    """Return boxes one after another on a common baseline."""

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        for piece in pieces:
            piece.draw(painter, x, baseline)
            x += piece.width

    chips, x = [], 0.0
    for piece in pieces:
        chips += piece.moved_chips(x, 0)
        x += piece.width
    above = max((piece.above for piece in pieces), default=0.0)
    below = max((piece.below for piece in pieces), default=0.0)
    return Placed(x, above, below, draw, tuple(chips))


def paint_lines(widget: QWidget, lines: Sequence[Placed], margin: float) -> None:
    """Paint lines one below another on a widget."""
    with painting(widget) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = LINE_GAP
        for line in lines:
            baseline = top + line.above
            line.draw(painter, margin, baseline)
            top = baseline + line.below + LINE_GAP


def _text(text: str, font: QFont, role: str) -> Placed:
    metrics = QFontMetricsF(font)

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        painter.setFont(font)
        painter.setPen(colour(role))
        painter.drawText(QPointF(x, baseline), text)

    return Placed(metrics.horizontalAdvance(text), metrics.ascent() * 0.82, metrics.descent(), draw)


def _script(main: Placed, script: Box, size: float, slot: PlaceSlot | None, role: str, up: bool) -> Placed:
    small = place(script, max(size * INDEX_SCALE, SMALLEST), slot, role)
    # A tall exponent stands with its foot at the middle of the base, an index hangs below the line.
    shift = max(size * 0.38, main.above - small.above * 0.8) if up else -size * 0.16
    if up and small.chips:
        shift = max(shift, small.below + size * 0.12)

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        main.draw(painter, x, baseline)
        small.draw(painter, x + main.width + 1, baseline - shift)

    above, below = max(main.above, small.above + shift), max(main.below, small.below - shift)
    chips = (*main.chips, *small.moved_chips(main.width + 1, -shift))
    return Placed(main.width + small.width + 2, above, below, draw, chips)


def _fraction(top: Placed, bottom: Placed, size: float, role: str) -> Placed:
    # Chips have frames of their own that need air.
    axis, gap = size * AXIS, size * GAP + (3 if top.chips or bottom.chips else 0)
    width = max(top.width, bottom.width) + size * 0.3
    up, down = axis + gap + top.below, gap - axis + bottom.above

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        top.draw(painter, x + (width - top.width) / 2, baseline - up)
        bottom.draw(painter, x + (width - bottom.width) / 2, baseline + down)
        painter.setPen(QPen(colour(role), max(size / 20, 1.0)))
        painter.drawLine(QPointF(x + 2, baseline - axis), QPointF(x + width - 2, baseline - axis))

    chips = (
        *top.moved_chips((width - top.width) / 2, -up),
        *bottom.moved_chips((width - bottom.width) / 2, down),
    )
    return Placed(width, up + top.above, down + bottom.below, draw, chips)


def _radical(inner: Placed, index: int, size: float, role: str) -> Placed:
    lead, roof = size * 0.55, size * 0.12
    above = inner.above + roof + 2

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        inner.draw(painter, x + lead, baseline)
        top, bottom = baseline - above, baseline + inner.below
        path = QPainterPath(QPointF(x + 1, baseline - inner.above * 0.35))
        path.lineTo(x + lead * 0.35, baseline - inner.above * 0.45)
        path.lineTo(x + lead * 0.62, bottom)
        path.lineTo(x + lead * 0.95, top)
        path.lineTo(x + lead + inner.width + 2, top)
        _stroke(painter, path, size, role)
        if index != 2:
            painter.setFont(serif(size * 0.5, False))
            painter.drawText(QPointF(x, baseline - inner.above * 0.55), str(index))

    return Placed(lead + inner.width + 4, above, inner.below, draw, inner.moved_chips(lead, 0))


def _fenced(inner: Placed, bracket: str, size: float, role: str) -> Placed:
    side = size * (0.32 if bracket != "|" else 0.22)
    tall = inner.above + inner.below > size * 1.5
    above, below = inner.above + (2 if tall else 0), inner.below + (2 if tall else 0)

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        inner.draw(painter, x + side, baseline)
        top, bottom = baseline - above, baseline + below
        for at, way in ((x + side * 0.75, -1.0), (x + side * 1.25 + inner.width + size * LEANS, 1.0)):
            path = QPainterPath(QPointF(at, top))
            if bracket == "(":
                bow = side * 0.55 * way
                path.cubicTo(
                    at + bow, top + (bottom - top) * 0.25, at + bow, bottom - (bottom - top) * 0.25, at, bottom
                )
            else:
                path.lineTo(at, bottom)
            _stroke(painter, path, size, role)

    # A slanted last letter leans over its own width.
    return Placed(inner.width + 2 * side + size * LEANS, above, below, draw, inner.moved_chips(side, 0))


def _stroke(painter: QPainter, path: QPainterPath, size: float, role: str) -> None:
    painter.setPen(QPen(colour(role), max(size / 17, 1.1), Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)
