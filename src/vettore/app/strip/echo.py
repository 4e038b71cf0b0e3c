"""How a formula was read: typeset on one line, columns in ink, coefficients in the colour of the fit."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.strip.painter import Placed, place
from vettore.core.typesetting.typeset import Box

# Sizes of type, tried from the largest.
SIZES_OF_TYPE = (19.0, 16.0, 13.0, 11.0)
MARGIN = 4.0


class Echo(QWidget):
    """Shows one box, as large as it fits."""

    def __init__(self, largest: float = SIZES_OF_TYPE[0]) -> None:
        super().__init__()
        self._largest = largest
        self._box: Box | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("How the formula was read")

    def show_box(self, box: Box | None, spoken: str = "") -> None:
        """Show a box, or nothing."""
        self._box = box
        self.setAccessibleDescription(spoken)
        self.updateGeometry()
        self.update()

    def _placed(self) -> Placed | None:
        if self._box is None:
            return None
        for size in (self._largest, *(size for size in SIZES_OF_TYPE if size < self._largest)):
            placed = place(self._box, size)
            if placed.width + 2 * MARGIN <= self.width():
                break
        return placed

    def sizeHint(self) -> QSize:
        placed = self._placed()
        height = 30.0 if placed is None else max(placed.above + placed.below + 2 * MARGIN, 30.0)
        return QSize(200, int(height) + 1)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.updateGeometry()

    def paintEvent(self, _event: QPaintEvent) -> None:
        placed = self._placed()
        if placed is None:
            return
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setClipRect(self.rect(), Qt.ClipOperation.ReplaceClip)
            spare = self.height() - placed.above - placed.below
            placed.draw(painter, MARGIN, placed.above + spare / 2)
