"""What a plot draws: marks, a curve with its band, the ground beyond the data.

Each item maps its data to pixels itself when it is painted, so that marks stay round, lines stay at
screen resolution at every zoom, and a million rows cost a frame and not a second.
"""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QImage, QPainter, QPainterPath, QPen, QPolygonF

from vettore.app.stage.pyramid import Pyramid
from vettore.app.stage.stamps import stamp_discs
from vettore.app.style import colour, theme
from vettore.core.arrays import Array, Mask
from vettore.core.curve import Curve

# More marks than this in view are painted as one picture.
MOST_SINGLE_MARKS = 4000
RADIUS = 4.0
RING_RADIUS = 8.5
BEYOND_ALPHA = 0.55


class StageItem(pg.GraphicsObject):
    """An item that fills its view box and paints in pixels.

    Attributes must not be called x, y, pos, flags, data or the like: Qt calls its own methods of these names.
    """

    # Whether the x and the y axis are logarithmic; the plot sets it for all its items.
    log = (False, False)

    def set_log(self, log: tuple[bool, bool]) -> None:
        """Stand on logarithmic or linear axes."""
        self.log = log
        self.prepareGeometryChange()
        self.update()

    def boundingRect(self) -> QRectF:
        rect = self.viewRect()
        return rect if rect is not None else QRectF()

    def viewTransformChanged(self) -> None:
        super().viewTransformChanged()
        self.prepareGeometryChange()
        self.update()

    def paint(self, painter: QPainter, *_args) -> None:
        view = self.viewRect()
        if view is None:
            return
        painter.save()
        transform = painter.worldTransform()
        corners = transform.mapRect(view)
        painter.resetTransform()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter, Map(transform, self.log), corners)
        painter.restore()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        """Paint in pixels inside ``area``."""
        raise NotImplementedError


class Map:
    """From data to pixels and back; on a logarithmic axis values that are not above zero have no place (NaN)."""

    def __init__(self, transform, log: tuple[bool, bool]) -> None:
        self.mx, self.my = transform.m11(), transform.m22()
        self.dx, self.dy = transform.dx(), transform.dy()
        self.log = log

    @property
    def key(self) -> tuple[object, ...]:
        """What the map depends on."""
        return (self.mx, self.my, self.dx, self.dy, self.log)

    def x(self, values):
        return on_axis(values, self.log[0]) * self.mx + self.dx

    def y(self, values):
        return on_axis(values, self.log[1]) * self.my + self.dy

    def x_back(self, pixels):
        return off_axis((pixels - self.dx) / self.mx, self.log[0])


def on_axis(values, log: bool):
    """Return where values stand on an axis: themselves, or their decimal logarithms."""
    if not log:
        return values
    with np.errstate(all="ignore"):
        return np.log10(np.where(np.asarray(values) > 0, values, np.nan))


def off_axis(places, log: bool):
    """Return the values that stand at places of an axis."""
    if not log:
        return places
    with np.errstate(over="ignore"):
        return np.power(10.0, places)


