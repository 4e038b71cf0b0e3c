"""One line of questions under the table; each opens its bar above the line, and one at a time."""

from __future__ import annotations

from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.bar import Bar
from vettore.app.widgets.parts import button


class ToolsLine(QWidget):
    """``tools`` are bars with the words that open them and the widget that then has the keyboard."""

    def __init__(self, session: Session, tools: list[tuple[str, str, QWidget, QWidget]]) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        line = Bar(session)
        self._tools = tools
        self.links: dict[str, QPushButton] = {}
        for words, tip, bar, first in tools:
            box.addWidget(bar)
            bar.hide()
            self.links[words] = button(words, lambda bar=bar, first=first: self.turn(bar, first), "link", tip)
            line.row.addWidget(self.links[words])
        line.row.addStretch()
        box.addWidget(line)

    def close_bar(self) -> bool:
        """Close the bar that is open; whether one was."""
        opened = [bar for _words, _tip, bar, _first in self._tools if bar.isVisible()]
        for bar in opened:
            bar.hide()
        return bool(opened)

    def turn(self, bar: QWidget, first: QWidget) -> None:
        """Open a bar in place of another, or close it."""
        opened = not bar.isVisible()
        for _words, _tip, other, _first in self._tools:
            other.setVisible(opened and other is bar)
        if opened:
            first.setFocus()
