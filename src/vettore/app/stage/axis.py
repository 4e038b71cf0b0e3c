"""An axis in the house style: readable figures, the user's decimal mark, a power of ten at the title and not at every tick."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

import pyqtgraph as pg
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QFontMetricsF, QResizeEvent

from vettore.app.style import colour, sans
from vettore.app.widgets.parts import plain_tip
from vettore.core.rounding import NumberStyle
from vettore.words.axes import axis_figures, axis_title

WIDTH, SHARED_WIDTH = 62, 14
# Room that a title leaves at the ends of its axis.
END_ROOM = 8


class Axis(pg.AxisItem):
    """One side of a plot."""

    def __init__(self, side: str) -> None:
        super().__init__(side)
        self.style_of_numbers = NumberStyle()
        self._title, self._factor, self._said = "", "", None
        self.enableAutoSIPrefix(False)
        self.setStyle(tickLength=0, tickAlpha=255, maxTickLevel=0, tickFont=sans(11), autoExpandTextSpace=False)
        if side == "left":
            self.setWidth(WIDTH)
            self.setTickDensity(1.6)
        self.dress()

    def dress(self) -> None:
        """Take the colours of the theme."""
        self.setPen(pg.mkPen(colour("ink"), width=1.2))
        self.setTextPen(pg.mkPen(colour("muted")))
        self._said = None
        self._write_title()

    def tickStrings(self, values: Sequence[float], scale: float, spacing: float) -> list[str]:
        if self.logMode:
            self._share("")
            return super().tickStrings(values, scale, spacing)
        shown = [value * scale for value in values]
        texts, factor = axis_figures(shown, spacing * scale, self.range, self.style_of_numbers)
        self._share(factor)
        return texts

    def _share(self, factor: str) -> None:
        """Have the title say the power of ten that the figures share; not while they are being painted."""
        if factor != self._factor:
            self._factor = factor
            QTimer.singleShot(0, self._write_title)

    @property
    def title(self) -> str:
        """The name and unit of what is measured."""
        return self._title

    def set_title(self, text: str) -> None:
        """Show the name and unit of what is measured."""
        self._title = text
        self._write_title()

    def resizeEvent(self, event: QResizeEvent | None = None) -> None:
        super().resizeEvent(event)
        if hasattr(self, "_title"):
            self._write_title()

    def _write_title(self) -> None:
        """Write the title with its power of ten, shortened in the middle where the axis is too short for it."""
        text, font = axis_title(self._title, self._factor), sans(12, sans().weight().Medium)
        length = self.size().height() if self.orientation in ("left", "right") else self.size().width()
        room = length - END_ROOM
        metrics = QFontMetricsF(font)
        if room > END_ROOM and metrics.horizontalAdvance(text) > room:
            text = metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, room)
        if text == self._said:
            return
        self._said = text
        # The label would take a name for a page of the web.
        self.setLabel(escape(text))
        self.label.setFont(font)
        self.label.setDefaultTextColor(colour("ink"))
        self.label.setToolTip(plain_tip(self._title))
        # In the middle of the axis, as long as the text is now.
        super().resizeEvent(None)
