"""What every item of a plot is, and where values stand on linear and logarithmic axes.

Each item maps its data to pixels itself when it is painted, so that marks stay round, lines stay at
screen resolution at every zoom, and a million rows cost a frame and not a second.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QImage, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from vettore.app.painting import painting
from vettore.core.arrays import Array, Mask

# A line is drawn so many pixels beyond what is seen, for the width of pens; one of more pixels has no dashes, since they could
# not be told apart; one of more corners has no smooth edges.
BESIDE, MOST_DASHED, MOST_SMOOTH, FARTHEST = 8.0, 12_000.0, 4000, 1e7
# Pixels that the edges of a filled area may go up and down, all in all, to be drawn as what they are.
MOST_TRAVEL = 60_000


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

    def paint(self, painter: QPainter, *_args: object) -> None:
        view = self.viewRect()
        if view is None:
            return
        transform = painter.worldTransform()
        corners = transform.mapRect(view)
        if not all(map(math.isfinite, corners.getCoords())):
            # A plot of no size, or a range beyond all numbers: nothing has a place.
            return
        with painting(painter):
            painter.resetTransform()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self.draw(painter, Map(transform, self.log), corners)

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        """Paint in pixels inside ``area``."""
        raise NotImplementedError


class Map:
    """From data to pixels and back; on a logarithmic axis values that are not above zero have no place (NaN)."""

    def __init__(self, transform: QTransform, log: tuple[bool, bool]) -> None:
        self.mx, self.my = transform.m11(), transform.m22()
        self.dx, self.dy = transform.dx(), transform.dy()
        self.log = log

    @property
    def key(self) -> tuple[object, ...]:
        """What the map depends on."""
        return (self.mx, self.my, self.dx, self.dy, self.log)

    def x(self, values: Any) -> Any:
        return on_axis(values, self.log[0]) * self.mx + self.dx

    def y(self, values: Any) -> Any:
        return on_axis(values, self.log[1]) * self.my + self.dy

    def point(self, x: float, y: float, area: QRectF) -> QPointF | None:
        """Return where a place lies in an area, in pixels; None outside, and where it has none (Qt takes a NaN for inside)."""
        at = QPointF(float(self.x(x)), float(self.y(y)))
        return at if math.isfinite(at.x()) and math.isfinite(at.y()) and area.contains(at) else None

    def x_back(self, pixels: Any) -> Any:
        return off_axis((pixels - self.dx) / self.mx, self.log[0])


def on_axis(values: Any, log: bool) -> Any:
    """Return where values stand on an axis: themselves, or their decimal logarithms."""
    if not log:
        return values
    with np.errstate(all="ignore"):
        return np.log10(np.where(np.asarray(values) > 0, values, np.nan))


def off_axis(places: Any, log: bool) -> Any:
    """Return the values that stand at places of an axis."""
    if not log:
        return places
    with np.errstate(over="ignore"):
        return np.power(10.0, places)


def as_image(pixels: Array) -> QImage:
    """Return an image of its own of (lines, columns) of 0xAARRGGBB."""
    pixels = np.ascontiguousarray(pixels, dtype=np.uint32)
    height, width = pixels.shape
    return QImage(pixels.data, width, height, width * 4, QImage.Format.Format_ARGB32).copy()


def draw_line(painter: QPainter, x: Array, y: Array, area: QRectF, pen: QPen, most_smooth: int = MOST_SMOOTH) -> None:
    """Join points, in pixels, by a line as far as it is seen: what leaves ``area`` costs nothing, however far it goes.

    Where a point has no place (NaN) the line has a gap. One so long that its dashes would be a web is drawn without them.
    """
    if len(x) < 2:
        return
    room = area.adjusted(-BESIDE, -BESIDE, BESIDE, BESIDE)
    start, end, goes_on = seen_parts(x, y, (room.left(), room.right(), room.top(), room.bottom()))
    if not len(start):
        return
    if pen.style() != Qt.PenStyle.SolidLine and float(np.hypot(*(end - start).T).sum()) > MOST_DASHED:
        pen.setStyle(Qt.PenStyle.SolidLine)
    if len(start) > most_smooth:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    corners = np.stack([start, end], axis=1).reshape(-1, 2)
    joined = np.ones(len(corners), dtype=np.int32)
    joined[1::2] = goes_on
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(pg.functions.arrayToQPath(corners[:, 0], corners[:, 1], connect=joined))


def seen_parts(x: Array, y: Array, room: tuple[float, float, float, float]) -> tuple[Array, Array, Mask]:
    """Return the parts of a joined line that lie in a room (left, right, top, bottom): starts and ends (k, 2), and whether
    each goes on in the next (k,). By clipping each segment (Liang & Barsky 1984)."""
    # Farther away than this a corner is as good as there, and its numbers have digits left.
    at = np.clip(np.column_stack([x, y]).astype(float), -FARTHEST, FARTHEST)
    with np.errstate(all="ignore"):
        step = np.diff(at, axis=0)
        enters, leaves = np.zeros(len(step)), np.ones(len(step))
        inside = np.isfinite(step).all(axis=1)
        for axis, low, high in ((0, *room[:2]), (1, *room[2:])):
            level = step[:, axis] == 0
            to_low, to_high = ((side - at[:-1, axis]) / step[:, axis] for side in (low, high))
            inside &= ~level | ((at[:-1, axis] >= low) & (at[:-1, axis] <= high))
            enters = np.where(level, enters, np.maximum(enters, np.minimum(to_low, to_high)))
            leaves = np.where(level, leaves, np.minimum(leaves, np.maximum(to_low, to_high)))
        inside &= enters < leaves
        enters, leaves = enters[inside, None], leaves[inside, None]
        first, last, step = at[:-1][inside], at[1:][inside], step[inside]
        # Of a line that comes from very far the last digits of a crossing are lost.
        corners = np.array([[room[0], room[2]], [room[1], room[3]]])
        start = np.where(enters == 0.0, first, np.clip(first + enters * step, *corners))
        end = np.where(leaves == 1.0, last, np.clip(first + leaves * step, *corners))
    places = np.flatnonzero(inside)
    on = (np.diff(places) == 1) & (leaves[:-1, 0] == 1.0) & (enters[1:, 0] == 0.0)
    return start, end, np.append(on, np.zeros(min(len(start), 1), dtype=bool))


def within(corners: Array, area: QRectF) -> Array:
    """Return the corners (k, 2), in pixels, of the part of a convex outline that is seen (Sutherland & Hodgman 1974)."""
    room = area.adjusted(-BESIDE, -BESIDE, BESIDE, BESIDE)
    for axis, side, sign in ((0, room.left(), 1), (0, room.right(), -1), (1, room.top(), 1), (1, room.bottom(), -1)):
        depth = sign * (corners[:, axis] - side)
        kept: list[Array] = []
        for corner, there, deep, deeper in zip(
            corners, np.roll(corners, -1, 0), depth, np.roll(depth, -1), strict=True
        ):
            if deep >= 0:
                kept.append(corner)
            if (deep < 0) != (deeper < 0):
                crossing = corner + (there - corner) * (deep / (deep - deeper))
                crossing[axis] = side
                kept.append(crossing)
        if not kept:
            return np.empty((0, 2))
        corners = np.array(kept)
    return corners


def polygon(x: Array, y: Array) -> QPolygonF:
    """Return points in one piece, without a call for each."""
    return pg.functions.arrayToQPolygonF(np.ascontiguousarray(x), np.ascontiguousarray(y))


def fill_between(painter: QPainter, x: Array, top: Array, bottom: Array) -> None:
    """Fill what lies between two lines, in pixels, with the brush and without a pen.

    Lines that swing over the plot from pixel to pixel cross each other everywhere, and every crossing costs on every row of
    pixels (1,400 columns took ten seconds); they are filled column by column, which looks the same.
    """
    painter.setPen(Qt.PenStyle.NoPen)
    if np.abs(np.diff(top)).sum() + np.abs(np.diff(bottom)).sum() <= MOST_TRAVEL:
        path = QPainterPath()
        path.addPolygon(polygon(np.concatenate([x, x[::-1]]), np.concatenate([top, bottom[::-1]])))
        path.closeSubpath()
        painter.drawPath(path)
        return
    upper, lower = np.minimum(top, bottom)[:-1], np.maximum(top, bottom)[:-1]
    columns = np.column_stack([x[:-1], upper, np.diff(x), lower - upper])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.drawRects([QRectF(*column) for column in columns.tolist()])
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
