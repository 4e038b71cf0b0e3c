"""The equation strip: the formula of the fit, typeset, each coefficient a chip that can be shaped by hand.

Dragging a chip sideways, turning the wheel over it, or arrow keys change its value; a click or the space bar holds it
or lets it go; a double click or Enter asks for value and limits. The strip says what was done; the page answers.
"""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QKeyEvent, QPainter, QPen
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMenu, QSizePolicy, QWidget

from vettore.app.strip.painter import LINE_GAP, Placed, paint_lines, place, side_by_side
from vettore.app.style import colour, sans
from vettore.app.widgets.parts import button, label
from vettore.core.markup import mathml_document, to_latex, with_numbers
from vettore.core.typeset import Box, Row, Text, coefficient_symbol
from vettore.look.theme import SIZES

# Sizes tried from the largest until the equation stands on one line; the last may take several.
TYPE_SIZES = (25.0, 21.0, 17.0, 14.0)
CHIP_PADDING = 10.0
MARGIN = 20.0
# Pixels that the pointer moves before a press counts as a drag.
DRAG_STARTS = 4
# What a modifier makes of the speed.
FINER, COARSER = 0.1, 10.0
# A strip below this width has no room for the hint.
NARROW = 600
HINT = "drag a value to try it, click to hold it"

# Terms kept as they were laid out.
MOST_LAID_OUT = 40


@dataclass(frozen=True)
class Chip:
    """What stands on a coefficient's chip; ``step`` is how much one pixel of dragging changes the value."""

    value: str
    error: str
    number: float = 0.0
    step: float = 0.0
    held: bool = False
    at_limit: bool = False
    spoken: str = ""


