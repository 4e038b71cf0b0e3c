"""What the Integrate page draws: the strips over their floor, the running area, the handles of the limits."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from vettore.app.painting import painting
from vettore.app.stage.items import Map, StageItem, draw_line, fill_between
from vettore.app.stage.upright import Upright
from vettore.app.style import colour
from vettore.core.arrays import Array

# Borders between more strips than this would be a grey field.
MOST_BORDERS = 120
# Corners of the running area, a smooth line, that are drawn.
MOST_CORNERS = 1500
GRIP = QRectF(-5, -16, 10, 32)


class Strips(StageItem):
    """The area between a curve and its floor; every other strip is a shade darker."""

    def __init__(self) -> None:
        super().__init__()
        self.shape_of: Callable[[Array], Array] | None = None
        self.floor_of: Callable[[Array], Array] | None = None
        self.edges: Array = np.empty(0)
        self.ink = ""

    def set_strips(
        self,
        edges: Array,
        shape_of: Callable[[Array], Array] | None,
        floor_of: Callable[[Array], Array] | None,
        ink: str,
    ) -> None:
        """Show the strips between edges (k + 1,), under a function and above another; no function shows none."""
        self.edges, self.shape_of, self.floor_of, self.ink = np.sort(edges), shape_of, floor_of, ink
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.shape_of is None or self.floor_of is None or len(self.edges) < 2:
            return
        # An edge without a place on a logarithmic axis lies to the left of everything.
        left, right = (float(np.nan_to_num(to_pixels.x(end), nan=area.left())) for end in self.edges[[0, -1]])
        left, right = max(left, area.left()), min(right, area.right())
        if right <= left:
            return
        pixels = np.arange(left, right + 1.0, 1.0)
        pixels[-1] = right
        corners = to_pixels.x(self.edges)
        inside = corners[(corners >= left) & (corners <= right)]
        # Corners closer to each other than pixels are not seen.
        if len(inside) < len(pixels):
            pixels = np.unique(np.concatenate([pixels, inside]))
        x = np.clip(to_pixels.x_back(pixels), self.edges[0], self.edges[-1])
        top, bottom = to_pixels.y(self.shape_of(x)), to_pixels.y(self.floor_of(x))
        if to_pixels.log[1]:
            # What is not above 0 lies below everything on a logarithmic axis.
            top, bottom = (np.nan_to_num(side, nan=area.bottom() + 500) for side in (top, bottom))
        if not (np.isfinite(top).all() and np.isfinite(bottom).all()):
            return
        top, bottom = (np.clip(side, area.top() - 500, area.bottom() + 500) for side in (top, bottom))
        tint = QColor(self.ink)
        painter.setPen(Qt.PenStyle.NoPen)
        tint.setAlphaF(0.16)
        painter.setBrush(tint)
        fill_between(painter, pixels, top, bottom)
        if len(self.edges) <= MOST_BORDERS:
            tint.setAlphaF(0.10)
            painter.setBrush(tint)
            for a, b in zip(corners[1:-1:2], corners[2::2], strict=False):
                inside = (pixels >= a) & (pixels <= b)
                if inside.sum() > 1:
                    fill_between(painter, pixels[inside], top[inside], bottom[inside])
        pen = QPen(colour("ink"), 1.2)
        pen.setDashPattern([4, 3])
        draw_line(painter, pixels[[0, -1]], bottom[[0, -1]], area, pen)
        draw_line(painter, pixels, top, area, QPen(QColor(self.ink), 1.6))


class Running(StageItem):
    """The area from the lower limit up to each x."""

    def __init__(self) -> None:
        super().__init__()
        self.xs: Array = np.empty(0)
        self.ys: Array = np.empty(0)

    def set_running(self, x: Array, y: Array) -> None:
        """Show the running area at x."""
        self.xs, self.ys = x, y
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if len(self.xs) < 2:
            return
        step = max(1, len(self.xs) // MOST_CORNERS)
        xs, ys = to_pixels.x(self.xs[::step]), to_pixels.y(self.ys[::step])
        draw_line(painter, xs, ys, area, QPen(colour("accent"), 1.8))


class Handle(Upright):
    """A limit that can be dragged sideways; ``released`` tells where it was let go."""

    released = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.sigPositionChangeFinished.connect(lambda _line: self.released.emit(self.at))
        self.dress()

    def dress(self) -> None:
        """Take the colours of the theme."""
        self.setPen(pg.mkPen(colour("accent"), width=1.8))
        self.setHoverPen(pg.mkPen(colour("accent"), width=3))

    def paint(self, painter: QPainter, *args: object) -> None:
        super().paint(painter, *args)
        view = self.getViewBox()
        if view is None:
            return
        with painting(painter):
            x = view.mapViewToDevice(QPointF(float(self.value()), 0.0))
            frame = view.sceneBoundingRect()
            painter.resetTransform()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            if x is not None and np.isfinite([x.x(), frame.center().y()]).all():
                grip = GRIP.translated(x.x(), frame.center().y())
                painter.setPen(QPen(colour("accent"), 1.6))
                painter.setBrush(colour("panel"))
                painter.drawRoundedRect(grip, 3, 3)
                middle = grip.center().x()
                for x_of in (middle - 1.5, middle + 1.5):
                    painter.drawLine(QPointF(x_of, grip.top() + 9), QPointF(x_of, grip.bottom() - 9))
