"""A field for formulas: completes names, and underlines the place of an error."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QPointF, QStringListModel, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QCompleter, QLineEdit, QStyle, QStyleOptionFrame

from vettore.app.painting import painting
from vettore.app.style import colour
from vettore.core.formula.words import ARGUMENTS, CONSTANTS

# Completions come after so many letters, or at once with Ctrl+Space.
LETTERS = 2


class FormulaField(QLineEdit):
    """A line of plain mathematics."""

    def __init__(self) -> None:
        super().__init__()
        self._error_at: int | None = None
        self._words = QStringListModel(self)
        self.completions = QCompleter(self._words, self)
        self.completions.setWidget(self)
        self.completions.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.completions.activated.connect(self._complete)
        self.set_names(())

    def set_names(self, names: Iterable[str]) -> None:
        """Offer these columns and coefficients beside functions and constants."""
        functions = [f"{name}(" for name in ARGUMENTS]
        self._words.setStringList([*dict.fromkeys(names), *functions, *CONSTANTS])

    def show_error(self, position: int | None) -> None:
        """Underline the place of an error, counted from 0, or nothing."""
        self._error_at = position
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        popup = self.completions.popup()
        if popup.isVisible() and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Tab):
            if popup.currentIndex().isValid():
                # The list takes these keys.
                event.ignore()
                return
            popup.hide()
        is_wanted = event.key() == Qt.Key.Key_Space and event.modifiers() & Qt.KeyboardModifier.ControlModifier
        if not is_wanted:
            super().keyPressEvent(event)
        if is_wanted or event.text():
            self._offer(bool(is_wanted))

    def _offer(self, is_wanted: bool) -> None:
        prefix = self._word()
        popup = self.completions.popup()
        if not is_wanted and len(prefix) < LETTERS:
            popup.hide()
            return
        self.completions.setCompletionPrefix(prefix)
        texts = [self.completions.currentCompletion()] if self.completions.completionCount() == 1 else []
        if not self.completions.completionCount() or texts == [prefix]:
            popup.hide()
            return
        frame = self.cursorRect()
        frame.setWidth(220)
        self.completions.complete(frame)

    def _word(self) -> str:
        """Return the part of a name before the cursor."""
        text = self.text()[: self.cursorPosition()]
        start = len(text)
        while start and (text[start - 1].isalnum() or text[start - 1] == "_"):
            start -= 1
        word = text[start:]
        return "" if word[:1].isdecimal() else word

    def _complete(self, word: str) -> None:
        at, length = self.cursorPosition(), len(self._word())
        text = self.text()
        self.setText(text[: at - length] + word + text[at:])
        self.setCursorPosition(at - length + len(word))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self._error_at is None or self._error_at > len(self.text()):
            return
        option = QStyleOptionFrame()
        self.initStyleOption(option)
        area = self.style().subElementRect(QStyle.SubElement.SE_LineEditContents, option, self)
        metrics = self.fontMetrics()
        # The field scrolls: what stands before the cursor tells where its text begins.
        begins = self.cursorRect().center().x() - metrics.horizontalAdvance(self.text()[: self.cursorPosition()])
        x = begins + metrics.horizontalAdvance(self.text()[: self._error_at])
        wide = metrics.horizontalAdvance(self.text()[self._error_at : self._error_at + 1]) or 8
        y = area.center().y() + metrics.height() / 2 + 1
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(colour("bad"), 1.6))
            points, up = [], True
            while len(points) * 3 <= max(wide, 6):
                points.append(QPointF(x + 3 * len(points), y - (2 if up else 0)))
                up = not up
            painter.drawPolyline(points)
