"""Make practice data: formula, true coefficients, x, noise and seed, with a live preview on the plot."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from vettore.app.widgets.parts import Column, button, clear, label, section
from vettore.core.columns.practice_data import MadeNoise, PracticeData, Spacing, practice, practice_x
from vettore.core.errors import Fault, VettoreError
from vettore.core.formula import read_formula
from vettore.core.rounding import NumberStyle, read_number
from vettore.study.fitting.planned import Scatter, plan_practice
from vettore.words.next_rows import plan_in_words

# Rows where they tell most, beside the ways in which they may be spread.
PLANNED = "where they tell most"
TIP = Qt.ItemDataRole.ToolTipRole
START = {"formula": "y = A*exp(-k*t) + C", "A": "6", "k": "0.04", "C": "2"}


class PracticePanel(Column):
    """The panel; ``previewed`` gives the rows as they would be, or None while something is missing."""

    previewed = Signal(object)

    def __init__(self, make: Callable[[PracticeData], None], leave: Callable[[], None]) -> None:
        super().__init__("Practice data")
        self._make = make
        self.formula = QLineEdit(START["formula"])
        self.formula.setAccessibleName("Formula of the practice data")
        self._values: dict[str, QLineEdit] = {}
        self._typed = dict(START)
        self._coefficients = QWidget()
        self._grid = QGridLayout(self._coefficients)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self.low, self.high, self.count = QLineEdit("0"), QLineEdit("100"), QLineEdit("40")
        self.noise, self.outliers, self.seed = QLineEdit("0.1"), QLineEdit("0"), QLineEdit("1")
        self.spacing, self.kind, self.wanted = QComboBox(), QComboBox(), QComboBox()
        self.spacing.addItems([*map(str, Spacing), PLANNED])
        self.spacing.setItemData(len(Spacing), "Before there are data: the places from which most is known", TIP)
        self.plan = label("", "sentence", wrap=True)
        self.kind.addItems([str(noise) for noise in MadeNoise])
        fields = QWidget()
        grid = QGridLayout(fields)
        grid.setContentsMargins(0, 0, 0, 0)
        lines = (
            ("x from", self.low),
            ("to", self.high),
            ("rows", self.count),
            ("spread", self.spacing),
            ("to know better", self.wanted),
            ("noise", self.kind),
            ("its size", self.noise),
            ("outliers", self.outliers),
            ("seed", self.seed),
        )
        for row, (words, field) in enumerate(lines):
            field.setAccessibleName(f"Practice data: {words}")
            called = label(words, "label")
            grid.addWidget(called, row, 0)
            grid.addWidget(field, row, 1)
            if field is self.wanted:
                self._of_plans = (called, field)
        self.problem = label("", "bad", wrap=True)
        self.make = button("Make the series", self._finish, "primary")
        self.add(section("Practice data"), self.formula, section("True coefficients"), self._coefficients)
        self.add(section("Rows and noise"), fields, self.plan, self.problem, self.make, button("Leave it", leave))
        self.column.addStretch()
        self.formula.textChanged.connect(self._read)
        for field in (self.low, self.high, self.count, self.noise, self.outliers, self.seed):
            field.textChanged.connect(self.preview)
        for box in (self.spacing, self.kind, self.wanted):
            box.currentIndexChanged.connect(self.preview)
        self._read()

    def _read(self) -> None:
        """Offer a field for every coefficient; the last name without a likely value is x."""
        try:
            formula = read_formula(self.formula.text())
        except VettoreError as error:
            self._refuse(str(error))
            return
        x = next((name for name in formula.coefficients if name in ("x", "t", "time")), None)
        wanted = [name for name in formula.coefficients if name != (x or formula.coefficients[-1])]
        if list(self._values) != wanted:
            self._typed.update({name: field.text() for name, field in self._values.items()})
            clear(self._grid)
            self._values = {}
            for row, name in enumerate(wanted):
                field = QLineEdit(self._typed.get(name, "1"))
                field.setAccessibleName(f"True value of {name}")
                field.textChanged.connect(self.preview)
                self._values[name] = field
                self._grid.addWidget(label(name, "label"), row, 0)
                self._grid.addWidget(field, row, 1)
            self.wanted.blockSignals(True)
            self.wanted.clear()
            self.wanted.addItems(["all coefficients", *wanted])
            self.wanted.blockSignals(False)
        self.preview()

    def data(self) -> PracticeData:
        """Return the rows. Raises VettoreError."""
        values = {name: self._number(field) for name, field in self._values.items()}
        low, high, count = self._number(self.low), self._number(self.high), int(self._number(self.count))
        if self.spacing.currentText() == PLANNED:
            improve = "all" if self.wanted.currentIndex() <= 0 else self.wanted.currentText()
            scatter = Scatter(self._number(self.noise), MadeNoise(self.kind.currentText()))
            plan = plan_practice(self.formula.text(), values, (low, high), count, improve, scatter)
            x = np.array(plan.x)
            self.plan.setText(plan_in_words(plan, improve, NumberStyle()))
        else:
            x = practice_x(low, high, count, self.spacing.currentText(), int(self._number(self.seed)))
            self.plan.setText("")
        return practice(
            self.formula.text(),
            values,
            x,
            noise=self._number(self.noise),
            seed=int(self._number(self.seed)),
            kind=self.kind.currentText(),
            outliers=int(self._number(self.outliers)),
        )

    def preview(self) -> None:
        """Show the rows as they would be."""
        for widget in self._of_plans:
            widget.setVisible(self.spacing.currentText() == PLANNED)
        try:
            practice_data = self.data()
        except (VettoreError, ValueError) as error:
            self._refuse(str(error))
            return
        self.problem.setText("")
        self.make.setEnabled(True)
        self.previewed.emit(practice_data)

    def _refuse(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.make.setEnabled(False)
        self.previewed.emit(None)

    def _finish(self) -> None:
        self._make(self.data())

    @staticmethod
    def _number(field: QLineEdit) -> float:
        value = read_number(field.text())
        if value is None:
            raise VettoreError(f"{field.accessibleName()}: “{field.text()}” is not a number.", Fault.NOT_A_NUMBER)
        return value
