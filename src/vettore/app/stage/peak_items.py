"""Fitted peaks on a plot: each a light area over the background, numbered; and the mark where one more would help."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QPainter, QPainterPath, QPen

from vettore.app.stage.items import Map, StageItem, draw_line, fill_between, on_axis
from vettore.app.style import colour, sans
from vettore.core.arrays import Array

# How strong the areas are, that of the chosen peak and of one that is pointed at.
LIGHT, CHOSEN, POINTED = 0.14, 0.30, 0.40
# Pixels between places at which areas are drawn; what is lower than this share of its top is left out.
STEP, LOWEST = 1.5, 1e-3
SIDE, REACH = 12.0, 12.0

# Returns the background (n,) and the peaks above it (count, n) at x.
Parts = Callable[[Array], tuple[Array, Array]]


class PeakAreas(StageItem):
    """The areas of peaks by their numbers, over a dashed background."""

    def __init__(self) -> None:
        super().__init__()
        self.parts_of: Parts | None = None
        self.span = (0.0, 0.0)
        self.numbers: tuple[int, ...] = ()
        self.tops: Mapping[int, tuple[float, float]] = {}
        self.chosen = self.pointed = 0

    def set_peaks(
        self,
        parts_of: Parts | None,
        span: tuple[float, float] = (0.0, 0.0),
        numbers: Sequence[int] = (),
        tops: Mapping[int, tuple[float, float]] | None = None,
    ) -> None:
        """Show peaks of such numbers, with their ``tops`` (x, y), over a span of x; no parts show none."""
        self.parts_of, self.span, self.numbers, self.tops = parts_of, span, tuple(numbers), tops or {}
        self.update()

    def light(self, chosen: int | None = None, pointed: int | None = None) -> None:
        """Mark the chosen peak, or that under the pointer."""
        before = self.chosen, self.pointed
        self.chosen = self.chosen if chosen is None else chosen
        self.pointed = self.pointed if pointed is None else pointed
        if before != (self.chosen, self.pointed):
            self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.parts_of is None:
            return
        # An end without a place on a logarithmic axis lies to the left of everything.
        left, right = (float(np.nan_to_num(to_pixels.x(end), nan=area.left())) for end in self.span)
        left, right = max(left, area.left()), min(right, area.right())
        if right - left < STEP:
            return
        pixels = np.arange(left, right + STEP, STEP)
        pixels[-1] = right
        with np.errstate(all="ignore"):
            ground, peaks = self.parts_of(to_pixels.x_back(pixels))
        base = self._on_plot(to_pixels.y(ground), area)
        for number, peak in zip(self.numbers, peaks, strict=True):
            seen = np.abs(peak) > LOWEST * np.abs(peak).max(initial=0.0)
            if seen.sum() < 2:
                continue
            share = POINTED if number == self.pointed else CHOSEN if number == self.chosen else LIGHT
            painter.setBrush(colour("fit", share))
            top = self._on_plot(to_pixels.y(ground + peak), area)
            fill_between(painter, pixels[seen], top[seen], base[seen])
        pen = QPen(colour("muted"), 1.3)
        pen.setDashPattern([4, 3])
        draw_line(painter, pixels, base, area, pen)

    @staticmethod
    def _on_plot(pixels: Array, area: QRectF) -> Array:
        """Return heights in pixels near what is seen; what has no place lies below everything."""
        return np.clip(np.nan_to_num(pixels, nan=area.bottom() + 500), area.top() - 500, area.bottom() + 500)


class PeakNumbers(StageItem):
    """The numbers of peaks beside their tops, over the points, as far as they do not lie on each other."""

    def __init__(self, areas: PeakAreas) -> None:
        super().__init__()
        self._areas = areas

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        tops, first = self._areas.tops, (self._areas.chosen, self._areas.pointed)
        if self._areas.parts_of is None:
            return
        font = sans(11.5, sans().weight().DemiBold)
        painter.setFont(font)
        metrics = QFontMetricsF(font)
        taken: list[QRectF] = []
        # The chosen one first, so that its number is there in any case.
        for number in sorted(tops, key=lambda number: number not in first):
            at = to_pixels.point(*tops[number], area)
            if at is None:
                continue
            box = QRectF(0, 0, metrics.horizontalAdvance(str(number)) + 4, metrics.height())
            box.moveCenter(at + QPointF(15, -8))
            if any(box.intersects(other) for other in taken):
                continue
            taken.append(box)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("plot_ground", 0.8))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(colour("fit"))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(number))


class MoreMark(StageItem):
    """Where a peak more would help, in the strip of the residuals, with what it would gain; a click asks for it."""

    clicked = Signal(float)

    def __init__(self) -> None:
        super().__init__()
        self.place: float | None = None
        self.words, self.strong = "", False
        self._box = QRectF()
        self.setAcceptHoverEvents(True)

    def set_more(self, place: float | None, words: str = "", strong: bool = False) -> None:
        """Show the mark at x with its words; ``strong`` where it gains more than chance."""
        self.place, self.words, self.strong = place, words, strong
        self.setToolTip(f"{words}: click to add a peak here" if words else "")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.prepareGeometryChange()
        self.update()

    def shape(self) -> QPainterPath:
        """Only the mark takes the mouse."""
        path, view, rect = QPainterPath(), self.getViewBox(), self.viewRect()
        if view is None or rect is None or self.place is None:
            return path
        width, height = view.viewPixelSize()
        x, y = float(np.nan_to_num(on_axis(self.place, self.log[0]), nan=-1e6)), self._level(rect, height)
        if np.isfinite([width, height, x, y]).all():
            path.addRect(QRectF(x - REACH * width, y - REACH * height, 2 * REACH * width, 2 * REACH * height))
        return path

    @staticmethod
    def _level(rect: QRectF, pixel: float) -> float:
        """Return the height at which the mark stands: a little below the upper edge."""
        return rect.bottom() - (SIDE + 4) * pixel

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        if self.place is None:
            return
        x = float(to_pixels.x(self.place))
        if not (np.isfinite(x) and area.left() <= x <= area.right()):
            return
        at = QPointF(x, area.top() + SIDE + 4)
        ink = colour("accent" if self.strong else "muted")
        painter.setPen(QPen(ink, 2.2 if self.strong else 1.4))
        painter.setBrush(colour("plot_ground", 0.8))
        painter.drawRoundedRect(QRectF(at.x() - SIDE / 2, at.y() - SIDE / 2, SIDE, SIDE), 3, 3)
        for dx, dy in ((3.0, 0.0), (0.0, 3.0)):
            painter.drawLine(at - QPointF(dx, dy), at + QPointF(dx, dy))
        font = sans(10.5)
        painter.setFont(font)
        width = QFontMetricsF(font).horizontalAdvance(self.words) + 6
        left = at.x() + SIDE if at.x() + SIDE + width < area.right() else at.x() - SIDE - width
        box = QRectF(left, at.y() - 9, width, 18)
        if box.left() >= area.left():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("plot_ground", 0.85))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(ink)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.words)

    def mouseClickEvent(self, event: Any) -> None:
        """Ask for a peak here."""
        if event.button() == Qt.MouseButton.LeftButton and self.place is not None:
            event.accept()
            self.clicked.emit(self.place)
