"""The panel of the same work on a new file: its columns above, old and new numbers below."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QWidget

from vettore.app.pages.again.present import NO_COLUMN, Again, Question
from vettore.app.widgets.parts import Column, about, button, clear, label, rule, section

HEADINGS = ("", "now", "new file", "difference")


class AgainPanel(Column):
    """Draws the work on a new file; signals say which column was chosen for another, and what is wanted of it."""

    column_chosen = Signal(str, str)
    taken = Signal()
    saved = Signal()
    other_asked = Signal()
    closed = Signal()

    def __init__(self) -> None:
        super().__init__("The same work on a new file", (24, 20, 24, 20))
        self.title = label("", "head", wrap=True)
        self.trouble = label("", "bad", wrap=True)
        self.combos: dict[str, QComboBox] = {}
        self._columns, self._numbers = QWidget(), QWidget()
        self._columns_box, self._numbers_box = QGridLayout(self._columns), QGridLayout(self._numbers)
        for grid in (self._columns_box, self._numbers_box):
            grid.setContentsMargins(0, 0, 0, 0)
            grid.setHorizontalSpacing(18)
        self._numbers_box.setColumnStretch(0, 1)
        self._columns_title, self._numbers_title = section("Its columns"), section("Old and new")
        self.take = button(
            "Put it in this study",
            self.taken.emit,
            "primary",
            "The new data under the same work; Ctrl+Z takes it back",
        )
        self.save = button("Save as a study …", self.saved.emit)
        self.other = button("Another file …", self.other_asked.emit)
        self.back = button("Back to the report", self.closed.emit)
        buttons = QWidget()
        line = QHBoxLayout(buttons)
        line.setContentsMargins(0, 0, 0, 0)
        for item in (self.take, self.save, self.other, self.back):
            line.addWidget(item)
        line.addStretch()
        self.add(self.title, self.trouble, self._columns_title, self._columns, rule(), self._numbers_title)
        self.add(self._numbers, buttons)
        self.column.addStretch()
        about("report.md#the-same-work-on-a-new-file", self)

    def draw(self, again: Again) -> None:
        """Show the work on a file."""
        self.title.setText(f"The same work on {again.name}")
        self.trouble.setText(again.trouble)
        self.trouble.setVisible(bool(again.trouble))
        self._draw_columns(again.questions)
        clear(self._numbers_box)
        self._numbers_title.setVisible(bool(again.lines))
        for place, words in enumerate(HEADINGS):
            if again.lines:
                self._put(0, place, label(words, "muted"))
        for row, line in enumerate(again.lines, 1):
            for place, (words, kind) in enumerate(
                (
                    (line.name, "label"),
                    (line.old, "value"),
                    (line.new, "value"),
                    (line.apart, "bad" if line.far else "value"),
                )
            ):
                self._put(row, place, label(words, kind, wrap=place == 0))
        for item in (self.take, self.save):
            item.setEnabled(again.study is not None)

    def _put(self, row: int, place: int, widget: QLabel) -> None:
        side = Qt.AlignmentFlag.AlignLeft if place == 0 else Qt.AlignmentFlag.AlignRight
        widget.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._numbers_box.addWidget(widget, row, place, side if place else Qt.AlignmentFlag(0))

    def _draw_columns(self, questions: tuple[Question, ...]) -> None:
        clear(self._columns_box)
        self.combos = {}
        for row, question in enumerate(questions):
            combo = self.combos[question.wanted] = QComboBox()
            combo.addItems([NO_COLUMN, *question.there])
            combo.setCurrentText(question.likely)
            combo.setAccessibleName(f"The column of the new file for {question.wanted}")
            combo.activated.connect(
                lambda _place, wanted=question.wanted, combo=combo: self.column_chosen.emit(
                    wanted, combo.currentText()
                )
            )
            self._columns_box.addWidget(label(question.wanted, "label"), row, 0)
            self._columns_box.addWidget(combo, row, 1)
            self._columns_box.addWidget(label(question.how, "muted"), row, 2)
        self._columns_box.setColumnStretch(2, 1)
