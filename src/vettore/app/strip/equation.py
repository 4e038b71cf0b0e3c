"""The equation strip: the formula of the fit, typeset, each coefficient a chip that can be shaped by hand.

Dragging a chip sideways, turning the wheel over it, or arrow keys change its value; a click or the space bar holds it
or lets it go; a double click or Enter asks for value and limits. The strip says what was done; the page answers.
Pointing at a chip lights its place in the equation, and the other way round. The strip is never higher than its limit.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QApplication, QMenu, QSizePolicy, QWidget

from vettore.app.strip.arrangement import MARGIN, Arrangement, Line, arranged
from vettore.app.strip.chips import Chip
from vettore.app.style import colour, theme
from vettore.app.widgets.parts import button, label, plain_tip
from vettore.core.markup import mathml_document, to_latex, with_numbers
from vettore.core.typeset import Box, Row, Text

# The height of the strip, and in a window lower than this.
HEIGHT, LOW_HEIGHT, LOW_WINDOW = 96, 88, 740
# Pixels that the pointer moves before a press counts as a drag, and that a turn of the wheel scrolls.
DRAG_STARTS, SCROLLED = 4, 60.0
# What a modifier makes of the speed.
FINER, COARSER = 0.1, 10.0
# A strip below this width has no room for the hint.
NARROW = 560
HINT = "drag a value, click to hold"
NOTE_WIDTH = 170


class EquationStrip(QWidget):
    """Paints ``left = term + term …`` with its chips, in a height that does not depend on the model."""

    shaped = Signal(str, float)
    released = Signal()
    held = Signal(str)
    asked = Signal(str)
    refit = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("strip")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(HEIGHT)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._left: Box = Text("y")
        self.plain_text = ""
        # What short symbols in it stand for.
        self.legend = ""
        self._shaped = False
        self._terms: list[Row] = []
        self.chips: dict[str, Chip] = {}
        self._arrangement: Arrangement | None = None
        # How often an equation was given, and what the arrangement was made for.
        self._edition = 0
        self._arranged_for: tuple[object, ...] = ()
        self._scrolled = [0.0, 0.0]
        self._focused = ""
        self._hovered = ""
        self._pressed: tuple[str, QPointF, float] | None = None
        self._dragging = False
        # A click waits for a second one before it holds.
        self._click = QTimer(self)
        self._click.setSingleShot(True)
        self._clicked_name = ""
        self._click.timeout.connect(lambda: self.held.emit(self._clicked_name))
        self.note = label("", "muted", wrap=True)
        self.note.setParent(self)
        self.note.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.again = button("Refit", self.refit.emit, "primary", "Fit again, starting from these values")
        self.again.setParent(self)
        self.show_shaped("")

    def show_equation(self, left: Box, terms: list[Row], chips: dict[str, Chip]) -> None:
        """Show another equation, or other values in it."""
        if (left, terms) != (self._left, self._terms):
            self._scrolled = [0.0, 0.0]
        self._left, self._terms, self.chips = left, terms, chips
        self._edition += 1
        if self._focused not in chips:
            self._focused = next(iter(chips), "")
        spoken = "; ".join(chip.spoken or f"{name} {chip.value} ± {chip.error}" for name, chip in chips.items())
        self.setAccessibleName(f"Equation of the fit: {spoken}" if spoken else "No fit yet")
        self._arrange()

    def show_shaped(self, words: str) -> None:
        """Say that the curve was shaped by hand, or (with no words) that it is the fit."""
        self.note.setText(words or HINT)
        if not words and self.again.hasFocus():
            # A button that goes out of use would take the keyboard with it.
            self.setFocus()
        self.again.setEnabled(bool(words))
        self._shaped = bool(words)
        self._arrange()

    def equation_text(self, kind: str, numbers: bool) -> str:
        """Return the equation as text, LaTeX or MathML, with symbols or with numbers for the coefficients."""
        values = {name: f"{chip.number:.15g}" for name, chip in self.chips.items()} if numbers else None
        whole = Row((self._left, Text(" = "), *self._terms))
        if kind == "LaTeX":
            return to_latex(whole, values)
        if kind == "MathML":
            return mathml_document(whole, values)
        return with_numbers(self.plain_text, values) if values else self.plain_text

    def contextMenuEvent(self, event) -> None:
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

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._arrange()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self.fit_window()

    # Layout.

    def fit_window(self) -> None:
        """Take the height that a window of this height has for the strip."""
        self.setFixedHeight(LOW_HEIGHT if self.window().height() < LOW_WINDOW else HEIGHT)

    def _arrange(self) -> None:
        beside = self._beside()
        room, high, lit = self.width() - 2 * MARGIN, float(self.height()), self._lit()
        asked = (self._edition, theme(), lit, room, beside, high)
        if asked != self._arranged_for:
            self._arranged_for = asked
            terms = (Row((self._left, Text(" = "))), *self._terms)
            self._arrangement = arranged(terms, self.chips, lit, room, beside, high) if self._terms else None
        lines = self._lines()
        if lines:
            self._scrolled = [min(by, line.overflow) for by, line in zip(self._scrolled, lines, strict=False)]
            self._scrolled += [0.0] * (2 - len(self._scrolled))
        self._place_side(self._arrangement is not None and self._arrangement.equation.beside == beside[0])
        self.update()

    @property
    def _has_side(self) -> bool:
        return bool(self._terms) and (self._shaped or self.width() > NARROW)

    def _beside(self) -> tuple[float, ...]:
        """Return the widths that the hint and the button may take at the upper right corner, the widest first."""
        if not self._has_side:
            return (0.0,)
        alone = 24.0 + self.again.sizeHint().width()
        # Without the hint the chips may have room inside; what the hand has done is said in any case.
        return (alone + NOTE_WIDTH,) if self._shaped else (alone + NOTE_WIDTH, alone)

    def _place_side(self, with_note: bool) -> None:
        """Put the hint and the button at the upper right corner."""
        self.note.setVisible(self._has_side and with_note)
        self.again.setVisible(self._has_side)
        size = self.again.sizeHint()
        high = max(size.height(), 28)
        self.again.setGeometry(self.width() - 14 - size.width(), 10, size.width(), high)
        self.note.setGeometry(self.again.x() - 10 - NOTE_WIDTH, 6, NOTE_WIDTH, high + 8)

    def _lit(self) -> str:
        if self._pressed is not None:
            return self._pressed[0]
        return self._hovered or (self._focused if self.hasFocus() else "")

    def _lines(self) -> tuple[Line, ...]:
        if self._arrangement is None:
            return ()
        equation, chips = self._arrangement.equation, self._arrangement.chips
        return (equation,) if chips is None else (equation, chips)

    def _chip_line(self) -> tuple[Line, float] | None:
        lines = self._lines()
        return (lines[-1], self._scrolled[len(lines) - 1]) if lines else None

    def paintEvent(self, event) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for number, line in enumerate(self._lines()):
            right = self.width() - MARGIN
            if number == 0 and self.again.isVisible():
                right = float(self.note.x() if self.note.isVisible() else self.again.x() - 10)
            painter.save()
            painter.setClipRect(QRectF(MARGIN - 6, 0, right - MARGIN + 8, self.height()))
            line.placed.draw(painter, line.x - self._scrolled[number], line.baseline)
            painter.restore()
            self._paint_ends(painter, line, self._scrolled[number], right)

    def _paint_ends(self, painter: QPainter, line: Line, scrolled: float, right: float) -> None:
        """Show by small arrows that there is more of a line on its left or right."""
        middle = line.baseline - line.placed.above + (line.placed.above + line.placed.below) / 2
        painter.setPen(QPen(colour("accent"), 1.6))
        for there, x, way in ((scrolled > 0, 9.0, 4.0), (scrolled < line.overflow, right + 9.0, -4.0)):
            if there:
                corners = ((x + way, middle - 5), (x, middle), (x + way, middle + 5))
                painter.drawPolyline(QPolygonF([QPointF(*corner) for corner in corners]))

    # Hands.

    def _chip_at(self, point: QPointF) -> str:
        """Return the coefficient under the pointer: its chip, or its place in the equation."""
        for number, line in reversed(list(enumerate(self._lines()))):
            for name, frames in line.frames(self._scrolled[number]).items():
                if any(frame.adjusted(-1, -2, 1, 2).contains(point) for frame in frames):
                    return name
        return ""

    @staticmethod
    def _speed(modifiers: Qt.KeyboardModifier) -> float:
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            return FINER
        return COARSER if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0

    def mousePressEvent(self, event) -> None:
        name = self._chip_at(event.position())
        if event.button() != Qt.MouseButton.LeftButton or not name:
            super().mousePressEvent(event)
            return
        self._focused = name
        self._pressed = (name, event.position(), self.chips[name].number)
        self._dragging = False
        self._arrange()

    def mouseMoveEvent(self, event) -> None:
        name = self._chip_at(event.position())
        if name != self._hovered and self._pressed is None:
            self._hovered = name
            self.setCursor(Qt.CursorShape.SizeHorCursor if name else Qt.CursorShape.ArrowCursor)
            hands = "Drag to change · click to hold · double click for value and limits"
            self.setToolTip(hands if name else plain_tip(self.legend))
            self._arrange()
        if self._pressed is None:
            return
        held, last, value = self._pressed
        moved = event.position().x() - last.x()
        if not self._dragging and abs(moved) < DRAG_STARTS:
            return
        self._dragging = True
        value += moved * self.chips[held].step * self._speed(event.modifiers())
        self._pressed = (held, event.position(), value)
        self.shaped.emit(held, value)

    def mouseReleaseEvent(self, _event) -> None:
        if self._pressed is None:
            return
        name, dragged = self._pressed[0], self._dragging
        self._pressed, self._dragging = None, False
        if dragged:
            self.released.emit()
        elif not self._click.isActive():
            self._clicked_name = name
            self._click.start(QApplication.doubleClickInterval())

    def mouseDoubleClickEvent(self, event) -> None:
        self._click.stop()
        name = self._chip_at(event.position())
        if name:
            self.asked.emit(name)

    def wheelEvent(self, event) -> None:
        name = self._chip_at(event.position())
        turns = (event.angleDelta().y() or event.angleDelta().x()) / 120
        if not name:
            self._scroll_at(event.position(), -turns * SCROLLED)
            event.accept()
            return
        self._step(name, 8 * turns * self._speed(event.modifiers()))
        event.accept()

    def leaveEvent(self, event) -> None:
        super().leaveEvent(event)
        self._hovered = ""
        self._arrange()

    def focusInEvent(self, event) -> None:
        super().focusInEvent(event)
        self._arrange()

    def focusOutEvent(self, event) -> None:
        super().focusOutEvent(event)
        self._arrange()

    def _scroll_at(self, point: QPointF, by: float) -> None:
        """Scroll the line under a point."""
        lines = self._lines()
        for number, line in enumerate(lines):
            if number == len(lines) - 1 or point.y() <= line.baseline + line.placed.below:
                self._scrolled[number] = min(max(self._scrolled[number] + by, 0.0), line.overflow)
                break
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        names = list(self.chips)
        key, speed = event.key(), self._speed(event.modifiers())
        if not self._focused:
            super().keyPressEvent(event)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._step(self._focused, (8 if key == Qt.Key.Key_Up else -8) * speed)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            place_of = names.index(self._focused) + (1 if key == Qt.Key.Key_Right else -1)
            self._focus_chip(names[place_of % len(names)])
        elif key == Qt.Key.Key_Space:
            self.held.emit(self._focused)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.asked.emit(self._focused)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        # Tab goes from chip to chip before it leaves the strip.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and self._focused in self.chips:
            names = list(self.chips)
            here = names.index(self._focused)
            if event.key() == Qt.Key.Key_Tab and here + 1 < len(names):
                self._focus_chip(names[here + 1])
                return True
            if event.key() == Qt.Key.Key_Backtab and here > 0:
                self._focus_chip(names[here - 1])
                return True
        return super().event(event)

    def _focus_chip(self, name: str) -> None:
        self._focused = name
        chip = self.chips[name]
        self.setAccessibleDescription(f"{name} is {chip.value}{', held' if chip.held else ''}")
        self._arrange()
        self._bring_into_view(name)

    def _bring_into_view(self, name: str) -> None:
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

    def _step(self, name: str, pixels: float) -> None:
        chip = self.chips[name]
        self.shaped.emit(name, chip.number + pixels * chip.step)
        self.released.emit()
