"""The right column while a figure is open: done, where the figure goes, its look for others."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox

from vettore.app.widgets.parts import Column, button, label, rule, section

FORMATS = {"svg": "SVG, its text stays text", "pdf": "PDF", "png": "PNG, 300 dpi", "tiff": "TIFF, 300 dpi"}
HINT = "Double click on words to change them, on an axis for its limits{}."
NOTES = ", on the plot to add a note with an arrow. Drag the legend, the inset and the notes"
ALL_ALIKE = ". What is decided on the first plot holds for all"


class FigureFindings(Column):
    """Signals say what is wanted of the figure."""

    done = Signal()
    save_asked = Signal(str)
    copy_asked = Signal()
    all_asked = Signal()
    usual_asked = Signal()
    keep_asked = Signal()
    take_asked = Signal()

    def __init__(self) -> None:
        super().__init__("Send the figure")
        self.back = button("Back to the report", self.done.emit, "primary")
        self.trouble = label("", "bad", wrap=True)
        self.trouble.hide()
        self.hint = label(HINT.format(NOTES), "muted", wrap=True)
        self.add(section("The figure"), self.back, self.hint, self.trouble, rule())
        self.add(section("Save it"))
        self.saves = {}
        for ending, words in FORMATS.items():
            text = f"Save the figure as {words}"
            self.saves[ending] = button(words, lambda ending=ending: self.save_asked.emit(ending), "", text)
            self.add(self.saves[ending])
        self.data = QCheckBox("with its data beside it")
        self.data.setToolTip("The rows, and each drawn curve with its band, as CSV beside the figure")
        self.add(self.data, button("Copy it", self.copy_asked.emit, "", "As a picture and as SVG"), rule())
        self.add(
            section("Its look"),
            button(
                "Use it for all figures",
                self.all_asked.emit,
                "",
                "Give all figures this look, not its words and limits",
            ),
            button("As it was at first", self.usual_asked.emit, "", "Take back all that was decided on this figure"),
            button("Keep the look …", self.keep_asked.emit, "", "Save the look as a file"),
            button("Take a look from a file …", self.take_asked.emit, "", "Give the figure the look of a file"),
        )
        self.column.addStretch()

    def show_fields(self, names: frozenset[str]) -> None:
        """Say what hands can do on the open figure, by the fields of the recipe that it has."""
        self.hint.setText(HINT.format(NOTES if "notes" in names else ALL_ALIKE if "common" in names else ""))

    def show_trouble(self, sentence: str) -> None:
        """Say what was typed or read that cannot be; nothing when all is well."""
        self.trouble.setText(sentence)
        self.trouble.setVisible(bool(sentence))