class Marks(StageItem):
    """Measured rows: filled discs, hollow slashed discs for rows set aside, rings for chosen or pointed rows."""

    shown = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.xs: Array = np.empty(0)
        self.ys: Array = np.empty(0)
        self.aside: Mask = np.empty(0, dtype=bool)
        self.numbers = np.empty(0, dtype=np.intp)
        self.error: Array | None = None
        self.fill = theme().data
        self.chosen: frozenset[int] = frozenset()
        self.pointed = -1
        self.stems = False
        self.radius = RADIUS
        # What the last picture of very many marks showed, the picture, and where rows set aside were.
        self._pictured: tuple[object, QImage, tuple[Array, Array]] = (None, QImage(), (np.empty(0), np.empty(0)))

    def set_data(self, x: Array, y: Array, numbers, aside: Mask, fill: str, error: Array | None = None) -> None:
        """Show rows; ``numbers`` are their places in the series."""
        self.xs, self.ys, self.numbers, self.aside, self.fill, self.error = x, y, numbers, aside, fill, error
        self.update()
        self.shown.emit()

    def set_chosen(self, rows: frozenset[int]) -> None:
        """Ring the chosen rows."""
        self.chosen = rows
        self.update()

    def set_pointed(self, row: int) -> None:
        """Ring the row under the pointer."""
        self.pointed = row
        self.update()

    def nearest(self, at: QPointF, reach: float) -> int:
        """Return the row whose mark is nearest to a point in data coordinates, within ``reach`` pixels, or −1."""
        view = self.getViewBox()
        if view is None or not len(self.xs):
            return -1
        width, height = view.viewPixelSize()
        xs, ys = on_axis(self.xs, self.log[0]), on_axis(self.ys, self.log[1])
        distance = ((xs - at.x()) / width) ** 2 + ((ys - at.y()) / height) ** 2
        if not np.isfinite(distance).any():
            return -1
        best = int(np.nanargmin(distance))
        return int(self.numbers[best]) if distance[best] <= reach**2 else -1

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        many = len(self.xs) > MOST_SINGLE_MARKS
        shown = (id(self.xs), id(self.ys), id(self.aside), self.fill, to_pixels.key, area.getRect())
        if many and shown == self._pictured[0]:
            # Nothing moved since the last frame: only what lies over the marks changed.
            painter.drawImage(QPointF(area.left() - 2, area.top() - 2), self._pictured[1])
            self._draw_hollow(painter, *self._pictured[2])
            self._draw_rings(painter, to_pixels)
            return
        px, py = to_pixels.x(self.xs), to_pixels.y(self.ys)
        margin = 2 * self.radius
        seen = (px >= area.left() - margin) & (px <= area.right() + margin)
        seen &= (py >= area.top() - margin) & (py <= area.bottom() + margin)
        if self.stems and len(self.xs) <= MOST_SINGLE_MARKS:
            self._draw_stems(painter, px, py, to_pixels.y(0.0), self.aside)
        if self.error is not None and len(self.xs) <= MOST_SINGLE_MARKS:
            self._draw_errors(painter, px[seen], to_pixels, self.ys[seen], self.error[seen])
        filled = seen & ~self.aside
        hollow = np.flatnonzero(seen & self.aside)[:MOST_SINGLE_MARKS]
        if int(filled.sum()) > MOST_SINGLE_MARKS:
            picture = self._draw_picture(painter, px[filled], py[filled], area)
            self._pictured = (shown, picture, (px[hollow], py[hollow]))
        else:
            stamp_discs(painter, px[filled], py[filled], self.fill, theme().plot_ground, self.radius)
        self._draw_hollow(painter, px[hollow], py[hollow])
        self._draw_rings(painter, to_pixels)

    def _draw_hollow(self, painter: QPainter, px: Array, py: Array) -> None:
        painter.setPen(QPen(colour("muted"), 1.4))
        painter.setBrush(colour("plot_ground"))
        r = self.radius
        for x, y in zip(px.tolist(), py.tolist(), strict=True):
            painter.drawEllipse(QPointF(x, y), r, r)
            painter.drawLine(QPointF(x - r - 1, y + r + 1), QPointF(x + r + 1, y - r - 1))

    def _draw_stems(self, painter: QPainter, px: Array, py: Array, zero: float, aside: Mask) -> None:
        painter.setPen(QPen(colour("muted", 0.6), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        x, y = px[~aside], py[~aside]
        ends = np.column_stack([np.full(len(y), zero), y]).ravel()
        painter.drawPath(pg.functions.arrayToQPath(np.repeat(x, 2), ends, connect="pairs"))

    def _draw_errors(self, painter: QPainter, px: Array, to_pixels: Map, y: Array, error: Array) -> None:
        painter.setPen(QPen(colour("muted", 0.8), 1))
        low, high = to_pixels.y(y - error), to_pixels.y(y + error)
        for x, a, b in zip(px.tolist(), low.tolist(), high.tolist(), strict=True):
            if np.isfinite(a):
                painter.drawLine(QPointF(x, a), QPointF(x, b))

    def _draw_picture(self, painter: QPainter, px: Array, py: Array, area: QRectF) -> QImage:
        """Paint very many marks as one picture of the pixels that they hit, widened to small discs; return it."""
        width, height = int(area.width()) + 4, int(area.height()) + 4
        column = np.clip((px - area.left() + 2).astype(np.intp), 0, width - 1)
        line = np.clip((py - area.top() + 2).astype(np.intp), 0, height - 1)
        hits = np.zeros(width * height, dtype=bool)
        hits[line * width + column] = True
        hits = hits.reshape(height, width)
        wide = hits.copy()
        wide[1:] |= hits[:-1]
        wide[:-1] |= hits[1:]
        wide[:, 1:] |= hits[:, :-1]
        wide[:, :-1] |= hits[:, 1:]
        ink = QColor(self.fill)
        picture = np.zeros((height, width), dtype=np.uint32)
        picture[wide] = (255 << 24) | (ink.red() << 16) | (ink.green() << 8) | ink.blue()
        # A copy of its own, since the array goes.
        image = QImage(picture.data, width, height, width * 4, QImage.Format.Format_ARGB32).copy()
        painter.drawImage(QPointF(area.left() - 2, area.top() - 2), image)
        return image

    def _draw_rings(self, painter: QPainter, to_pixels: Map) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        rows = set(self.chosen) | ({self.pointed} if self.pointed >= 0 else set())
        if not rows:
            return
        places = np.flatnonzero(np.isin(self.numbers, list(rows)))[:2000]
        px, py = to_pixels.x(self.xs[places]), to_pixels.y(self.ys[places])
        for place, x, y in zip(places.tolist(), px.tolist(), py.tolist(), strict=True):
            strong = int(self.numbers[place]) in self.chosen
            painter.setPen(QPen(colour("accent"), 2.2 if strong else 1.6))
            painter.drawEllipse(QPointF(x, y), RING_RADIUS, RING_RADIUS)


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
        y = np.clip(y, *clip)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        edges = [to_pixels.x(self.curve.span[0]), to_pixels.x(self.curve.span[1])]
        for mask, dashed in ((pixels <= edges[0], True), (inside, False), (pixels >= edges[1], True)):
            pen = QPen(QColor(self._ink) if self._ink else colour("accent" if self._ghost else "fit"), 2.0)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            if dashed or self._ghost:
                pen.setDashPattern([4, 3])
            painter.setPen(pen)
            if int(mask.sum()) > 1:
                painter.drawPolyline(polygon(pixels[mask], y[mask]))

    def _draw_band(self, painter: QPainter, pixels: Array, low: Array, high: Array) -> None:
        path = QPainterPath()
        path.addPolygon(polygon(np.concatenate([pixels, pixels[::-1]]), np.concatenate([low, high[::-1]])))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour("fit", 0.16))
        painter.drawPath(path)


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
        y = to_pixels.y(self.value)
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
        if int(good.sum()) < 2:
            return
        pen = QPen(QColor(self.ink), 1)
        pen.setCosmetic(True)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, len(x) < MOST_SINGLE_MARKS)
        painter.setPen(pen)
        painter.drawPolyline(polygon(px[good], py[good]))


def polygon(x: Array, y: Array) -> QPolygonF:
    """Return points in one piece, without a call for each."""
    return pg.functions.arrayToQPolygonF(np.ascontiguousarray(x), np.ascontiguousarray(y))
