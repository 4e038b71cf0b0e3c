"""What is asked of a formula that goes into the user's own models: its name, when to use it, what its coefficients mean."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.widgets.parts import button, clear, label

# Meanings on one line.
ABREAST = 3


class SavingPanel(QWidget):
    """``asked`` tells that the formula is to be saved with what was typed."""

    requested = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 0)
        self.called, self.note = QLineEdit(), QLineEdit()
        self.called.setPlaceholderText("name")
        self.note.setPlaceholderText("when to use it")
        self.called.setAccessibleName("Name of the model")
        self.note.setAccessibleName("When to use the model")
        line = QHBoxLayout()
        line.addWidget(self.called, 1)
        line.addWidget(self.note, 3)
        self.keep = button("Save", self.requested.emit, "", "Put it into my models")
        line.addWidget(self.keep)
        box.addLayout(line)
        fields = QWidget()
        self._grid = QGridLayout(fields)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self.meanings: dict[str, QLineEdit] = {}
        box.addWidget(fields)
        self.hide()

    def show_coefficients(self, names: Sequence[str]) -> None:
        """Ask for the meanings of coefficients; what was typed for the same names stays."""
        if list(self.meanings) == list(names):
            return
        kept = {name: field.text() for name, field in self.meanings.items()}
        clear(self._grid)
        self.meanings = {}
        for place, name in enumerate(names):
            field = QLineEdit(kept.get(name, ""))
            field.setPlaceholderText("what it means")
            field.setAccessibleName(f"Meaning of {name}")
            self.meanings[name] = field
            row, column = divmod(place, ABREAST)
            self._grid.addWidget(label(name, "label"), row, 2 * column)
            self._grid.addWidget(field, row, 2 * column + 1)

    def typed(self) -> tuple[str, str, dict[str, str]]:
        """Return the name, the note, and the meanings that were given."""
        meanings = {name: field.text().strip() for name, field in self.meanings.items() if field.text().strip()}
        return self.called.text().strip(), self.note.text().strip(), meanings
