"""The right of the Report page: where the report goes, how it looks, and the same work on a new file."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from vettore.app.pages.report.present import ReportView
from vettore.app.widgets.parts import Column, button, label, rule, section
from vettore.report.renderers.listed import FORMATS

MARKS = {"point": ".", "comma": ","}


class Sending(Column):
    """Tells what is asked for: ``saved`` in a format, ``changed`` fields of the report, the figure, a new file."""

    saved = Signal(object)
    changed = Signal(dict)
    figure_asked = Signal()
    file_asked = Signal()

    def __init__(self) -> None:
        super().__init__("Send the report")
        self.add(section("Send it"))
        for known in FORMATS:
            row = QWidget()
            grid = QGridLayout(row)
            grid.setContentsMargins(0, 2, 0, 2)
            grid.addWidget(label(known.name, "value"), 0, 0)
            grid.addWidget(label(known.use, "muted"), 1, 0)
            words = f"Save the report as {known.name}"
            save = button("Save …", lambda known=known: self.saved.emit(known), tip=words)
            save.setAccessibleName(words)
            grid.addWidget(save, 0, 1, 2, 1, Qt.AlignmentFlag.AlignRight)
            self.add(row)
        self.add(rule(), section("Looks"), self._looks())
        self.units = QCheckBox("simplify units")
        self.units.setToolTip("mV·L/mg for mV/(mg/L); numbers stay what they are")
        self.units.clicked.connect(lambda checked: self.changed.emit({"simple_units": checked}))
        self.dark = QCheckBox("dark page on dark screens")
        self.dark.setToolTip("Where the reader's screen is set to dark; on paper it stays light")
        self.dark.clicked.connect(lambda checked: self.changed.emit({"dark": checked}))
        self.attach = QCheckBox("take the study along")
        self.attach.setToolTip(
            "Put the study itself into the PDF or the web page, so that whoever reads it can open it"
        )
        self.attach.clicked.connect(lambda checked: self.changed.emit({"attach": checked}))
        self.change_figure = button(
            "Change a figure …", self.figure_asked.emit, "", "Words, axes, colours, marks, size"
        )
        self.change_figure.setProperty("help", "report.md#change-the-figure")
        self.new_file = button(
            "Choose the new file …", self.file_asked.emit, "", "Do all that the study keeps again on another file"
        )
        self.new_file.setProperty("help", "report.md#the-same-work-on-a-new-file")
        self.add(self.units, self.dark, self.attach, self.change_figure)
        self.add(rule(), section("The same work, new data"), self.new_file)
        self.column.addStretch()

    def _looks(self) -> QWidget:
        self.paper, self.mark = QComboBox(), QComboBox()
        self.paper.addItems(["A4", "Letter"])
        self.paper.setAccessibleName("Paper")
        self.paper.activated.connect(lambda _place: self.changed.emit({"paper": self.paper.currentText()}))
        self.mark.addItems(list(MARKS))
        self.mark.setAccessibleName("Decimal mark")
        self.mark.activated.connect(
            lambda _place: self.changed.emit({"decimal_mark": MARKS[self.mark.currentText()]})
        )
        looks = QWidget()
        grid = QGridLayout(looks)
        grid.setContentsMargins(0, 0, 0, 0)
        for row, (words, widget) in enumerate((("paper", self.paper), ("decimal mark", self.mark))):
            grid.addWidget(label(words, "label"), row, 0)
            grid.addWidget(widget, row, 1)
        return looks

    def show_view(self, view: ReportView) -> None:
        """Fill in what is decided."""
        self.paper.setCurrentText(view.recipe.paper)
        self.mark.setCurrentText(next(word for word, mark in MARKS.items() if mark == view.recipe.decimal_mark))
        self.units.setChecked(view.recipe.simple_units)
        self.dark.setChecked(view.recipe.dark)
        self.attach.setChecked(view.recipe.attach)
        self.change_figure.setEnabled(view.has_figure)
        self.new_file.setEnabled(view.has_series)
