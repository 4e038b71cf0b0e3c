"""Panels over the window that a click beside them or Escape closes, and forms of a few fields in one."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.widgets.parts import label


class Popup(QFrame):
    """The frame of what opens over the window; ``once`` says that it is used one time only."""

    def __init__(self, parent: QWidget, once: bool = False) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose, once)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFrameShape(QFrame.Shape.Box)


class Form(Popup):
    """A title over fields; Enter in one of them applies them, and what is wrong is said under them."""

    def __init__(self, title: str, fields: Iterable[tuple[str, str, QLineEdit]], width: int, parent: QWidget) -> None:
        """``fields`` are the words beside a field, the words it is spoken of by, and the field."""
        super().__init__(parent, once=True)
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(14, 12, 14, 12)
        self.box.addWidget(label(title, "sentence", wrap=True))
        grid = QGridLayout()
        for row, (words, spoken, field) in enumerate(fields):
            field.setAccessibleName(spoken)
            field.returnPressed.connect(self.apply)
            grid.addWidget(label(words, "label"), row, 0)
            grid.addWidget(field, row, 1)
        self.box.addLayout(grid)
        self.problem = label("", "bad", wrap=True)
        self.problem.hide()
        self.setFixedWidth(width)

    def apply(self) -> None:
        """Take what was typed, or say what is wrong with it."""
        raise NotImplementedError

    def say(self, words: str) -> None:
        """Say what is wrong."""
        self.problem.setText(words)
        self.problem.show()
        self.adjustSize()
