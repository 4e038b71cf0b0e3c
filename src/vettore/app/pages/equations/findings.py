"""The right column of the Equations page: whether to believe it, coefficients, columns, doubts, what was read."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.pages.equations.present import EquationsView
from vettore.app.widgets.parts import Column, Elided, Pairs, about, button, clear, label, rule, section, unbroken


class EquationsFindings(Column):
    """Draws what a view says of a system."""

    report_asked = Signal()
    hold_turned = Signal(str)
    unkeep_asked = Signal(int)

    def __init__(self) -> None:
        super().__init__("What the equations say")
        self.sentence = label("", "sentence", wrap=True)
        self.report = button("Report", self.report_asked.emit, "primary", "The report with these equations")
        self._coefficients, self._looks, self._readings = QWidget(), QWidget(), QWidget()
        self._grid = QGridLayout(self._coefficients)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnStretch(1, 1)
        self._look_box, self._reading_box = QVBoxLayout(self._looks), QVBoxLayout(self._readings)
        for box in (self._look_box, self._reading_box):
            box.setContentsMargins(0, 0, 0, 0)
            box.setSpacing(6)
        self.numbers = Pairs()
        self._titles = {
            "coefficients": section("Coefficients"),
            "looks": section("To look at"),
            "readings": section("Readings"),
            "numbers": section("Columns"),
        }
        self.add(section("What the equations say"), self.sentence, self.report, rule())
        self.add(self._titles["coefficients"], self._coefficients, self._titles["looks"], self._looks)
        self.add(self._titles["readings"], self._readings, self._titles["numbers"], self.numbers)
        self.column.addStretch()
        about("equations.md#whether-to-believe-it", self._looks, self.sentence)
        about("equations.md#read-numbers", self._readings)
        self._shown: object = None

    def draw(self, view: EquationsView) -> None:
        """Show a view."""
        self.sentence.setText(view.refusal or view.sentence or "—")
        self.report.setVisible(bool(view.kept) and view.system is not None)
        self.numbers.show_pairs(view.numbers)
        shown = (view.coefficients, view.doubts, view.notes, tuple((line.place, line.line) for line in view.readings))
        if shown != self._shown:
            self._shown = shown
            self._draw_coefficients(view)
            self._draw_looks(view)
            self._draw_readings(view)
        self._titles["coefficients"].setVisible(bool(view.coefficients))
        self._titles["looks"].setVisible(bool(view.doubts or view.notes))
        self._titles["looks"].setText("TO LOOK AT" if view.doubts else "TO KNOW")
        self._titles["readings"].setVisible(bool(view.readings))
        self._titles["numbers"].setVisible(bool(view.numbers))

    def _draw_coefficients(self, view: EquationsView) -> None:
        clear(self._grid)
        for place, (entry, text, reach) in enumerate(view.coefficients):
            row = 2 * place
            value = label(unbroken(text), "value", wrap=True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            value.setToolTip(f"{entry.name} = {entry.value!r} ± {entry.standard_error!r}")
            self._grid.addWidget(label(entry.name, "value"), row, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(value, row, 1, Qt.AlignmentFlag.AlignTop)
            hold = button(
                "let go" if entry.held else "hold", lambda name=entry.name: self.hold_turned.emit(name), "link"
            )
            hold.setAccessibleName(f"{'Let go of' if entry.held else 'Hold'} {entry.name}")
            self._grid.addWidget(hold, row, 2, Qt.AlignmentFlag.AlignTop)
            if entry.low is not None or entry.high is not None:
                self._grid.addWidget(label(reach, "muted"), row + 1, 1, 1, 2)

    def _draw_looks(self, view: EquationsView) -> None:
        box = self._look_box
        clear(box)
        for sentence in view.doubts:
            box.addWidget(label(sentence, "look", wrap=True))
        for sentence in view.notes:
            box.addWidget(label(sentence, "muted", wrap=True))

    def _draw_readings(self, view: EquationsView) -> None:
        box = self._reading_box
        clear(box)
        seen: set[int] = set()
        for entry in view.readings:
            holder = QWidget()
            line = QHBoxLayout(holder)
            line.setContentsMargins(0, 0, 0, 0)
            what = Elided("label")
            what.setText(entry.line.label)
            line.addWidget(what, 1)
            line.addWidget(label(entry.line.text, "value"))
            if entry.place not in seen:
                seen.add(entry.place)
                away = button(
                    "×", lambda place=entry.place: self.unkeep_asked.emit(place), "link", "Let go of this reading"
                )
                away.setAccessibleName(f"Let go of {entry.line.label}")
                line.addWidget(away)
            box.addWidget(holder)
