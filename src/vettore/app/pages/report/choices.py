"""The left of the Report page: title, note, what it is about, and its sections."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtGui import QFocusEvent
from PySide6.QtWidgets import QComboBox, QLineEdit, QPlainTextEdit

from vettore.app.pages.report.present import ReportView
from vettore.app.pages.report.section_list import SectionList
from vettore.app.widgets.parts import Column, rule, section
from vettore.study.kinds.report import ReportRecipe


class NoteField(QPlainTextEdit):
    """A field of several lines that says when the user has left it."""

    finished = Signal()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.finished.emit()


class ReportChoices(Column):
    """Tells what is decided: ``changed`` with fields of the report, ``chosen`` with what it is about, ``turned`` sections."""

    changed = Signal(dict)
    chosen = Signal(str)
    turned = Signal(str, bool)

    def __init__(self) -> None:
        super().__init__("What the report holds", (10, 14, 2, 12))
        # All sections without a bar to scroll, which would cut their names, in a window 700 high.
        self.column.setSpacing(6)
        self._recipe = ReportRecipe()
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
        self.add(section("About"), self.curve, rule(), section("Sections"))
        self.sections = SectionList()
        self.sections.turned.connect(self.turned)
        self.sections.moved.connect(lambda keys: self.changed.emit({"order": keys}))
        self.sections.titled.connect(lambda key, title: self._tell_words("titles", key, title))
        self.sections.currentRowChanged.connect(lambda _row: self._show_words())
        # Under the heading of the section that is chosen.
        self.words = NoteField()
        self.words.setPlaceholderText("Choose a section to write under its heading …")
        self.words.setFixedHeight(58)
        self.words.setTabChangesFocus(True)
        self._about = ""
        self.words.finished.connect(lambda: self._tell_words("notes", self._about, self.words.toPlainText().strip()))
        self.add(self.sections, self.words)
        self.column.addStretch()

    def _tell_words(self, field: str, key: str, words: str) -> None:
        """Tell the titles or notes of all sections, with other words for one of them."""
        kept = {**dict(getattr(self._recipe, field)), key: words}
        if key:
            self.changed.emit({field: tuple((name, text) for name, text in kept.items() if text)})

    def _show_words(self) -> None:
        """Show the words under the heading of the section that is chosen."""
        key = self._about = self.sections.chosen
        self.words.setEnabled(bool(key))
        name = self.sections.item_of(key).text() if key else ""
        self.words.setPlaceholderText(
            f"Words under “{name}” …" if key else "Choose a section to write under its heading …"
        )
        self.words.setAccessibleName(f"Words under {name}" if key else "Words under a section")
        text = dict(self._recipe.notes).get(key, "")
        if self.words.toPlainText() != text:
            self.words.setPlainText(text)

    def show_view(self, view: ReportView) -> None:
        """Fill in what is decided."""
        self.title.setText(view.recipe.title)
        # A long title is seen from its beginning.
        self.title.setCursorPosition(0)
        if self.note.toPlainText() != view.recipe.note:
            self.note.setPlainText(view.recipe.note)
        self._recipe = view.recipe
        self.sections.show_recipe(view.recipe)
        self._show_words()
        self.curve.clear()
        for words, identity in view.subjects:
            self.curve.addItem(words, identity)
        self.curve.setCurrentIndex(self.curve.findData(view.subject))
