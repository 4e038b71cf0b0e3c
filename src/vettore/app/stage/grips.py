"""Grips on a curve: rounded squares that are pulled with the mouse, each named by what it means."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPen

from vettore.app.stage.items import Map, StageItem, off_axis, on_axis
from vettore.app.style import colour, sans

SIDE, REACH = 13.0, 10.0
# Where a grip stands that has no place on a logarithmic axis.
FAR = -1e6


class Grips(StageItem):
    """Grips at (x, y); ``pulled`` tells which one goes where, ``released`` that it was let go."""

    pulled = Signal(int, float, float)
    released = Signal()
    clicked = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.grips: list[tuple[float, float, str]] = []
        self._over = -1
        self._held = -1
        self.setAcceptHoverEvents(True)
        self.setCursor(Qt.CursorShape.SizeAllCursor)

    def set_grips(self, grips: Sequence[tuple[float, float, str]]) -> None:
        """Show grips as (x, y, words)."""
        self.grips = list(grips)
        self.prepareGeometryChange()
        self.update()

    def shape(self) -> QPainterPath:
        """Only the grips take the mouse; between them the plot does."""
        path = QPainterPath()
        view = self.getViewBox()
        if view is None:
            return path
        width, height = view.viewPixelSize()
        if not np.isfinite([width, height]).all():
            return path
        for x, y in self._places():
            at = QRectF(-REACH * width, -REACH * height, 2 * REACH * width, 2 * REACH * height)
            path.addEllipse(at.translated(x, y))
        return path

    def _places(self) -> list[tuple[float, float]]:
        """Return where the grips stand on the axes; far away where they have no place."""
        return [
            (
                float(np.nan_to_num(on_axis(x, self.log[0]), nan=FAR)),
                float(np.nan_to_num(on_axis(y, self.log[1]), nan=FAR)),
            )
            for x, y, _ in self.grips
        ]

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        font = sans(11, sans().weight().DemiBold)
        painter.setFont(font)
        for place, (x, y, words) in enumerate(self.grips):
            at = to_pixels.point(x, y, area.adjusted(-SIDE, -SIDE, SIDE, SIDE))
            if at is None:
                continue
            strong = place in (self._over, self._held)
            painter.setPen(QPen(colour("fit"), 2.6 if strong else 1.8))
            painter.setBrush(colour("plot_ground", 0.6))
            painter.drawRoundedRect(QRectF(at.x() - SIDE / 2, at.y() - SIDE / 2, SIDE, SIDE), 3, 3)
            if strong:
                width = QFontMetricsF(font).horizontalAdvance(words) + 12
                left = min(at.x() + SIDE, area.right() - width - 2)
                box = QRectF(left, max(at.y() - 26, area.top() + 2), width, 19)
                painter.setPen(QPen(colour("rule"), 1))
                painter.setBrush(colour("panel"))
                painter.drawRoundedRect(box, 4, 4)
                painter.setPen(colour("fit"))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _at(self, point: QPointF) -> int:
        """Return the grip at a point of the view, or −1."""
        view = self.getViewBox()
        if view is None:
            return -1
        width, height = view.viewPixelSize()
        best, nearest = -1, REACH**2
        for place, (x, y) in enumerate(self._places()):
            distance = ((x - point.x()) / width) ** 2 + ((y - point.y()) / height) ** 2
            if distance <= nearest:
                best, nearest = place, distance
        return best

    def hoverEvent(self, event: Any) -> None:
        """Light the grip under the pointer."""
        over = -1 if event.isExit() else self._at(event.pos())
        if over >= 0:
            event.acceptDrags(Qt.MouseButton.LeftButton)
        if over != self._over:
            self._over = over
            self.update()

    def mouseClickEvent(self, event: Any) -> None:
        """Tell which grip was clicked."""
        place = self._at(event.pos()) if event.button() == Qt.MouseButton.LeftButton and not event.double() else -1
        if place < 0:
            event.ignore()
            return
        event.accept()
        self.clicked.emit(place)

    def mouseDragEvent(self, event: Any) -> None:
        """Pull a grip."""
        if event.button() != Qt.MouseButton.LeftButton:
            event.ignore()
            return
        if event.isStart():
            self._held = self._at(event.buttonDownPos())
        if self._held < 0:
            event.ignore()
            return
        event.accept()
        x, y = (float(off_axis(v, log)) for v, log in zip((event.pos().x(), event.pos().y()), self.log, strict=True))
        self.pulled.emit(self._held, x, y)
        if event.isFinish():
            self._held = -1
            self.released.emit()
