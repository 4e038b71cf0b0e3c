"""The signs of the pages on the rail, drawn in a field of 22 by 22."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPainterPath


def data(painter: QPainter, _ink: QColor) -> None:
    """A table."""
    for y in (4, 11, 18):
        painter.drawLine(QPointF(1, y), QPointF(21, y))
    painter.drawLine(QPointF(7, 1), QPointF(7, 21))


def fit(painter: QPainter, ink: QColor) -> None:
    """A curve through points."""
    path = QPainterPath(QPointF(1, 20))
    path.cubicTo(QPointF(6, 6), QPointF(13, 4), QPointF(21, 3))
    painter.drawPath(path)
    painter.setBrush(ink)
    for x, y in ((4, 10.5), (10, 9.5), (17, 1.5)):
        painter.drawEllipse(QPointF(x, y), 1.6, 1.6)


def equations(painter: QPainter, _ink: QColor) -> None:
    """One falls while two others rise."""
    for start, first, second, end in (
        ((2, 3), (6, 15), (12, 18), (20, 19)),
        ((2, 19), (6, 3), (11, 7), (20, 14)),
        ((2, 19), (9, 19), (13, 8), (20, 5)),
    ):
        path = QPainterPath(QPointF(*start))
        path.cubicTo(QPointF(*first), QPointF(*second), QPointF(*end))
        painter.drawPath(path)


def report(painter: QPainter, _ink: QColor) -> None:
    """A page."""
    painter.drawRoundedRect(QRectF(3.5, 1, 15, 20), 2, 2)
    for y in (6.5, 11, 15.5):
        painter.drawLine(QPointF(7, y), QPointF(15, y))


def interpolate(painter: QPainter, ink: QColor) -> None:
    """A curve from point to point."""
    path = QPainterPath(QPointF(1, 17))
    path.cubicTo(QPointF(7, -4), QPointF(12, 26), QPointF(21, 5))
    painter.drawPath(path)
    painter.setBrush(ink)
    for x, y in ((1.5, 17), (11, 11), (20.5, 5)):
        painter.drawEllipse(QPointF(x, y), 1.6, 1.6)


def integrate(painter: QPainter, ink: QColor) -> None:
    """The area under a curve."""
    path = QPainterPath(QPointF(3, 20))
    path.lineTo(3, 9)
    path.cubicTo(QPointF(8, 1), QPointF(13, 3), QPointF(19, 13))
    path.lineTo(19, 20)
    path.closeSubpath()
    fill = QColor(ink)
    fill.setAlphaF(0.25)
    painter.setBrush(fill)
    painter.drawPath(path)


def polynomial(painter: QPainter, _ink: QColor) -> None:
    """A curve that crosses its axis."""
    painter.drawLine(QPointF(1, 11), QPointF(21, 11))
    path = QPainterPath(QPointF(2, 19))
    path.cubicTo(QPointF(8, -12), QPointF(13, 32), QPointF(20, 2))
    painter.drawPath(path)


def surface(painter: QPainter, _ink: QColor) -> None:
    """A hill, one height above the other."""
    for lift, width in ((19, 10), (13, 7), (7, 4)):
        path = QPainterPath(QPointF(11 - width, lift))
        path.cubicTo(QPointF(11 - width / 3, lift - 7), QPointF(11 + width / 3, lift - 7), QPointF(11 + width, lift))
        painter.drawPath(path)
