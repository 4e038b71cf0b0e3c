"""What dragging on a plot does: move the view, zoom, or enclose points."""

from __future__ import annotations

import math
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


# Farther than this from 0 the pixels of a plot have no numbers of their own.
FARTHEST = 1e200


def _shown(ends: Any) -> tuple[float, float] | None:
    """Return the ends of a range within what can be shown, None where they are no numbers."""
    if ends is None or not all(math.isfinite(end) for end in ends):
        return None
    low, high = (min(max(float(end), -FARTHEST), FARTHEST) for end in ends)
    if low == high:
        room = abs(low) / 20 or 0.5
        return low - room, high + room
    return low, high


class HandBox(pg.ViewBox):
    """A view box whose dragging moves the view or encloses points."""

    outlined = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self.hand = Hand.MOVE
        self._path: list[tuple[float, float]] = []

    def setRange(self, rect: Any = None, xRange: Any = None, yRange: Any = None, *args: Any, **options: Any) -> None:
        """Show a range as far as a plot can: ends that are no numbers, or beyond all of them, are left as they are."""
        if rect is not None:
            xRange, yRange = (rect.left(), rect.right()), (rect.top(), rect.bottom())
        x, y = _shown(xRange), _shown(yRange)
        if x is not None or y is not None:
            super().setRange(None, x, y, *args, **options)

    def mouseDragEvent(self, event: Any, axis: int | None = None) -> None:
        """Enclose points, unless the hand moves the view or the drag is on an axis."""
        if self.hand is Hand.MOVE or event.button() != Qt.MouseButton.LeftButton or axis is not None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        place = self.mapSceneToView(event.scenePos())
        start = self.mapSceneToView(event.buttonDownScenePos())
        if event.isStart():
            self._path = [(start.x(), start.y())]
        if self.hand is Hand.LASSO:
            self._path.append((place.x(), place.y()))
            path = self._path
        else:
            low, high = self.viewRange()[1]
            y0, y1 = (low, high) if self.hand is Hand.SPAN else (start.y(), place.y())
            path = [(start.x(), y0), (place.x(), y0), (place.x(), y1), (start.x(), y1)]
        self.outlined.emit(path, event.isFinish())
