"""The equation strip: the formula of the fit, typeset, each coefficient on a chip with its value and ±."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.style import colour, sans, serif
from vettore.core.typeset import Box, Lowered, Raised, Row, Slot, Text, coefficient_symbol
from vettore.look.theme import SIZES

# Sizes tried from the largest until the equation stands on one line; the last may take several.
TYPE_SIZES = (25.0, 21.0, 17.0)
INDEX_SCALE = 0.68
CHIP_PADDING = 10.0
MARGIN = 20.0


@dataclass(frozen=True)
class Chip:
    """What stands on a coefficient's chip."""

    value: str
    error: str


@dataclass(frozen=True)
class Placed:
    """A box with its width and how to draw it at the left end of a baseline."""

    width: float
    above: float
    below: float
    draw: Callable[[QPainter, float, float], None]


class EquationStrip(QWidget):
    """Paints ``left = term + term …``; wraps onto more lines, and shrinks, when it must."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._left: Box = Text("y")
        self._terms: list[Row] = []
        self._chips: dict[str, Chip] = {}
        self._lines: list[list[Placed]] = []
        self._height = 84

    def show_equation(self, left: Box, terms: list[Row], chips: dict[str, Chip]) -> None:
        """Show another equation."""
        self._left, self._terms, self._chips = left, terms, chips
        spoken = "; ".join(f"{name} {chip.value} ± {chip.error}" for name, chip in chips.items())
        self.setAccessibleName(f"Equation of the fit: {spoken}" if spoken else "No fit yet")
        self._arrange()

    def sizeHint(self) -> QSize:
        return QSize(400, self._height)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        for size in TYPE_SIZES:
            self._lines = self._wrapped(size)
            if len(self._lines) <= 1:
                break
        heights = [max(p.above for p in line) + max(p.below for p in line) + 8 for line in self._lines]
        height = int(sum(heights) + 16) if heights else 84
        if height != self._height:
            self._height = height
            self.setFixedHeight(height)
        self.update()

    def _wrapped(self, size: float) -> list[list[Placed]]:
        if not self._terms:
            return []
        pieces = [self._place(Row((self._left, Text(" = "))), size)]
        pieces += [self._place(term, size) for term in self._terms]
        lines: list[list[Placed]] = [[]]
        room = self.width() - 2 * MARGIN
        for piece in pieces:
            used = sum(p.width for p in lines[-1])
            if lines[-1] and used + piece.width > room:
                lines.append([])
            lines[-1].append(piece)
        return lines

    def paintEvent(self, event) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = 8.0
        for line in self._lines:
            above = max(p.above for p in line)
            baseline, x = top + above, MARGIN
            for piece in line:
                piece.draw(painter, x, baseline)
                x += piece.width
            top = baseline + max(p.below for p in line) + 8

    def _place(self, box: Box, size: float, role: str = "ink") -> Placed:
        match box:
            case Text(text):
                return _place_text(text, serif(size, box.italic), role)
            case Row(parts):
                return _side_by_side([self._place(part, size, role) for part in parts])
            case Raised(base, exponent):
                return self._with_script(base, exponent, size, role, up=0.38)
            case Lowered(base, index):
                return self._with_script(base, index, size, role, up=-0.16)
            case Slot(name):
                return self._place_chip(name, size)

    def _with_script(self, base: Box, script: Box, size: float, role: str, up: float) -> Placed:
        main, small = self._place(base, size, role), self._place(script, size * INDEX_SCALE, role)
        shift = size * up

        def draw(painter: QPainter, x: float, baseline: float) -> None:
            main.draw(painter, x, baseline)
            small.draw(painter, x + main.width + 1, baseline - shift)

        above, below = max(main.above, small.above + shift), max(main.below, small.below - shift)
        return Placed(main.width + small.width + 2, above, below, draw)

    def _place_chip(self, name: str, size: float) -> Placed:
        chip = self._chips.get(name, Chip("", ""))
        symbol = self._place(coefficient_symbol(name), size * 0.9, "fit")
        value_font, error_font = sans(12 if size > TYPE_SIZES[-1] else 11, QFont.Weight.DemiBold), sans(SIZES.small)
        texts = [(chip.value, value_font, "ink")]
        if chip.error:
            texts.append((f"± {chip.error}", error_font, "muted"))
        inner = max([symbol.width, *(QFontMetricsF(font).horizontalAdvance(text) for text, font, _ in texts)])
        width = inner + 2 * CHIP_PADDING
        lines = [QFontMetricsF(font).height() for _, font, _ in texts]
        above, below = symbol.above + 5, 6 + sum(lines) + symbol.below * 0.6

        def draw(painter: QPainter, x: float, baseline: float) -> None:
            frame = QRectF(x, baseline - above, width, above + below)
            painter.setPen(QPen(colour("fit", 0.35), 1))
            painter.setBrush(colour("fit", 0.09))
            painter.drawRoundedRect(frame, SIZES.radius, SIZES.radius)
            symbol.draw(painter, x + (width - symbol.width) / 2, baseline)
            y = baseline + symbol.below * 0.6 + 2
            for (text, font, role), height in zip(texts, lines, strict=True):
                painter.setFont(font)
                painter.setPen(colour(role))
                painter.drawText(QRectF(x, y, width, height), Qt.AlignmentFlag.AlignCenter, text)
                y += height

        return Placed(width, above, below, draw)


def _place_text(text: str, font: QFont, role: str) -> Placed:
    metrics = QFontMetricsF(font)

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        painter.setFont(font)
        painter.setPen(colour(role))
        painter.drawText(QPointF(x, baseline), text)

    return Placed(metrics.horizontalAdvance(text), metrics.ascent() * 0.82, metrics.descent(), draw)


def _side_by_side(pieces: list[Placed]) -> Placed:
    def draw(painter: QPainter, x: float, baseline: float) -> None:
        for piece in pieces:
            piece.draw(painter, x, baseline)
            x += piece.width

    return Placed(sum(p.width for p in pieces), max(p.above for p in pieces), max(p.below for p in pieces), draw)
