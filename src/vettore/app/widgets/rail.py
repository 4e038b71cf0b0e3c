"""The rail: the pages in the order of the work."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QButtonGroup, QVBoxLayout, QWidget

from vettore.app.pages.listed import PageEntry
from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.look.theme import SIZES

# Between a name and the edge of the rail.
AIR = 6


class RailButton(QAbstractButton):
    """One page of the rail, with a drawn sign and its name."""

    def __init__(self, name: str, keys: str, sign: Callable[[QPainter, QColor], None]) -> None:
        super().__init__()
        self._sign = sign
        self.setText(name)
        self.setCheckable(True)
        self.setAccessibleName(f"Page {name}")
        self.setToolTip(f"{name} ({keys})")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        return QSize(SIZES.rail, 66)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
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
            self._sign(painter, ink)
            painter.resetTransform()
            painter.setPen(ink)
            weight = QFont.Weight.DemiBold if self.isChecked() else QFont.Weight.Normal
            font = sans(SIZES.small, weight)
            room = self.width() - 2 * AIR
            wide = QFontMetricsF(font).horizontalAdvance(self.text())
            painter.setFont(font if wide <= room else sans(SIZES.small * room / wide, weight))
            painter.drawText(QRectF(0, 39, self.width(), 20), Qt.AlignmentFlag.AlignCenter, self.text())


class Rail(QWidget):
    """The column of pages."""

    chosen = Signal(str)

    def __init__(self, pages: Sequence[PageEntry]) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(SIZES.rail)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 8, 0, 8)
        box.setSpacing(0)
        self._group = QButtonGroup(self)
        self.buttons: dict[str, RailButton] = {}
        for number, entry in enumerate(pages, 1):
            line = RailButton(entry.name, f"Ctrl+{number}", entry.sign)
            line.clicked.connect(lambda _checked=False, name=entry.name: self.chosen.emit(name))
            self._group.addButton(line)
            self.buttons[entry.name] = line
            box.addWidget(line)
        box.addStretch()

    def show_page(self, name: str) -> None:
        """Mark a page as the one shown."""
        self.buttons[name].setChecked(True)
