"""Curves that were worked out beforehand, at places along x: lines with their bands, those that are not measured dashed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from vettore.app.stage.items import Map, StageItem, draw_line, fill_between
from vettore.app.style import colour
from vettore.core.arrays import Array

BAND = 0.16


@dataclass(frozen=True, eq=False)
class Sampled:
    """A line through places (n,), with its band where it has one; without an ``ink`` it has the colour of fits."""

    x: Array
    y: Array
    low: Array | None = None
    high: Array | None = None
    ink: str = ""
    dashed: bool = False


class SampledLines(StageItem):
    """Draws lines one over the other."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: tuple[Sampled, ...] = ()

    def set_lines(self, lines: tuple[Sampled, ...]) -> None:
        """Show other lines."""
        self.lines = lines
        self.update()

    def draw(self, painter: QPainter, to_pixels: Map, area: QRectF) -> None:
        reach = 4 * area.height() + 1000
        clip = (area.center().y() - reach, area.center().y() + reach)
        for line in self.lines:
            x, y = to_pixels.x(line.x), to_pixels.y(line.y)
            if line.low is not None and line.high is not None:
                low, high = to_pixels.y(line.low), to_pixels.y(line.high)
                good = np.isfinite(x) & np.isfinite(low) & np.isfinite(high)
                if good.sum() > 1:
                    painter.setBrush(QColor(line.ink) if line.ink else colour("fit", BAND))
                    fill_between(painter, x[good], np.clip(low[good], *clip), np.clip(high[good], *clip))
            pen = QPen(QColor(line.ink) if line.ink else colour("fit"), 2.0)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            if line.dashed:
                pen.setDashPattern([4, 3])
            draw_line(painter, x, y, area, pen)
