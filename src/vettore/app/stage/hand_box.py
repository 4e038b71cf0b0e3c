"""What dragging on a plot does: move the view, zoom, or enclose points."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

import pyqtgraph as pg
from PySide6.QtCore import Qt, Signal


class Hand(StrEnum):
    """What dragging on the plot does."""

    MOVE = "moves the view"
    LASSO = "chooses by lasso"
    BOX = "chooses a box"
    SPAN = "chooses a span of x"
    ZOOM = "zooms into a box"


class HandBox(pg.ViewBox):
    """A view box whose dragging moves the view or encloses points."""

    outlined = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self.hand = Hand.MOVE
        self._path: list[tuple[float, float]] = []

    def mouseDragEvent(self, event: Any, axis: int | None = None) -> None:
        """Enclose points, unless the hand moves the view or the drag is on an axis."""
        if self.hand is Hand.MOVE or event.button() != Qt.MouseButton.LeftButton or axis is not None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        here = self.mapSceneToView(event.scenePos())
        start = self.mapSceneToView(event.buttonDownScenePos())
        if event.isStart():
            self._path = [(start.x(), start.y())]
        if self.hand is Hand.LASSO:
            self._path.append((here.x(), here.y()))
            path = self._path
        else:
            low, high = self.viewRange()[1]
            y0, y1 = (low, high) if self.hand is Hand.SPAN else (start.y(), here.y())
            path = [(start.x(), y0), (here.x(), y0), (here.x(), y1), (start.x(), y1)]
        self.outlined.emit(path, event.isFinish())
