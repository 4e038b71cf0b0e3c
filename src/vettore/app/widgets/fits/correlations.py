"""The correlations of coefficients as a heat map: one colour for together, another for against."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.strip.painter import place
from vettore.app.style import colour, sans
from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.core.typesetting.typeset import coefficient_symbol

MARGIN, LARGEST, SMALLEST = 26.0, 52.0, 22.0


class Correlations(QWidget):
    """A square of cells, each with its figure."""

    def __init__(self) -> None:
        super().__init__()
        self._names: tuple[str, ...] = ()
        self._table: Array | None = None
        self._style = NumberStyle()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_table(self, names: tuple[str, ...], table: Array | None, style: NumberStyle) -> None:
        """Show correlations (m, m) of coefficients."""
        self._names, self._table, self._style = names, table, style
        if table is not None:
            pairs = [
                f"{names[i]} with {names[j]} {style.fixed(float(table[i, j]), 2)}"
                for i in range(len(names))
                for j in range(i)
            ]
            self.setAccessibleName("Correlations of coefficients: " + "; ".join(pairs))
        self.updateGeometry()
        self.update()

    def _cell(self) -> float:
        count = max(len(self._names), 1)
        return min(LARGEST, max(SMALLEST, (max(self.width(), 200) - MARGIN) / count))

    def sizeHint(self) -> QSize:
        return QSize(200, int(MARGIN + min(self._cell(), 34) * len(self._names)) + 2)

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self._table is None:
            return
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            wide, tall = self._cell(), min(self._cell(), 34)
            for i, name in enumerate(self._names):
                symbol = place(coefficient_symbol(name), 14, None, "fit")
                symbol.draw(painter, MARGIN + wide * (i + 0.5) - symbol.width / 2, MARGIN - 8)
                symbol.draw(painter, 2, MARGIN + tall * (i + 0.5) + 4)
                for j in range(len(self._names)):
                    value = float(self._table[i, j])
                    cell = QRectF(MARGIN + wide * j + 1, MARGIN + tall * i + 1, wide - 2, tall - 2)
                    painter.setPen(Qt.PenStyle.NoPen)
                    shade = (
                        colour("grid")
                        if i == j
                        else colour("fit" if value > 0 else "accent", 0.12 + 0.6 * abs(value))
                    )
                    painter.setBrush(shade)
                    painter.drawRoundedRect(cell, 3, 3)
                    painter.setFont(sans(10.5))
                    painter.setPen(colour("ink"))
                    text = "1" if i == j else self._style.fixed(value, 2)
                    painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, text)
