"""How the equation of a fit is laid out and painted: one line, or chips on a line of their own, scrolled where too long."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent, QShowEvent
from PySide6.QtWidgets import QApplication, QMenu, QSizePolicy, QWidget

from vettore.app.painting import painting
from vettore.app.strip.arrangement import MARGIN, Arrangement, StripLine, arranged
from vettore.app.strip.chip import Chip
from vettore.app.strip.peak_turner import PeakTurner
from vettore.app.style import colour, theme
from vettore.app.widgets.parts import button, label
from vettore.core.typesetting.markup import mathml_document, to_latex, with_numbers
from vettore.core.typesetting.typeset import Box, Row, TextBox

# The height of the strip, and in a window lower than this.
HEIGHT, LOW_HEIGHT, LOW_WINDOW = 96, 88, 740
# A strip below this width has no room for the hint.
NARROW = 560
HINT = "drag a value, click to hold"
NOTE_WIDTH = 170


class EquationView(QWidget):
    """Paints ``left = term + term …`` with its chips, in a height that does not depend on the model; ``lit`` is marked."""

    refit = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)
        self._left: Box = TextBox("y")
        self.plain_text = ""
        # What short symbols in it stand for.
        self.legend = ""
        self._shaped = False
        self._terms: list[Row] = []
        self.chips: dict[str, Chip] = {}
        # The coefficient whose chip and places are marked.
        self.lit = ""
        self._arrangement: Arrangement | None = None
        # How often an equation was given, and what the arrangement was made for.
        self._edition = 0
        self._arranged_for: tuple[object, ...] = ()
        self._scrolled = [0.0, 0.0]
        self.note = label("", "muted", wrap=True)
        self.note.setParent(self)
        self.note.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.again = button("Refit", self.refit.emit, "primary", "Fit again, starting from these values")
        self.again.setParent(self)
        self.turner = PeakTurner(self)
        self.show_shaped("")

    def show_equation(self, left: Box, terms: list[Row], chips: dict[str, Chip]) -> None:
        """Show another equation, or other values in it."""
        if (left, terms) != (self._left, self._terms):
            self._scrolled = [0.0, 0.0]
        self._left, self._terms, self.chips = left, terms, chips
        self._edition += 1
        spoken = "; ".join(chip.spoken or f"{name} {chip.value} ± {chip.error}" for name, chip in chips.items())
        self.setAccessibleName(f"Equation of the fit: {spoken}" if spoken else "No fit yet")
        self.arrange()

    def show_shaped(self, words: str) -> None:
        """Say that the curve was shaped by hand, or (with no words) that it is the fit."""
        self.note.setText(words or HINT)
        if not words and self.again.hasFocus():
            # A button that goes out of use would take the keyboard with it.
            self.setFocus()
        self.again.setEnabled(bool(words))
        self._shaped = bool(words)
        self.arrange()

    def equation_text(self, kind: str, numbers: bool) -> str:
        """Return the equation as text, LaTeX or MathML, with symbols or with numbers for the coefficients."""
        values = {name: f"{chip.number:.15g}" for name, chip in self.chips.items()} if numbers else None
        whole = Row((self._left, TextBox(" = "), *self._terms))
        if kind == "LaTeX":
            return to_latex(whole, values)
        if kind == "MathML":
            return mathml_document(whole, values)
        return with_numbers(self.plain_text, values) if values else self.plain_text

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        for numbers, words in ((False, "with symbols"), (True, "with numbers")):
            for kind in ("text", "LaTeX", "MathML"):
                action = menu.addAction(f"Copy as {kind}, {words}")
                action.triggered.connect(
                    lambda _on=False, kind=kind, numbers=numbers: QApplication.clipboard().setText(
                        self.equation_text(kind, numbers)
                    )
                )
        menu.addAction("Copy as a picture").triggered.connect(
            lambda _on=False: QApplication.clipboard().setPixmap(self.grab())
        )
        menu.popup(event.globalPos())

    def frame_of(self, name: str) -> QRectF:
        """Return where the chip of a coefficient is."""
        line = self._chip_line()
        return line[0].frames(line[1]).get(name, [QRectF()])[0] if line is not None else QRectF()

    def sizeHint(self) -> QSize:
        return QSize(400, self.height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.arrange()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.fit_window()

    # Layout.

    def fit_window(self) -> None:
        """Take the height that a window of this height has for the strip."""
        self.setFixedHeight(LOW_HEIGHT if self.window().height() < LOW_WINDOW else HEIGHT)

    def arrange(self) -> None:
        """Lay the equation out for the present width, height and mark."""
        beside = self._beside()
        room, high = self.width() - 2 * MARGIN, float(self.height())
        parts = (self._edition, theme(), self.lit, room, beside, high)
        if parts != self._arranged_for:
            self._arranged_for = parts
            terms = (Row((self._left, TextBox(" = "))), *self._terms)
            self._arrangement = arranged(terms, self.chips, self.lit, room, beside, high) if self._terms else None
        lines = self._lines()
        if lines:
            self._scrolled = [min(by, line.overflow) for by, line in zip(self._scrolled, lines, strict=False)]
            self._scrolled += [0.0] * (2 - len(self._scrolled))
        self._place_side(self._arrangement is not None and self._arrangement.equation.beside == beside[0])
        self.update()

    @property
    def _has_side(self) -> bool:
        return bool(self._terms) and not self.has_peaks and (self._shaped or self.width() > NARROW)

    @property
    def has_peaks(self) -> bool:
        """Whether the strip shows one of several peaks, which are fitted again as soon as a hand lets go."""
        return not self.turner.isHidden()

    def show_peak(self, place: int, count: int) -> None:
        """Say which of how many peaks the chips are of; with no peaks they are those of the equation."""
        self.turner.show_peak(place, count)
        self.arrange()

    def _beside(self) -> tuple[float, ...]:
        """Return the widths that the hint and the button may take at the upper right corner, the widest first."""
        if self.has_peaks:
            return (24.0 + self.turner.width(),)
        if not self._has_side:
            return (0.0,)
        alone = 24.0 + self.again.sizeHint().width()
        # Without the hint the chips may have room inside; what the hand has done is said in any case.
        return (alone + NOTE_WIDTH,) if self._shaped else (alone + NOTE_WIDTH, alone)

    def _place_side(self, with_note: bool) -> None:
        """Put the hint and the button at the upper right corner."""
        self.turner.move(self.width() - 14 - self.turner.width(), 8)
        self.note.setVisible(self._has_side and with_note)
        self.again.setVisible(self._has_side)
        size = self.again.sizeHint()
        high = max(size.height(), 28)
        self.again.setGeometry(self.width() - 14 - size.width(), 10, size.width(), high)
        self.note.setGeometry(self.again.x() - 10 - NOTE_WIDTH, 6, NOTE_WIDTH, high + 8)

    def _lines(self) -> tuple[StripLine, ...]:
        if self._arrangement is None:
            return ()
        equation, chips = self._arrangement.equation, self._arrangement.chips
        return (equation,) if chips is None else (equation, chips)

    def _chip_line(self) -> tuple[StripLine, float] | None:
        lines = self._lines()
        return (lines[-1], self._scrolled[len(lines) - 1]) if lines else None

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for number, line in enumerate(self._lines()):
                right = self.width() - MARGIN
                if number == 0 and self.again.isVisible():
                    right = float(self.note.x() if self.note.isVisible() else self.again.x() - 10)
                with painting(painter):
                    painter.setClipRect(QRectF(MARGIN - 6, 0, right - MARGIN + 8, self.height()))
                    line.placed.draw(painter, line.x - self._scrolled[number], line.baseline)
                self._paint_ends(painter, line, self._scrolled[number], right)

    def _paint_ends(self, painter: QPainter, line: StripLine, scrolled: float, right: float) -> None:
        """Show by small arrows that there is more of a line on its left or right."""
        middle = line.baseline - line.placed.above + (line.placed.above + line.placed.below) / 2
        painter.setPen(QPen(colour("accent"), 1.6))
        for there, x, way in ((scrolled > 0, 9.0, 4.0), (scrolled < line.overflow, right + 9.0, -4.0)):
            if there:
                corners = ((x + way, middle - 5), (x, middle), (x + way, middle + 5))
                painter.drawPolyline(QPolygonF([QPointF(*corner) for corner in corners]))

    def chip_at(self, point: QPointF) -> str:
        """Return the coefficient under the pointer: its chip, or its place in the equation."""
        for number, line in reversed(list(enumerate(self._lines()))):
            for name, frames in line.frames(self._scrolled[number]).items():
                if any(frame.adjusted(-1, -2, 1, 2).contains(point) for frame in frames):
                    return name
        return ""

    def scroll_at(self, point: QPointF, by: float) -> None:
        """Scroll the line under a point."""
        lines = self._lines()
        for number, line in enumerate(lines):
            if number == len(lines) - 1 or point.y() <= line.baseline + line.placed.below:
                self._scrolled[number] = min(max(self._scrolled[number] + by, 0.0), line.overflow)
                break
        self.update()

    def bring_into_view(self, name: str) -> None:
        """Scroll the row so far that a chip is seen whole."""
        lines, frame = self._lines(), self.frame_of(name)
        if len(lines) < 2 or frame.isNull():
            return
        right = self.width() - MARGIN
        if frame.right() > right:
            self._scrolled[1] += frame.right() - right
        elif frame.left() < MARGIN:
            self._scrolled[1] -= MARGIN - frame.left()
        self.update()
