"""The small picture under a check: points with the rows that it names ringed; a click chooses a row."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.core.arrays import Array
from vettore.core.fitting.after.check_pictures import Picture
from vettore.core.rounding import NumberStyle

LEFT, TOP, RIGHT, BOTTOM = 34.0, 8.0, 6.0, 30.0
REACH = 9.0
# More points than this are drawn for some of them.
MOST_POINTS = 3000


class CheckPicture(QWidget):
    """``clicked`` tells the place, among the rows in use, of the point that was clicked."""

    clicked = Signal(int)

    def __init__(self, picture: Picture, named: Sequence[int], style: NumberStyle) -> None:
        super().__init__()
        self._picture, self._named, self._style = picture, set(named), style
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{picture.y_title} against {picture.x_title}")
        self.setToolTip("Click a point to choose its row")

    def sizeHint(self) -> QSize:
        return QSize(240, 150)

    def _frame(self) -> QRectF:
        return QRectF(LEFT, TOP, self.width() - LEFT - RIGHT, self.height() - TOP - BOTTOM)

    def _range(self, values: Array, others: Sequence[float]) -> tuple[float, float]:
        every = np.concatenate([values[np.isfinite(values)], others])
        low, high = (float(every.min()), float(every.max())) if len(every) else (0.0, 1.0)
        room = (high - low) * 0.06 or 1.0
        return low - room, high + room

    def places(self) -> tuple[Array, Array]:
        """Return where the points stand, in pixels."""
        picture, frame = self._picture, self._frame()
        ends = picture.line or ()
        x0, x1 = self._range(picture.x, [x for x, _ in ends])
        y0, y1 = self._range(picture.y, [*picture.levels, *(y for _, y in ends)])
        self._scale = (x0, x1, y0, y1)
        px = frame.left() + (picture.x - x0) / (x1 - x0) * frame.width()
        py = frame.bottom() - (picture.y - y0) / (y1 - y0) * frame.height()
        return px, py

    def _pixel(self, x: float, y: float) -> QPointF:
        x0, x1, y0, y1 = self._scale
        frame = self._frame()
        return QPointF(
            frame.left() + (x - x0) / (x1 - x0) * frame.width(),
            frame.bottom() - (y - y0) / (y1 - y0) * frame.height(),
        )

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            drawing, frame = self._picture, self._frame()
            px, py = self.places()
            painter.fillRect(frame, colour("plot_ground"))
            painter.setFont(sans(10.5))
            for level in drawing.levels:
                y = self._pixel(self._scale[0], level).y()
                painter.setPen(QPen(colour("fit" if level == 0 else "grid"), 1.2))
                painter.drawLine(QPointF(frame.left(), y), QPointF(frame.right(), y))
            for level in drawing.levels or (round(self._scale[2]), 0, round(self._scale[3])):
                box = QRectF(0, self._pixel(self._scale[0], level).y() - 8, LEFT - 5, 16)
                painter.setPen(colour("muted"))
                painter.drawText(
                    box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self._style.short(level)
                )
            if drawing.line is not None:
                painter.setPen(QPen(colour("fit"), 1.4))
                painter.drawLine(*(self._pixel(*end) for end in drawing.line))
            good = np.flatnonzero(np.isfinite(px) & np.isfinite(py))
            if drawing.joined and len(good) <= MOST_POINTS:
                order = good[np.argsort(px[good])]
                painter.setPen(QPen(colour("muted", 0.5), 1))
                painter.drawPolyline(QPolygonF([QPointF(px[i], py[i]) for i in order.tolist()]))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("data"))
            step = max(1, len(good) // MOST_POINTS)
            for i in good[::step].tolist():
                painter.drawEllipse(QPointF(px[i], py[i]), 2.4, 2.4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colour("look"), 1.8))
            for i in self._named & set(good.tolist()):
                painter.drawEllipse(QPointF(px[i], py[i]), 6, 6)
            painter.setPen(QPen(colour("ink"), 1))
            painter.drawLine(frame.topLeft(), frame.bottomLeft())
            painter.drawLine(frame.bottomLeft(), frame.bottomRight())
            painter.setPen(colour("muted"))
            foot = QRectF(0, frame.bottom() + 2, self.width() - RIGHT, 14)
            painter.drawText(foot, Qt.AlignmentFlag.AlignRight, drawing.x_title)
            painter.drawText(foot.translated(2, 13), Qt.AlignmentFlag.AlignLeft, f"↑ {drawing.y_title}")

    def mousePressEvent(self, event: QMouseEvent) -> None:
        px, py = self.places()
        distance = (px - event.position().x()) ** 2 + (py - event.position().y()) ** 2
        if not np.isfinite(distance).any():
            return
        best = int(np.nanargmin(distance))
        if distance[best] <= REACH**2:
            self.clicked.emit(best)
