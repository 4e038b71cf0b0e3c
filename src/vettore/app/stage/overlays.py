"""What stands over the data: readings, a reading cross, a legend, the outline of what is being chosen."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from vettore.app.stage.items import Map, StageItem, draw_line, polygon
from vettore.app.stage.marks import RADIUS
from vettore.app.style import colour, sans

LEGEND_LINE, LEGEND_SHARE = 20, 0.4


class Cross(StageItem):
    """A reading cross through the pointer, with the values there."""

    def __init__(self) -> None:
        super().__init__()
        self.at: tuple[float, float] | None = None
        self.text = ""

    def set_place(self, at: tuple[float, float] | None, text: str) -> None:
        """Put the cross at a place of the axes, or take it away."""
        self.at, self.text = at, text
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.at is None:
            return
        x, y = self.at[0] * to_pixels.mx + to_pixels.dx, self.at[1] * to_pixels.my + to_pixels.dy
        if not (math.isfinite(x) and math.isfinite(y)):
            return
        painter.setPen(QPen(colour("muted"), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        _draw_tag(painter, QPointF(x + 8, y - 26), self.text, area)


class Note(StageItem):
    """What the plot has to say about itself, in its lower left corner."""

    def __init__(self) -> None:
        super().__init__()
        self.text = ""

    def set_text(self, text: str) -> None:
        """Say something, or nothing."""
        self.text = text
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.text:
            _draw_tag(painter, QPointF(area.left() + 8, area.bottom() - 28), self.text, area)


class Legend(StageItem):
    """Which colour is which series, in the corner with most room above."""

    def __init__(self) -> None:
        super().__init__()
        self.entries: list[tuple[str, str]] = []

    def set_entries(self, entries: list[tuple[str, str]]) -> None:
        """Show names with their colours; fewer than two need no legend."""
        self.entries = entries
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if len(self.entries) < 2:
            return
        painter.setFont(sans(11))
        metrics = painter.fontMetrics()
        # No name takes the plot, and no list runs out of it.
        widest = LEGEND_SHARE * area.width()
        shown = self.entries[: max(int((area.height() - 40) // LEGEND_LINE), 2)]
        if len(shown) < len(self.entries):
            shown = [*shown[:-1], (f"and {len(self.entries) - len(shown) + 1} more", "")]
        shown = [(metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, int(widest)), ink) for name, ink in shown]
        width = max(metrics.horizontalAdvance(name) for name, _ in shown) + 34
        box = QRectF(area.right() - width - 10, area.top() + 10, width, LEGEND_LINE * len(shown) + 10)
        painter.setPen(QPen(colour("rule"), 1))
        painter.setBrush(colour("panel", 0.92))
        painter.drawRoundedRect(box, 5, 5)
        for i, (name, ink) in enumerate(shown):
            y = box.top() + 15 + LEGEND_LINE * i
            if ink:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(ink))
                painter.drawEllipse(QPointF(box.left() + 14, y), RADIUS, RADIUS)
            painter.setPen(colour("ink"))
            line = QRectF(box.left() + 25, y - 10, width, 20)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, name)


def _draw_tag(painter: QPainter, corner: QPointF, text: str, area: QRectF) -> None:
    painter.setFont(sans(11))
    width = painter.fontMetrics().horizontalAdvance(text) + 14
    left = min(corner.x(), area.right() - width - 2)
    box = QRectF(left, max(corner.y(), area.top() + 2), width, 20)
    painter.setPen(QPen(colour("rule"), 1))
    painter.setBrush(colour("panel"))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(colour("ink"))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


class Rubber(StageItem):
    """The outline of what is being chosen by dragging, in data coordinates of the axes."""

    def __init__(self) -> None:
        super().__init__()
        self.outline: list[tuple[float, float]] = []

    def set_outline(self, points: list[tuple[float, float]]) -> None:
        """Show an outline, or none."""
        self.outline = points
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if len(self.outline) < 2:
            return
        around = np.array(self.outline)
        x, y = around[:, 0] * to_pixels.mx + to_pixels.dx, around[:, 1] * to_pixels.my + to_pixels.dy
        if not (np.isfinite(x).all() and np.isfinite(y).all()):
            return
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("accent", 0.08))
        painter.drawPolygon(polygon(x, y))
        pen = QPen(colour("accent"), 1.4)
        pen.setDashPattern([4, 3])
        draw_line(painter, np.append(x, x[0]), np.append(y, y[0]), area, pen)


class Pennants(StageItem):
    """Readings: a pennant at each point, with its text, and a dotted line down to the axis."""

    shown = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.pennants: list[tuple[float, float, str, bool]] = []

    def set_flags(self, flags: list[tuple[float, float, str, bool]]) -> None:
        """Show pennants at (x, y) with a text; the last value is whether the reading is kept."""
        self.pennants = flags
        self.update()
        self.shown.emit()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        font = sans(11)
        font.setBold(True)
        painter.setFont(font)
        metrics = painter.fontMetrics()
        taken: list[QRectF] = []
        for x, y, text, kept in self.pennants:
            px, py = to_pixels.x(x), to_pixels.y(y)
            if not (np.isfinite(px) and np.isfinite(py)) or abs(px - area.center().x()) > 1e4:
                continue
            py = min(max(py, area.top() - 1e4), area.bottom() + 1e4)
            ink = colour("accent")
            dotted = QPen(ink, 1)
            dotted.setDashPattern([1.5, 3])
            painter.setPen(dotted)
            painter.drawLine(QPointF(px, py), QPointF(px, area.bottom()))
            width, height = metrics.horizontalAdvance(text) + 22, 22.0
            to_left = px + width > area.right()
            edge = px - width if to_left else px
            top = py - 48 if py - 52 > area.top() else py + 26
            step = -(height + 4) if top < py else height + 4
            while any(other.intersects(QRectF(edge, top, width, height)) for other in taken):
                top += step
            taken.append(QRectF(edge, top, width, height))
            painter.setPen(QPen(ink, 1.4))
            painter.drawLine(QPointF(px, py), QPointF(px, top if top < py else top + height))
            sign = -1 if to_left else 1
            flag = QPolygonF(
                [
                    QPointF(px, top),
                    QPointF(px + sign * width, top),
                    QPointF(px + sign * (width - 7), top + height / 2),
                    QPointF(px + sign * width, top + height),
                    QPointF(px, top + height),
                ]
            )
            painter.setPen(QPen(ink, 1.2))
            painter.setBrush(ink if kept else colour("panel"))
            painter.drawPolygon(flag)
            painter.setPen(colour("on_accent") if kept else ink)
            left = px - width + 10 if to_left else px
            box = QRectF(left, top, width - 8, height)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            painter.setPen(QPen(colour("plot_ground"), 1))
            painter.setBrush(ink)
            painter.drawEllipse(QPointF(px, py), 4, 4)
