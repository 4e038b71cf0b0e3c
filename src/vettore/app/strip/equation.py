"""The equation strip: the formula of the fit, typeset, each coefficient a chip that can be shaped by hand.

Dragging a chip sideways, turning the wheel over it, or arrow keys change its value; a click or the space bar holds it
or lets it go; a double click or Enter asks for value and limits. The strip says what was done; the page answers.
Pointing at a chip lights its place in the equation, and the other way round. The strip is never higher than its limit.
"""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QApplication

from vettore.app.strip.chip import Chip
from vettore.app.strip.view import EquationView
from vettore.app.widgets.parts import plain_tip
from vettore.core.typesetting.typeset import Box, Row

# Pixels that the pointer moves before a press counts as a drag, and that a turn of the wheel scrolls.
DRAG_STARTS, SCROLLED = 4, 60.0
# What a modifier makes of the speed.
FINER, COARSER = 0.1, 10.0


class EquationStrip(EquationView):
    """The equation under the hands: what is pressed, dragged, pointed at, and has the keyboard."""

    shaped = Signal(str, float)
    released = Signal()
    held = Signal(str)
    requested = Signal(str)

    def __init__(self) -> None:
        self._focused = ""
        self._hovered = ""
        self._pressed: tuple[str, QPointF, float] | None = None
        self._dragging = False
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        # A click waits for a second one before it holds.
        self._click = QTimer(self)
        self._click.setSingleShot(True)
        self._clicked_name = ""
        self._click.timeout.connect(lambda: self.held.emit(self._clicked_name))

    def show_equation(self, left: Box, terms: list[Row], chips: dict[str, Chip]) -> None:
        """Show another equation, or other values in it."""
        if self._focused not in chips:
            self._focused = next(iter(chips), "")
        self.lit = self._what_is_lit()
        super().show_equation(left, terms, chips)

    def _what_is_lit(self) -> str:
        if self._pressed is not None:
            return self._pressed[0]
        return self._hovered or (self._focused if self.hasFocus() else "")

    def _light(self) -> None:
        """Mark the coefficient under the hands."""
        self.lit = self._what_is_lit()
        self.arrange()

    @staticmethod
    def _speed(modifiers: Qt.KeyboardModifier) -> float:
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            return FINER
        return COARSER if modifiers & Qt.KeyboardModifier.ControlModifier else 1.0

    def mousePressEvent(self, event: QMouseEvent) -> None:
        name = self.chip_at(event.position())
        if event.button() != Qt.MouseButton.LeftButton or not name:
            super().mousePressEvent(event)
            return
        self._focused = name
        self._pressed = (name, event.position(), self.chips[name].number)
        self._dragging = False
        self._light()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        name = self.chip_at(event.position())
        if name != self._hovered and self._pressed is None:
            self._hovered = name
            self.setCursor(Qt.CursorShape.SizeHorCursor if name else Qt.CursorShape.ArrowCursor)
            hands = "Drag to change · click to hold · double click for value and limits"
            self.setToolTip(hands if name else plain_tip(self.legend))
            self._light()
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

    def mouseReleaseEvent(self, _event: QMouseEvent) -> None:
        if self._pressed is None:
            return
        name, dragged = self._pressed[0], self._dragging
        self._pressed, self._dragging = None, False
        if dragged:
            self.released.emit()
        elif not self._click.isActive():
            self._clicked_name = name
            self._click.start(QApplication.doubleClickInterval())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._click.stop()
        name = self.chip_at(event.position())
        if name:
            self.requested.emit(name)

    def wheelEvent(self, event: QWheelEvent) -> None:
        name = self.chip_at(event.position())
        turns = (event.angleDelta().y() or event.angleDelta().x()) / 120
        if not name:
            self.scroll_at(event.position(), -turns * SCROLLED)
            event.accept()
            return
        self._step(name, 8 * turns * self._speed(event.modifiers()))
        event.accept()

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self._hovered = ""
        self._light()

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._light()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self._light()

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
            self.requested.emit(self._focused)
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        # Tab goes from chip to chip before it leaves the strip.
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and self._focused in self.chips:
            names = list(self.chips)
            number = names.index(self._focused)
            if event.key() == Qt.Key.Key_Tab and number + 1 < len(names):
                self._focus_chip(names[number + 1])
                return True
            if event.key() == Qt.Key.Key_Backtab and number > 0:
                self._focus_chip(names[number - 1])
                return True
        return super().event(event)

    def _focus_chip(self, name: str) -> None:
        self._focused = name
        chip = self.chips[name]
        self.setAccessibleDescription(f"{name} is {chip.value}{', held' if chip.held else ''}")
        self._light()
        self.bring_into_view(name)

    def _step(self, name: str, pixels: float) -> None:
        chip = self.chips[name]
        self.shaped.emit(name, chip.number + pixels * chip.step)
        self.released.emit()
