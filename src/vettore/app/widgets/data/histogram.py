"""A small histogram of a column."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.look.theme import SIZES


class Histogram(QWidget):
    """Bars of equal width, with the ends of the range written below."""

    def __init__(self) -> None:
        super().__init__()
        self._counts: Array = np.empty(0)
        self._ends = ("", "")
        self.setMinimumHeight(84)
        self.setAccessibleName("Histogram")

    def sizeHint(self) -> QSize:
        return QSize(280, 88)

    def show_counts(self, counts: Array, edges: Array, unit: str, style: NumberStyle) -> None:
        """Show another column by its bars."""
        self._counts = counts
        self._ends = (style.number(edges[0], 3), f"{style.number(edges[-1], 3)} {unit}".strip())
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            if not len(self._counts) or not self._counts.max():
                return
            floor = self.height() - 20.0
            width = self.width() / len(self._counts)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("muted", 0.45))
            for i, count in enumerate(self._counts):
                height = (floor - 4) * count / self._counts.max()
                painter.drawRect(QRectF(i * width + 0.5, floor - height, max(width - 1.5, 1), height))
            painter.setPen(QPen(colour("rule"), 1))
            painter.drawLine(0, int(floor), self.width(), int(floor))
            painter.setFont(sans(SIZES.small))
            painter.setPen(colour("muted"))
            below = QRectF(0, floor + 2, self.width(), 17)
            painter.drawText(below, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, self._ends[0])
            painter.drawText(below, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self._ends[1])
