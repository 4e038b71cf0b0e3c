"""Work out a column: a name, a formula over other columns, a unit; errors are said as one types."""

from __future__ import annotations

from PySide6.QtWidgets import QLineEdit

from vettore.app.session import Session
from vettore.app.widgets.bar import Bar
from vettore.app.widgets.parts import Elided, button, label
from vettore.core.errors import FormulaError, VettoreError
from vettore.core.formula.formula import read_expression
from vettore.study import edits
from vettore.study.columns import column_names
from vettore.study.series import Series


class ColumnBar(Bar):
    """``name = formula`` with a unit; adding makes a live column."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        box = self.row
        self.name, self.formula, self.unit = QLineEdit(), QLineEdit(), QLineEdit()
        for field, words, width in ((self.name, "name", 90), (self.unit, "unit", 64)):
            field.setPlaceholderText(words)
            field.setFixedWidth(width)
        self.formula.setPlaceholderText("ln(oxygen), 2 time, slope …")
        self.name.setAccessibleName("Name of the worked column")
        self.formula.setAccessibleName("Formula of the worked column")
        self.unit.setAccessibleName("Unit of the worked column")
        self.problem = Elided("muted")
        self.add = button("Work it out", self._add, tip="Add a column that follows its formula")
        for widget, stretch in ((self.name, 0), (label("=", "label"), 0), (self.formula, 3), (self.unit, 0)):
            box.addWidget(widget, stretch)
        box.addWidget(self.problem, 2)
        box.addWidget(self.add)
        self.formula.textChanged.connect(self._check)
        self.formula.returnPressed.connect(self._add)
        self.unit.returnPressed.connect(self._add)

    def _check(self) -> None:
        series, text = self._session.series, self.formula.text().strip()
        self.problem.setText("")
        if series is None or not text:
            return
        try:
            read_expression(text, column_names(series.columns))
        except FormulaError as error:
            self.problem.setText(f"{error.message} {error.hint}")

    def _add(self) -> None:
        series = self._session.series
        if series is None or not self.formula.text().strip():
            return
        name = self.name.text().strip() or self._free_name(series)
        try:
            study = edits.add_worked_column(
                self._session.study, series.id, name, self.unit.text().strip(), self.formula.text().strip()
            )
        except VettoreError as error:
            self.problem.setText(str(error))
            return
        self._session.do(f"work out {name}", study)
        for field in (self.name, self.formula, self.unit):
            field.clear()

    @staticmethod
    def _free_name(series: Series) -> str:
        taken = {column.name for column in series.columns}
        return next(f"c{i}" for i in range(1, 10_000) if f"c{i}" not in taken)
