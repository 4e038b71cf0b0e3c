"""The chip of a coefficient: its symbol, its value and its ±, inside the equation or in a row beneath it."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPen

from vettore.app.strip.chip import Chip
from vettore.app.strip.painter import Placed, place
from vettore.app.style import colour, sans
from vettore.core.typesetting.typeset import coefficient_symbol
from vettore.look.theme import SIZES

PADDING, TIGHT = 10.0, 6.0
# The height of a chip in a row, and between its symbol and its value.
ROW_HEIGHT, GAP = 36.0, 7.0
VALUE, SMALL_VALUE, LEAST_VALUE = 12.0, 10.5, 9.5
SYMBOL = 15.0


def _frame(painter: QPainter, frame: QRectF, chip: Chip, lit: bool) -> None:
    role = "muted" if chip.held else "fit"
    pen = QPen(colour("accent") if lit else colour(role, 0.45), 1.6 if lit else 1)
    if chip.held:
        pen.setStyle(Qt.PenStyle.DashLine)
    painter.setPen(pen)
    painter.setBrush(colour(role, 0.16 if lit else 0.09))
    painter.drawRoundedRect(frame, SIZES.radius, SIZES.radius)


def inline_chip(name: str, chip: Chip, size: float, lit: bool) -> Placed:
    """Place a chip in the equation: the symbol on its line, value and ± beneath."""
    symbol = place(coefficient_symbol(name), max(size * 0.9, 13), None, "fit")
    large = size > 16
    texts = [(chip.value, sans(VALUE if large else SMALL_VALUE, QFont.Weight.DemiBold), "ink")]
    if chip.foot:
        texts.append((chip.foot, sans(SIZES.small), "muted"))
    inner = max([symbol.width, *(QFontMetricsF(font).horizontalAdvance(text) for text, font, _ in texts)])
    width = inner + 2 * (PADDING if large else TIGHT)
    heights = [QFontMetricsF(font).height() for _, font, _ in texts]
    above, below = symbol.above + 5, 6 + sum(heights) + symbol.below * 0.6

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        _frame(painter, QRectF(x, baseline - above, width, above + below), chip, lit)
        symbol.draw(painter, x + (width - symbol.width) / 2, baseline)
        y = baseline + symbol.below * 0.6 + 2
        for (text, font, ink), height in zip(texts, heights, strict=True):
            painter.setFont(font)
            painter.setPen(colour(ink))
            painter.drawText(QRectF(x, y, width, height), Qt.AlignmentFlag.AlignCenter, text)
            y += height

    return Placed(width, above, below, draw, ((name, QRectF(0, -above, width, above + below)),))


def row_chip(name: str, chip: Chip, size: float, lit: bool) -> Placed:
    """Place a chip in the row: the symbol on the left, value over ± on the right; ``size`` is that of the value."""
    symbol = place(coefficient_symbol(name), SYMBOL, None, "fit")
    bold, plain = sans(size, QFont.Weight.DemiBold), sans(min(SIZES.small, size))
    texts = [(chip.value, bold, "ink"), (chip.foot, plain, "muted")]
    wide = max(QFontMetricsF(font).horizontalAdvance(text) for text, font, _ in texts)
    width = symbol.width + GAP + wide + 2 * TIGHT

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        frame = QRectF(x, baseline - ROW_HEIGHT, width, ROW_HEIGHT)
        _frame(painter, frame, chip, lit)
        symbol.draw(painter, x + TIGHT, baseline - ROW_HEIGHT / 2 + SYMBOL * 0.32)
        right = Qt.AlignmentFlag.AlignRight
        upper = QRectF(x, frame.top() + 2, width - TIGHT, ROW_HEIGHT / 2 - 1)
        for (text, font, ink), area in zip(texts, (upper, upper.translated(0, ROW_HEIGHT / 2 - 2)), strict=True):
            painter.setFont(font)
            painter.setPen(colour(ink))
            side = Qt.AlignmentFlag.AlignVCenter
            painter.drawText(area if chip.foot else frame.adjusted(0, 0, -TIGHT, 0), right | side, text)
            if not chip.foot:
                break

    return Placed(width, ROW_HEIGHT, 0.0, draw, ((name, QRectF(0, -ROW_HEIGHT, width, ROW_HEIGHT)),))


def lit_symbol(name: str, size: float, lit: bool) -> Placed:
    """Place a coefficient as its symbol; a lit one stands on a ground of its own."""
    symbol = place(coefficient_symbol(name), size, None, "fit")

    def draw(painter: QPainter, x: float, baseline: float) -> None:
        if lit:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("accent", 0.20))
            around = QRectF(x, baseline - symbol.above, symbol.width, symbol.above + symbol.below)
            painter.drawRoundedRect(around.adjusted(-2, -1, 2, 1), 3, 3)
        symbol.draw(painter, x, baseline)

    return Placed(
        symbol.width,
        symbol.above,
        symbol.below,
        draw,
        ((name, QRectF(0, -symbol.above, symbol.width, symbol.above + symbol.below)),),
    )
