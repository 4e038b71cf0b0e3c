"""The rail: the pages in the order of the work."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPainterPath, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from vettore.app.style import colour, sans
from vettore.look.theme import SIZES

# Between a name and the edge of the rail.
AIR = 6


class RailButton(QAbstractButton):
    """One page of the rail, with a drawn sign and its name."""

    def __init__(self, name: str, keys: str) -> None:
        super().__init__()
        self.setText(name)
        self.setCheckable(True)
        self.setAccessibleName(f"Page {name}")
        self.setToolTip(f"{name} ({keys})")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        return QSize(SIZES.rail, 66)

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("soft"))
            painter.drawRoundedRect(QRectF(6, 3, self.width() - 12, self.height() - 6), 7, 7)
            painter.fillRect(QRectF(0, 12, 3, self.height() - 24), colour("accent"))
        if self.hasFocus():
            painter.setPen(QPen(colour("accent"), 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(6.5, 3.5, self.width() - 13, self.height() - 7), 7, 7)
        ink = colour("accent" if self.isChecked() else "muted")
        painter.setPen(QPen(ink, 1.8, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
        painter.translate(self.width() / 2 - 11, 13)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        SIGNS[self.text()](painter, ink)
        painter.resetTransform()
        painter.setPen(ink)
        weight = QFont.Weight.DemiBold if self.isChecked() else QFont.Weight.Normal
        font = sans(SIZES.small, weight)
        room = self.width() - 2 * AIR
        wide = QFontMetricsF(font).horizontalAdvance(self.text())
        painter.setFont(font if wide <= room else sans(SIZES.small * room / wide, weight))
        painter.drawText(QRectF(0, 39, self.width(), 20), Qt.AlignmentFlag.AlignCenter, self.text())


def _data(painter: QPainter, _ink) -> None:
    for y in (4, 11, 18):
        painter.drawLine(QPointF(1, y), QPointF(21, y))
    painter.drawLine(QPointF(7, 1), QPointF(7, 21))


def _fit(painter: QPainter, ink) -> None:
    path = QPainterPath(QPointF(1, 20))
    path.cubicTo(QPointF(6, 6), QPointF(13, 4), QPointF(21, 3))
    painter.drawPath(path)
    painter.setBrush(ink)
    for x, y in ((4, 10.5), (10, 9.5), (17, 1.5)):
        painter.drawEllipse(QPointF(x, y), 1.6, 1.6)


def _report(painter: QPainter, _ink) -> None:
    painter.drawRoundedRect(QRectF(3.5, 1, 15, 20), 2, 2)
    for y in (6.5, 11, 15.5):
        painter.drawLine(QPointF(7, y), QPointF(15, y))


def _interpolate(painter: QPainter, ink) -> None:
    path = QPainterPath(QPointF(1, 17))
    path.cubicTo(QPointF(7, -4), QPointF(12, 26), QPointF(21, 5))
    painter.drawPath(path)
    painter.setBrush(ink)
    for x, y in ((1.5, 17), (11, 11), (20.5, 5)):
        painter.drawEllipse(QPointF(x, y), 1.6, 1.6)


def _integrate(painter: QPainter, ink) -> None:
    path = QPainterPath(QPointF(3, 20))
    path.lineTo(3, 9)
    path.cubicTo(QPointF(8, 1), QPointF(13, 3), QPointF(19, 13))
    path.lineTo(19, 20)
    path.closeSubpath()
    fill = QColor(ink)
    fill.setAlphaF(0.25)
    painter.setBrush(fill)
    painter.drawPath(path)


def _polynomial(painter: QPainter, _ink) -> None:
    painter.drawLine(QPointF(1, 11), QPointF(21, 11))
    path = QPainterPath(QPointF(2, 19))
    path.cubicTo(QPointF(8, -12), QPointF(13, 32), QPointF(20, 2))
    painter.drawPath(path)


SIGNS = {
    "Data": _data,
    "Fit": _fit,
    "Interpolate": _interpolate,
    "Integrate": _integrate,
    "Polynomial": _polynomial,
    "Report": _report,
}


class Rail(QWidget):
    """The column of pages."""

    chosen = Signal(str)

    def __init__(self, pages: list[str]) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(SIZES.rail)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 8, 0, 8)
        box.setSpacing(0)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, RailButton] = {}
        for number, name in enumerate(pages, 1):
            one = RailButton(name, f"Ctrl+{number}")
            one.clicked.connect(lambda _checked=False, name=name: self.chosen.emit(name))
            self._group.addButton(one)
            self.buttons[name] = one
            box.addWidget(one)
        box.addStretch()

    def show_page(self, name: str) -> None:
        """Mark a page as the one shown."""
        self.buttons[name].setChecked(True)
