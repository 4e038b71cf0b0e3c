"""What a variance is made of, as bars: a name, its share drawn, and in per cent."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QWidget

from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.look.theme import SIZES

ROW = 18
NAME, NUMBER = 92, 52


class ShareBars(QWidget):
    """One line for each source; a share below 0, of errors that go against each other, is drawn hollow."""

    def __init__(self, lines: Sequence[tuple[str, float, str]]) -> None:
        super().__init__()
        self.lines = tuple(lines)
        self.setAccessibleName("What the ± is made of: " + ", ".join(f"{name} {text}" for name, _, text in lines))
        self.setToolTip(self.accessibleName())
        self.setFixedHeight(ROW * len(self.lines))

    def sizeHint(self) -> QSize:
        return QSize(220, ROW * len(self.lines))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setFont(sans(SIZES.small))
            room = max(self.width() - NAME - NUMBER - 8, 10)
            most = max((abs(share) for _, share, _ in self.lines), default=1.0) or 1.0
            for row, (name, share, text) in enumerate(self.lines):
                top = row * ROW
                painter.setPen(colour("muted"))
                shown = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, NAME - 6)
                painter.drawText(QRectF(0, top, NAME, ROW), Qt.AlignmentFlag.AlignVCenter, shown)
                bar = QRectF(NAME, top + 5, max(room * abs(share) / most, 1.0), ROW - 10)
                painter.setPen(colour("accent") if share < 0 else Qt.PenStyle.NoPen)
                painter.setBrush(Qt.BrushStyle.NoBrush if share < 0 else colour("accent"))
                painter.drawRect(bar)
                painter.setPen(colour("ink"))
                side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(QRectF(self.width() - NUMBER, top, NUMBER, ROW), side, text)
