"""What every item of a plot is, and where values stand on linear and logarithmic axes.

Each item maps its data to pixels itself when it is painted, so that marks stay round, lines stay at
screen resolution at every zoom, and a million rows cost a frame and not a second.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter, QPolygonF, QTransform

from vettore.core.arrays import Array


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


def polygon(x: Array, y: Array) -> QPolygonF:
    """Return points in one piece, without a call for each."""
    return pg.functions.arrayToQPolygonF(np.ascontiguousarray(x), np.ascontiguousarray(y))
