"""Lines of a plot: a curve with its band, rows joined in the order of x, the grid, a level, the ground beyond the data."""

from __future__ import annotations

import math

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QPainter, QPen

from vettore.app.stage.items import Map, StageItem, draw_line, fill_between
from vettore.app.stage.pyramid import Pyramid
from vettore.app.style import colour, theme
from vettore.core.arrays import Array
from vettore.core.curve import Curve

BEYOND_ALPHA = 0.55


class CurveLine(StageItem):
    """A curve at screen resolution, solid over its data and dashed beyond, with its band; a ghost is dashed throughout."""

    shown = Signal()

    def __init__(self, ghost: bool = False, ink: str = "") -> None:
        super().__init__()
        # A colour of its own where several curves share a plot.
        self._ghost, self._ink = ghost, ink
        self.curve: Curve | None = None
        self.level = 0.95

    def set_curve(self, curve: Curve | None, level: float = 0.95) -> None:
        """Show a curve, or none."""
        self.curve, self.level = curve, level
        self.update()
        self.shown.emit()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.curve is None:
            return
        pixels = np.arange(area.left(), area.right() + 1.5, 1.5)
        x = to_pixels.x_back(pixels)
        if self.curve.ends_at_span:
            inside_span = (x >= self.curve.span[0]) & (x <= self.curve.span[1])
            pixels, x = pixels[inside_span], x[inside_span]
        if not len(x):
            return
        with np.errstate(all="ignore"):
            y = to_pixels.y(self.curve(x))
            low, high = self.curve.band(x, self.level)
            low, high = to_pixels.y(low), to_pixels.y(high)
        reach = 4 * area.height() + 1000
        clip = (area.center().y() - reach, area.center().y() + reach)
        if not (self._ghost or self._ink) and np.isfinite(low).all() and np.isfinite(high).all():
            self._draw_band(painter, pixels, np.clip(low, *clip), np.clip(high, *clip))
        inside = (x >= self.curve.span[0]) & (x <= self.curve.span[1])
        edges = [to_pixels.x(self.curve.span[0]), to_pixels.x(self.curve.span[1])]
        for mask, dashed in ((pixels <= edges[0], True), (inside, False), (pixels >= edges[1], True)):
            pen = QPen(QColor(self._ink) if self._ink else colour("accent" if self._ghost else "fit"), 2.0)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            if dashed or self._ghost:
                pen.setDashPattern([4, 3])
            draw_line(painter, pixels[mask], y[mask], area, pen)

    def _draw_band(self, painter: QPainter, pixels: Array, low: Array, high: Array) -> None:
        painter.setBrush(colour("fit", 0.16))
        fill_between(painter, pixels, low, high)


class Beyond(StageItem):
    """The shaded ground outside the data."""

    def __init__(self) -> None:
        super().__init__()
        self.span: tuple[float, float] | None = None
        self.setZValue(-50)

    def set_span(self, span: tuple[float, float] | None) -> None:
        """Shade outside this x range, or nothing."""
        self.span = span
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.span is None:
            return
        left, right = to_pixels.x(self.span[0]), to_pixels.x(self.span[1])
        ground = QBrush(colour("canvas", BEYOND_ALPHA))
        if left > area.left():
            painter.fillRect(QRectF(area.left(), area.top(), left - area.left(), area.height()), ground)
        if right < area.right():
            painter.fillRect(QRectF(right, area.top(), area.right() - right, area.height()), ground)


class Grid(StageItem):
    """Lines at the figures of the axes, under everything else."""

    def __init__(self, bottom: pg.AxisItem, left: pg.AxisItem) -> None:
        super().__init__()
        self._axes = (bottom, left)
        # What the last lines were drawn for, and the lines: most frames change what lies over them.
        self._drawn: tuple[object, list[QLineF]] = (None, [])
        self.setZValue(-40)

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        bottom, left = self._axes
        shown = (tuple(bottom.range), tuple(left.range), to_pixels.key, area.getRect())
        if shown != self._drawn[0]:
            lines = []
            for _, values in bottom.tickValues(*bottom.range, area.width())[:1]:
                for x in np.asarray(values, dtype=float) * to_pixels.mx + to_pixels.dx:
                    lines.append(QLineF(x, area.top(), x, area.bottom()))
            for _, values in left.tickValues(*left.range, area.height())[:1]:
                for y in np.asarray(values, dtype=float) * to_pixels.my + to_pixels.dy:
                    lines.append(QLineF(area.left(), y, area.right(), y))
            self._drawn = (shown, lines)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(QPen(colour("grid"), 1))
        painter.drawLines(self._drawn[1])


class Level(StageItem):
    """A horizontal line at a value of y."""

    def __init__(self, y: float, role: str) -> None:
        super().__init__()
        self.value, self.role = y, role

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        painter.setPen(QPen(colour(self.role), 1.4))
        y = float(to_pixels.y(self.value))
        if math.isfinite(y):
            painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))


class Trace(StageItem):
    """Measured rows joined by a line in the order of x, at two points a pixel."""

    def __init__(self) -> None:
        super().__init__()
        self._pyramid: Pyramid | None = None
        self.ink = theme().data

    def set_data(self, x: Array, y: Array, ink: str) -> None:
        """Join these rows; x need not be sorted."""
        self.ink = ink
        if len(x) and (np.diff(x) < 0).any():
            order = np.argsort(x, kind="stable")
            x, y = x[order], y[order]
        self._pyramid = Pyramid(x, y) if len(x) > 1 else None
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self._pyramid is None:
            return
        left, right = to_pixels.x_back(area.left()), to_pixels.x_back(area.right())
        x, y = self._pyramid.view(float(left), float(right), max(int(area.width()), 1))
        px, py = to_pixels.x(x), to_pixels.y(y)
        good = np.isfinite(px) & np.isfinite(py)
        pen = QPen(QColor(self.ink), 1)
        pen.setCosmetic(True)
        draw_line(painter, px[good], py[good], area, pen)