class EquationStrip(QWidget):
    """Paints ``left = term + term …``; wraps onto more lines, and shrinks, when it must."""

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
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self._left: Box = Text("y")
        self.plain_text = ""
        self._shaped = False
        self._terms: list[Row] = []
        self.chips: dict[str, Chip] = {}
        self._lines: list[Placed] = []
        self._laid_out: dict[tuple[Row, float], tuple[Placed, dict[str, Chip | None]]] = {}
        self._frames: dict[str, QRectF] = {}
        self._height = 84
        self._focused = ""
        self._hovered = ""
        self._pressed: tuple[str, QPointF, float] | None = None
        self._dragging = False
        # A click waits for a second one before it holds.
        self._click = QTimer(self)
        self._click.setSingleShot(True)
        self._clicked_name = ""
        self._click.timeout.connect(lambda: self.held.emit(self._clicked_name))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 8, 14, 8)
        row.addStretch()
        self.side = QWidget()
        side = QHBoxLayout(self.side)
        side.setContentsMargins(0, 0, 0, 0)
        self.note = label("", "muted", wrap=True)
        self.note.setFixedWidth(124)
        self.note.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.again = button("Refit", self.refit.emit, "primary", "Fit again, starting from these values")
        side.addWidget(self.note)
        side.addWidget(self.again)
        row.addWidget(self.side, alignment=Qt.AlignmentFlag.AlignVCenter)
        self.show_shaped("")

    def show_equation(self, left: Box, terms: list[Row], chips: dict[str, Chip]) -> None:
        """Show another equation, or other values in it."""
        self._left, self._terms, self.chips = left, terms, chips
        self.side.setVisible(bool(terms) and (self._shaped or self.width() > NARROW))
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
        self.side.setVisible(bool(self._terms) and (self._shaped or self.width() > NARROW))

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
        return self._frames.get(name, QRectF())

    def sizeHint(self) -> QSize:
        return QSize(400, self._height)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self.side.setVisible(bool(self._terms) and (self._shaped or self.width() > NARROW))
        self._arrange()

    # Layout.

    def _arrange(self) -> None:
        for size in TYPE_SIZES:
            lines = self._wrapped(size)
            if len(lines) <= 1:
                break
        self._lines = [side_by_side(line) for line in lines]
        self._frames, top = {}, LINE_GAP
        for line in self._lines:
            baseline = top + line.above
            self._frames.update(dict(line.moved_chips(MARGIN, baseline)))
            top = baseline + line.below + LINE_GAP
        height = int(top + LINE_GAP) if self._lines else 84
        if height != self._height:
            self._height = height
            self.setFixedHeight(height)
        self.update()

    def _wrapped(self, size: float) -> list[list[Placed]]:
        if not self._terms:
            return []
        pieces = [self._placed(row, size) for row in (Row((self._left, Text(" = "))), *self._terms)]
        lines: list[list[Placed]] = [[]]
        beside = self.side.sizeHint().width() if self.width() > NARROW or self._shaped else 0
        room = self.width() - 2 * MARGIN - beside
        for piece in pieces:
            used = sum(p.width for p in lines[-1])
            if lines[-1] and used + piece.width > room:
                lines.append([])
            lines[-1].append(piece)
        return lines

    def _placed(self, row: Row, size: float) -> Placed:
        """Lay a term out, or return it as laid out before while its chips are the same."""
        known = self._laid_out.get((row, size))
        if known is not None and all(self.chips.get(name) == chip for name, chip in known[1].items()):
            return known[0]
        placed = place(row, size, self._place_chip)
        if len(self._laid_out) > MOST_LAID_OUT:
            self._laid_out.clear()
        self._laid_out[row, size] = (placed, {name: self.chips.get(name) for name, _ in placed.chips})
        return placed

    def _place_chip(self, name: str, size: float) -> Placed:
        chip = self.chips.get(name, Chip("", ""))
        symbol = place(coefficient_symbol(name), max(size * 0.9, 13), None, "fit")
        large = size > 16
        value_font = sans(12 if large else 10.5, QFont.Weight.DemiBold)
        texts = [(chip.value, value_font, "ink")]
        foot = "held" if chip.held else "at its limit" if chip.at_limit else f"± {chip.error}" if chip.error else ""
        if foot:
            texts.append((foot, sans(SIZES.small), "muted"))
        inner = max([symbol.width, *(QFontMetricsF(font).horizontalAdvance(text) for text, font, _ in texts)])
        width = inner + (2 * CHIP_PADDING if large else 12)
        lines = [QFontMetricsF(font).height() for _, font, _ in texts]
        above, below = symbol.above + 5, 6 + sum(lines) + symbol.below * 0.6

        def draw(painter: QPainter, x: float, baseline: float) -> None:
            frame = QRectF(x, baseline - above, width, above + below)
            strong = name == self._hovered or (name == self._focused and self.hasFocus())
            role = "muted" if chip.held else "fit"
            pen = QPen(colour("accent") if strong else colour(role, 0.45), 1.6 if strong else 1)
            if chip.held:
                pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.setBrush(colour(role, 0.16 if strong else 0.09))
            painter.drawRoundedRect(frame, SIZES.radius, SIZES.radius)
            symbol.draw(painter, x + (width - symbol.width) / 2, baseline)
            y = baseline + symbol.below * 0.6 + 2
            for (text, font, ink), height in zip(texts, lines, strict=True):
                painter.setFont(font)
                painter.setPen(colour(ink))
                painter.drawText(QRectF(x, y, width, height), Qt.AlignmentFlag.AlignCenter, text)
                y += height

        return Placed(width, above, below, draw, ((name, QRectF(0, -above, width, above + below)),))

    def paintEvent(self, event) -> None:
        super().paintEvent(event)
        paint_lines(self, self._lines, MARGIN)

    # Hands.

    def _chip_at(self, point: QPointF) -> str:
        return next((name for name, frame in self._frames.items() if frame.contains(point)), "")

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
        self.update()

    def mouseMoveEvent(self, event) -> None:
        name = self._chip_at(event.position())
        if name != self._hovered and self._pressed is None:
            self._hovered = name
            self.setCursor(Qt.CursorShape.SizeHorCursor if name else Qt.CursorShape.ArrowCursor)
            self.setToolTip("Drag to change · click to hold · double click for value and limits" if name else "")
            self.update()
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
        if not name:
            super().wheelEvent(event)
            return
        turns = event.angleDelta().y() / 120
        self._step(name, 8 * turns * self._speed(event.modifiers()))
        event.accept()

    def leaveEvent(self, event) -> None:
        super().leaveEvent(event)
        self._hovered = ""
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
        self.update()

    def _step(self, name: str, pixels: float) -> None:
        chip = self.chips[name]
        self.shaped.emit(name, chip.number + pixels * chip.step)
        self.released.emit()
