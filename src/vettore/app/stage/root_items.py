"""What the Polynomial page draws on its curve: turning points, and roots that can be dragged along the axis."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QPainter, QPen

from vettore.app.painting import painting
from vettore.app.stage.items import Map, StageItem
from vettore.app.stage.upright import Upright
from vettore.app.style import colour, sans

SIDE = 13.0


class RootGrip(Upright):
    """A root: a rounded square on the axis that is dragged sideways."""

    moved = Signal(int, float)
    released = Signal(int, float)

    def __init__(self) -> None:
        super().__init__()
        self._words, self._place = "", 0
        self.setPen(pg.mkPen(None))
        self.setHoverPen(pg.mkPen(colour("accent"), width=1))
        self.sigDragged.connect(lambda _line: self.moved.emit(self._place, self.at))
        self.sigPositionChangeFinished.connect(lambda _line: self.released.emit(self._place, self.at))

    def show_root(self, place: int, x: float, words: str) -> None:
        """Stand for the root at a place of the list."""
        self._place, self._words = place, words
        self.show_at(x)
        self.setVisible(True)
        self.update()

    def paint(self, painter: QPainter, *args: object) -> None:
        super().paint(painter, *args)
        view = self.getViewBox()
        if view is None:
            return
        place = view.mapViewToDevice(QPointF(float(self.value()), 0.0))
        if place is None or not np.isfinite([place.x(), place.y()]).all():
            return
        with painting(painter):
            painter.resetTransform()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(colour("accent"), 2.0))
            painter.setBrush(colour("plot_ground"))
            painter.drawRoundedRect(QRectF(place.x() - SIDE / 2, place.y() - SIDE / 2, SIDE, SIDE), 3, 3)
            painter.setFont(sans(11, sans().weight().DemiBold))
            painter.setPen(colour("accent"))
            box = QRectF(place.x() - 60, place.y() + SIDE / 2 + 2, 120, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, self._words)


class TurningPoints(StageItem):
    """Tops and bottoms as short level strokes, inflections as open discs, each with its name."""

    def __init__(self) -> None:
        super().__init__()
        self.turns: list[tuple[float, float, str, str]] = []

    def set_turns(self, turns: list[tuple[float, float, str, str]]) -> None:
        """Show (x, y, kind, words)."""
        self.turns = turns
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        painter.setFont(sans(11, sans().weight().Medium))
        for x, y, kind, words in self.turns:
            at = to_pixels.point(x, y, area)
            if at is None:
                continue
            if kind == "inflection":
                painter.setPen(QPen(colour("muted"), 1.5))
                painter.setBrush(colour("plot_ground"))
                painter.drawEllipse(at, 4, 4)
                painter.setPen(colour("muted"))
                painter.drawText(QPointF(at.x() + 8, at.y() - 6), words)
                continue
            painter.setPen(QPen(colour("look"), 2.4))
            painter.drawLine(QPointF(at.x() - 16, at.y()), QPointF(at.x() + 16, at.y()))
            above = kind == "top"
            box = QRectF(at.x() - 80, at.y() - 22 if above else at.y() + 6, 160, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignHCenter, words)
