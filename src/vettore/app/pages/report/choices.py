"""The left of the Report page: title, note, what it is about, and its sections."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QLineEdit, QPlainTextEdit

from vettore.app.pages.report.present import View
from vettore.app.widgets.parts import Column, rule, section
from vettore.report.sections.listed import SECTIONS


class NoteField(QPlainTextEdit):
    """A field of several lines that says when the user has left it."""

    finished = Signal()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.finished.emit()


class Choices(Column):
    """Tells what is decided: ``changed`` with fields of the report, ``chosen`` with what it is about, ``turned`` sections."""

    changed = Signal(dict)
    chosen = Signal(str)
    turned = Signal(str, bool)

    def __init__(self) -> None:
        super().__init__("What the report holds", (10, 14, 2, 12))
        # All sections without a bar to scroll, which would cut their names, in a window 700 high.
        self.column.setSpacing(6)
        self.title = QLineEdit()
        self.title.setAccessibleName("Title of the report")
        self.title.setPlaceholderText("Title")
        self.title.editingFinished.connect(lambda: self.changed.emit({"title": self.title.text().strip()}))
        self.note = NoteField()
        self.note.finished.connect(lambda: self.changed.emit({"note": self.note.toPlainText().strip()}))
        self.note.setAccessibleName("Note under the title")
        self.note.setPlaceholderText("A note under the title …")
        self.note.setFixedHeight(58)
        self.note.setTabChangesFocus(True)
        self.curve = QComboBox()
        self.curve.setAccessibleName("The fit that is reported")
        self.curve.activated.connect(lambda place: self.chosen.emit(self.curve.itemData(place) or ""))
        self.add(section("Title"), self.title, section("Note"), self.note)
        self.add(section("About"), self.curve, rule(), section("In this report"))
        self.boxes: dict[str, QCheckBox] = {}
        for entry in SECTIONS:
            if entry.sheets:
                continue
            box = QCheckBox(entry.name)
            box.clicked.connect(lambda checked, key=entry.key: self.turned.emit(key, checked))
            self.boxes[entry.key] = box
            self.add(box)
        self.column.addStretch()

    def show_view(self, view: View) -> None:
        """Fill in what is decided."""
        self.title.setText(view.recipe.title)
        # A long title is seen from its beginning.
        self.title.setCursorPosition(0)
        if self.note.toPlainText() != view.recipe.note:
            self.note.setPlainText(view.recipe.note)
        for name, box in self.boxes.items():
            box.setChecked(name not in view.recipe.left_out)
        self.curve.clear()
        for words, identity in view.subjects:
            self.curve.addItem(words, identity)
        self.curve.setCurrentIndex(self.curve.findData(view.subject))
