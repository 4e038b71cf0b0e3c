"""The bench for several equations: lines of plain mathematics, each typeset below as it is read."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QTextCharFormat, QTextCursor
from PySide6.QtWidgets import QHBoxLayout, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from vettore.app.pages.equations.present import BenchView
from vettore.app.strip.echo import Echo
from vettore.app.style import colour
from vettore.app.widgets.parts import Column, about, button, label

# Lines of the field, and of what is typeset before it is scrolled.
LINES, ECHO_HEIGHT = 5, 112
TYPE = 13.0


class EquationsField(QPlainTextEdit):
    """The lines; Ctrl+Enter fits them, Tab leaves them."""

    fit_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setTabChangesFocus(True)
        self.setAccessibleName("Equations, one a line")
        self.setPlaceholderText("A -> B ; k1\nB -> C ; k2\nA(0) = A0\nB(0) = 0\nC(0) = 0")
        self.setToolTip(
            "Rates as A' = -k*A, reactions as A -> B ; k, what a column shows as signal = e*A. Ctrl+Enter fits."
        )

    def sizeHint(self) -> QSize:
        return QSize(300, self.fontMetrics().lineSpacing() * LINES + 16)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if (
            event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            self.fit_asked.emit()
        else:
            super().keyPressEvent(event)

    def show_error(self, position: int | None) -> None:
        """Underline the place of an error, counted from 0, or nothing."""
        if position is None:
            self.setExtraSelections([])
            return
        cursor = QTextCursor(self.document())
        last = max(self.document().characterCount() - 1, 0)
        at = min(position, max(last - 1, 0))
        cursor.setPosition(at)
        cursor.setPosition(min(at + 1, last), QTextCursor.MoveMode.KeepAnchor)
        mark = QTextEdit.ExtraSelection()
        mark.cursor = cursor
        written = QTextCharFormat()
        written.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
        written.setUnderlineColor(QColor(colour("bad")))
        mark.format = written
        self.setExtraSelections([mark])


class EquationsBench(QWidget):
    """``changed`` tells that something was typed, ``requested`` that it is to be fitted, ``closed`` that it goes."""

    changed = Signal()
    requested = Signal(str)
    closed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 8, 14, 8)
        box.setSpacing(4)
        self.field = EquationsField()
        self.field.textChanged.connect(self.changed.emit)
        self.field.fit_asked.connect(self.ask)
        self.fit = button("Fit them", self.ask, "primary", "Fit these equations (Ctrl+Enter)")
        self.close_it = button("Close", self.closed.emit, "link", "Put the bench away; what was written stays")
        self.remark = label("", "muted", wrap=True)
        side = QVBoxLayout()
        side.addWidget(self.fit)
        side.addStretch()
        side.addWidget(self.close_it, alignment=Qt.AlignmentFlag.AlignRight)
        self._echoes: list[Echo] = []
        self._holder = Column("How the equations were read", (0, 0, 0, 0))
        self._holder.column.setSpacing(0)
        self._holder.column.addStretch()
        line = QHBoxLayout()
        line.setSpacing(12)
        line.addWidget(self.field, 3)
        line.addWidget(self._holder, 3)
        line.addLayout(side)
        box.addLayout(line)
        box.addWidget(self.remark)
        self.field.setFixedHeight(ECHO_HEIGHT)
        self._holder.setFixedHeight(ECHO_HEIGHT)
        about("equations.md#write-equations", self)
        self.hide()

    def ask(self) -> None:
        """Ask for what was written to be fitted, when it can be read."""
        if self.fit.isEnabled():
            self.requested.emit(self.field.toPlainText())

    def write(self, text: str) -> None:
        """Put other equations into the field, unless they stand there."""
        if self.field.toPlainText().strip() != text.strip():
            self.field.setPlainText(text)

    def draw(self, view: BenchView) -> None:
        """Show how it was read."""
        while len(self._echoes) < len(view.lines):
            echo = Echo(TYPE)
            self._echoes.append(echo)
            self._holder.column.insertWidget(len(self._echoes) - 1, echo)
        for place, echo in enumerate(self._echoes):
            is_shown = place < len(view.lines)
            echo.setVisible(is_shown)
            echo.show_box(view.lines[place] if is_shown else None)
        self.field.show_error(view.at)
        self.remark.setText(view.remark)
        kind = "bad" if view.is_wrong else "muted"
        if self.remark.property("kind") != kind:
            self.remark.setProperty("kind", kind)
            self.remark.style().unpolish(self.remark)
            self.remark.style().polish(self.remark)
        self.fit.setEnabled(view.can_fit)
