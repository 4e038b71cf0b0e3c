"""Measured rows as marks: stamped discs, hollow ones for rows set aside, one picture where there are very many."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from vettore.app.stage.items import Map, StageItem, as_image, on_axis
from vettore.app.stage.stamps import stamp_discs
from vettore.app.style import colour, theme
from vettore.core.arrays import Array, Mask, Rows

MOST_SINGLE_MARKS = 4000
RADIUS = 4.0
RING_RADIUS = 8.5
# Very many rows are looked at in blocks that stay in cache.
BLOCK = 131_072


class Hits:
    """The pixels of an area that marks hit, as a grid with a margin of two; ``count`` is how many marks there were."""

    def __init__(self, area: QRectF) -> None:
        self._left, self._top = area.left() - 2, area.top() - 2
        self._width, self._height = int(area.width()) + 4, int(area.height()) + 4
        self._grid = np.zeros(self._width * self._height, dtype=bool)
        self.count = 0

    def add(self, px: Array, py: Array) -> None:
        """Hit the pixels at x, y (n,)."""
        column = np.clip((px - self._left).astype(np.intp), 0, self._width - 1)
        line = np.clip((py - self._top).astype(np.intp), 0, self._height - 1)
        line *= self._width
        line += column
        self._grid[line] = True
        self.count += len(px)

    def picture(self, fill: str) -> QImage:
        """Return the pixels that were hit, widened to small discs."""
        hits = self._grid.reshape(self._height, self._width)
        wide = hits.copy()
        wide[1:] |= hits[:-1]
        wide[:-1] |= hits[1:]
        wide[:, 1:] |= hits[:, :-1]
        wide[:, :-1] |= hits[:, 1:]
        ink = QColor(fill)
        picture = np.zeros(hits.shape, dtype=np.uint32)
        picture[wide] = (255 << 24) | (ink.red() << 16) | (ink.green() << 8) | ink.blue()
        return as_image(picture)


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
        self.error_of_x: Array | None = None
        self.slants: tuple[Array, Array, Array, Array] | None = None
        self.fill = theme().data
        self.chosen: frozenset[int] = frozenset()
        self.pointed = -1
        self.stems = False
        self.beyond: Array = np.empty(0)
        self.radius = RADIUS
        self._in_order = False
        # What the last picture of very many marks showed, the picture, and where rows set aside were.
        nothing = np.empty(0)
        self._pictured: tuple[object, QImage, tuple[Array, Array, Array]] = (None, QImage(), (nothing,) * 3)

    def set_data(
        self,
        x: Array,
        y: Array,
        numbers: Rows,
        aside: Mask,
        fill: str,
        error: Array | None = None,
        beyond: Array | None = None,
        error_of_x: Array | None = None,
    ) -> None:
        """Show rows; ``numbers`` are their places in the series.

        ``beyond`` is 1 or −1 for rows set aside that lie above or below the view and stand at its edge, 0 for others.
        """
        self.beyond = np.broadcast_to(0.0, len(x)) if beyond is None else beyond
        self.xs, self.ys, self.numbers, self.aside, self.fill, self.error = x, y, numbers, aside, fill, error
        self.error_of_x, self.slants = error_of_x, None
        self._in_order = len(x) > MOST_SINGLE_MARKS and bool(np.all(x[1:] >= x[:-1]) or np.all(x[1:] <= x[:-1]))
        self.update()
        self.shown.emit()

    def set_slants(self, slants: tuple[Array, Array, Array, Array] | None) -> None:
        """Lead rows at x, y (n,) to other places, x and y (n,), by lines as straight as the axes; None for no lines."""
        self.slants = slants
        self.update()

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
        if len(self.xs) > MOST_SINGLE_MARKS:
            self._draw_many(painter, to_pixels, area)
            return
        px, py = to_pixels.x(self.xs), to_pixels.y(self.ys)
        seen = self._within(px, py, area)
        if self.stems:
            self._draw_stems(painter, px, py, to_pixels.y(0.0), self.aside)
        if self.slants is not None:
            self._draw_slants(painter, to_pixels, *self.slants)
        if self.error is not None:
            self._draw_errors(painter, px[seen], to_pixels, self.ys[seen], self.error[seen])
        if self.error_of_x is not None:
            self._draw_errors_of_x(painter, py[seen], to_pixels, self.xs[seen], self.error_of_x[seen])
        filled, hollow = seen & ~self.aside, seen & self.aside
        stamp_discs(painter, px[filled], py[filled], self.fill, theme().plot_ground, self.radius)
        self.draw_hollow(painter, px[hollow], py[hollow], self.beyond[hollow])
        self.draw_rings(painter, to_pixels)

    def _within(self, px: Array, py: Array, area: QRectF) -> Mask:
        margin = 2 * self.radius
        seen = (px >= area.left() - margin) & (px <= area.right() + margin)
        seen &= (py >= area.top() - margin) & (py <= area.bottom() + margin)
        return np.asarray(seen, dtype=np.bool_)

    def _draw_many(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        """Draw very many rows, in blocks, as a picture of the pixels that they hit; as discs where few are in view."""
        shown = (id(self.xs), id(self.ys), id(self.aside), self.fill, to_pixels.key, area.getRect())
        if shown == self._pictured[0]:
            # Nothing moved since the last frame: only what lies over the marks changed.
            painter.drawImage(QPointF(area.left() - 2, area.top() - 2), self._pictured[1])
            self.draw_hollow(painter, *self._pictured[2])
            self.draw_rings(painter, to_pixels)
            return
        hits = Hits(area)
        discs: list[tuple[Array, Array]] = []
        hollow: list[tuple[Array, Array, Array]] = [(np.empty(0),) * 3]
        for rows in self._blocks(to_pixels, area):
            px, py = to_pixels.x(self.xs[rows]), to_pixels.y(self.ys[rows])
            seen = self._within(px, py, area)
            open_marks = np.flatnonzero(seen & self.aside[rows])[:MOST_SINGLE_MARKS]
            hollow.append((px[open_marks], py[open_marks], self.beyond[rows][open_marks]))
            seen &= ~self.aside[rows]
            px, py = px[seen], py[seen]
            hits.add(px, py)
            if hits.count <= MOST_SINGLE_MARKS:
                discs.append((px, py))
        x, y, beyond = (np.concatenate(parts)[:MOST_SINGLE_MARKS] for parts in zip(*hollow, strict=True))
        if hits.count > MOST_SINGLE_MARKS:
            picture = hits.picture(self.fill)
            painter.drawImage(QPointF(area.left() - 2, area.top() - 2), picture)
            self._pictured = (shown, picture, (x, y, beyond))
        elif hits.count:
            stamp_discs(
                painter, *map(np.concatenate, zip(*discs, strict=True)), self.fill, theme().plot_ground, self.radius
            )
        self.draw_hollow(painter, x, y, beyond)
        self.draw_rings(painter, to_pixels)

    def _blocks(self, to_pixels: Map, area: QRectF) -> Iterator[slice]:
        """Yield blocks of rows; where x is in order those of them that may lie in view."""
        for start in range(0, len(self.xs), BLOCK):
            rows = slice(start, min(start + BLOCK, len(self.xs)))
            if self._in_order:
                ends = to_pixels.x(self.xs[[rows.start, rows.stop - 1]])
                if ends.max() < area.left() - RING_RADIUS or ends.min() > area.right() + RING_RADIUS:
                    continue
            yield rows

    def draw_hollow(self, painter: QPainter, px: Array, py: Array, beyond: Array) -> None:
        """Draw rows set aside: slashed discs, or arrows to where they lie beyond the view."""
        painter.setPen(QPen(colour("muted"), 1.4))
        painter.setBrush(colour("plot_ground"))
        r = self.radius
        for x, y, way in zip(px.tolist(), py.tolist(), beyond.tolist(), strict=True):
            if not (np.isfinite(x) and np.isfinite(y)):
                continue
            if way:
                # Pixels count downwards.
                rise = way * (r + 1)
                corners = ((x, y - rise), (x - r - 1, y + rise), (x + r + 1, y + rise))
                painter.drawPolygon(QPolygonF([QPointF(*corner) for corner in corners]))
                continue
            painter.drawEllipse(QPointF(x, y), r, r)
            painter.drawLine(QPointF(x - r - 1, y + r + 1), QPointF(x + r + 1, y - r - 1))

    def _draw_stems(self, painter: QPainter, px: Array, py: Array, zero: float, aside: Mask) -> None:
        painter.setPen(QPen(colour("muted", 0.6), 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        x, y = px[~aside], py[~aside]
        ends = np.column_stack([np.full(len(y), zero), y]).ravel()
        painter.drawPath(pg.functions.arrayToQPath(np.repeat(x, 2), ends, connect="pairs"))

    def _draw_slants(self, painter: QPainter, to_pixels: Map, x: Array, y: Array, to_x: Array, to_y: Array) -> None:
        painter.setPen(QPen(colour("fit", 0.9), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        across = np.column_stack([to_pixels.x(x), to_pixels.x(to_x)]).ravel()
        up = np.column_stack([to_pixels.y(y), to_pixels.y(to_y)]).ravel()
        painter.drawPath(pg.functions.arrayToQPath(across, up, connect="pairs"))

    def _draw_errors(self, painter: QPainter, px: Array, to_pixels: Map, y: Array, error: Array) -> None:
        painter.setPen(QPen(colour("muted", 0.8), 1))
        low, high = to_pixels.y(y - error), to_pixels.y(y + error)
        for x, a, b in zip(px.tolist(), low.tolist(), high.tolist(), strict=True):
            if np.isfinite(a):
                painter.drawLine(QPointF(x, a), QPointF(x, b))

    def _draw_errors_of_x(self, painter: QPainter, py: Array, to_pixels: Map, x: Array, error: Array) -> None:
        painter.setPen(QPen(colour("muted", 0.8), 1))
        left, right = to_pixels.x(x - error), to_pixels.x(x + error)
        for y, a, b in zip(py.tolist(), left.tolist(), right.tolist(), strict=True):
            if np.isfinite(a) and np.isfinite(b):
                painter.drawLine(QPointF(a, y), QPointF(b, y))

    def draw_rings(self, painter: QPainter, to_pixels: Map) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        rows = set(self.chosen) | ({self.pointed} if self.pointed >= 0 else set())
        if not rows:
            return
        places = np.flatnonzero(np.isin(self.numbers, list(rows)))[:2000]
        px, py = to_pixels.x(self.xs[places]), to_pixels.y(self.ys[places])
        for place, x, y in zip(places.tolist(), px.tolist(), py.tolist(), strict=True):
            if not (np.isfinite(x) and np.isfinite(y)):
                continue
            strong = int(self.numbers[place]) in self.chosen
            painter.setPen(QPen(colour("accent"), 2.2 if strong else 1.6))
            painter.drawEllipse(QPointF(x, y), RING_RADIUS, RING_RADIUS)
