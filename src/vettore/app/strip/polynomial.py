"""The strip of the Polynomial page: a polynomial typeset with its numbers, powers that are missing faint."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPaintEvent, QResizeEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from vettore.app.strip.painter import LINE_GAP, Placed, paint_lines, place, side_by_side
from vettore.core.rounding import NumberStyle
from vettore.core.typesetting.typeset import Box, Raised, Row, TextBox

SIZES_TRIED = (26.0, 22.0, 18.0, 15.0)
MARGIN = 20.0


def power_of(x: str, k: int) -> Box:
    """Return x to a power, nothing for the power 0."""
    if k == 0:
        return Row(())
    return TextBox(x) if k == 1 else Raised(TextBox(x), TextBox(str(k)))


class PolynomialStrip(QWidget):
    """Paints ``p(x) = …``, the highest power first, on as many lines as it takes."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._pieces: list[tuple[Box, str]] = []
        self._lines: list[Placed] = []
        self._height = 70

    def show_polynomial(self, name: str, coefficients: Sequence[float], style: NumberStyle, descending: bool) -> None:
        """Show a polynomial; missing powers stand faint as 0."""
        powers = range(len(coefficients))
        order = list(reversed(powers)) if descending else list(powers)
        pieces: list[tuple[Box, str]] = [(Row((TextBox(name), TextBox("("), TextBox("x"), TextBox(") = "))), "ink")]
        spoken = []
        for number, k in enumerate(order):
            value = coefficients[k]
            role = "fit" if value else "rule"
            sign = "−" if value < 0 else "" if number == 0 else "+"
            lead = f" {sign} " if number else sign
            pieces.append((TextBox(lead), "ink" if value else "rule"))
            number_text = style.short(abs(float(f"{value:.6g}")))
            pieces.append((TextBox("" if number_text == "1" and k else number_text), role))
            pieces.append((Row((TextBox("\u2009"), power_of("x", k))), "ink" if value else "rule"))
            spoken.append(f"{sign or '+'} {style.short(abs(value))} x to the {k}")
        self._pieces = pieces if coefficients else []
        self.setAccessibleName(f"{name} of x is {' '.join(spoken)}")
        self._arrange()

    def sizeHint(self) -> QSize:
        return QSize(400, self._height)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        for size in SIZES_TRIED:
            lines: list[list[Placed]] = [[]]
            room = self.width() - 2 * MARGIN
            placed = [place(box, size, None, role) for box, role in self._pieces]
            # A sign, its number and its power stay together.
            groups = [placed[:1], *(placed[i : i + 3] for i in range(1, len(placed), 3))]
            for group in groups:
                width = sum(piece.width for piece in group)
                if lines[-1] and sum(piece.width for piece in lines[-1]) + width > room:
                    lines.append([])
                lines[-1] += group
            if len(lines) == 1:
                break
        self._lines = [side_by_side(line) for line in lines if line]
        height = (
            int(sum(line.above + line.below + LINE_GAP for line in self._lines) + 2 * LINE_GAP) if self._lines else 70
        )
        if height != self._height:
            self._height = height
            self.setFixedHeight(height)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        paint_lines(self, self._lines, MARGIN)
