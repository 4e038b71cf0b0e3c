"""Discs painted once and set down many times: a mark costs a microsecond and keeps its rim.

A stamp is made for each quarter of a pixel across and down, so that marks stand within an eighth of a pixel of where
they belong.
"""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap

from vettore.app.painting import painting
from vettore.core.arrays import Array

QUARTERS = 4
RIM = 1.0


def stamp_discs(painter: QPainter, px: Array, py: Array, fill: str, rim: str, radius: float) -> None:
    """Paint a disc with a rim at every place, in pixels, the later ones over the earlier."""
    ratio = painter.device().devicePixelRatio()
    reach = _reach(radius)
    across, down = np.floor(px * QUARTERS).astype(np.intp), np.floor(py * QUARTERS).astype(np.intp)
    which = (across % QUARTERS) * QUARTERS + down % QUARTERS
    # Only those that are set down: few sites of many colours need few of them.
    stamps = {place: _stamp(place, fill, rim, radius, ratio) for place in np.unique(which).tolist()}
    left, top = across // QUARTERS - reach, down // QUARTERS - reach
    for x, y, place in zip(left.tolist(), top.tolist(), which.tolist(), strict=True):
        painter.drawPixmap(x, y, stamps[place])


def _reach(radius: float) -> int:
    return math.ceil(radius + RIM) + 1


@lru_cache(64 * QUARTERS**2)
def _stamp(place: int, fill: str, rim: str, radius: float, ratio: float) -> QPixmap:
    side = 2 * _reach(radius) + 1
    stamp = QPixmap(round(side * ratio), round(side * ratio))
    stamp.setDevicePixelRatio(ratio)
    stamp.fill(Qt.GlobalColor.transparent)
    with painting(stamp) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(rim), RIM))
        painter.setBrush(QColor(fill))
        middle = [_reach(radius) + (part + 0.5) / QUARTERS for part in divmod(place, QUARTERS)]
        painter.drawEllipse(QPointF(*middle), radius, radius)
    return stamp
