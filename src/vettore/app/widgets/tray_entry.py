"""A series or a curve as a line: its colour, its name, its key figure and a small picture."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton

from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.app.widgets.parts import plain_tip
from vettore.core.arrays import Array
from vettore.look.theme import SIZES

PICTURE = QRectF(158, 11, 48, 20)
HEIGHT = 36
RING = 7.0
BESIDE = "Ctrl and a click: beside the chosen series on the Data page, or no longer"
# Names that begin with as many like characters are told apart by their ends.
ALIKE = 8


def told_by_their_ends(names: Sequence[str]) -> frozenset[str]:
    """Return the names that begin as another does, so that they are to be shortened in the middle."""
    heads: dict[str, set[str]] = {}
    for name in names:
        heads.setdefault(name[:ALIKE], set()).add(name)
    return frozenset(name for alike in heads.values() if len(alike) > 1 for name in alike if len(name) > ALIKE)


class TrayEntry(QAbstractButton):
    """One line of the tray; ``middle`` says that its name is shortened in the middle where there is no room."""

    def __init__(
        self, name: str, figure: str, picture: tuple[Array, Array], ink: str, curve: bool, middle: bool = False
    ) -> None:
        super().__init__()
        self.setText(name)
        self.figure, self.picture, self.ink, self.curve = figure, picture, ink, curve
        # Whether its points stand beside those of the chosen series.
        self.beside = False
        self._cut = Qt.TextElideMode.ElideMiddle if middle else Qt.TextElideMode.ElideRight
        self.setCheckable(True)
        self.setAccessibleName(f"{'Curve' if curve else 'Series'} {name}, {figure}")
        self.setToolTip(plain_tip(f"{name}\n{figure}" if curve else f"{name}\n{figure}\n{BESIDE}"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(SIZES.narrow_choices - 14, HEIGHT)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
            if self.isChecked():
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colour("soft"))
                painter.drawRoundedRect(frame, 5, 5)
            if self.hasFocus():
                painter.setPen(QPen(colour("accent"), 1.2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(frame, 5, 5)
            left = 44 if self.curve else 26
            draw_sign(painter, QPointF(14, 12), self.ink, self.curve)
            if self.beside:
                painter.setPen(QPen(QColor(self.ink), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(QPointF(14, 12), RING, RING)
            picture = PICTURE.translated(self.width() - (SIZES.choices - 14), -2)
            if self.width() < SIZES.choices - 30:
                picture.setLeft(picture.right() - PICTURE.width() * 0.6)
            draw_words(
                painter, QRectF(left, 2, picture.left() - left - 6, HEIGHT - 4), self.text(), self.figure, self._cut
            )
            self._draw_picture(painter, picture, QColor(self.ink))

    def _draw_picture(self, painter: QPainter, area: QRectF, ink: QColor) -> None:
        x, y = self.picture
        if len(x) < 2:
            return
        spans = [(v.min(), np.ptp(v) or 1.0) for v in (x, y)]
        px = area.left() + (x - spans[0][0]) / spans[0][1] * area.width()
        py = area.bottom() - (y - spans[1][0]) / spans[1][1] * area.height()
        points = [QPointF(a, b) for a, b in zip(px.tolist(), py.tolist(), strict=True)]
        if self.curve:
            painter.setPen(QPen(ink, 1.4))
            painter.drawPolyline(points)
        else:
            painter.setPen(QPen(ink, 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawPoints(points)


def draw_sign(painter: QPainter, at: QPointF, ink: str, curve: bool) -> None:
    """Draw the disc of a series, or the stroke of a curve to the right of it."""
    if curve:
        painter.setPen(QPen(QColor(ink), 2.6))
        painter.drawLine(at + QPointF(10, 0), at + QPointF(24, 0))
        return
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(ink))
    painter.drawEllipse(at, 4, 4)


def draw_words(painter: QPainter, area: QRectF, name: str, figure: str, cut: Qt.TextElideMode) -> None:
    """Write a name, shortened where it must be, and its figure beneath."""
    for text, font, ink, top, mode in (
        (name, sans(SIZES.text, sans().weight().Medium), "ink", 0.0, cut),
        (figure, sans(SIZES.small), "muted", 16.0, Qt.TextElideMode.ElideRight),
    ):
        painter.setFont(font)
        painter.setPen(colour(ink))
        shown = QFontMetricsF(font).elidedText(text, mode, area.width() + 4)
        painter.drawText(
            QRectF(area.left(), area.top() + top, area.width() + 4, 17), Qt.AlignmentFlag.AlignVCenter, shown
        )
