"""What can be decided about a column, in a small form under its header."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import button, label, rule
from vettore.app.widgets.popup import Popup
from vettore.core import units
from vettore.core.errors import Fault, VettoreError
from vettore.core.rounding import read_number
from vettore.study import edits
from vettore.study.columns import ColumnSettings
from vettore.study.series import Role
from vettore.study.study import Study

NUMBER_ROLES = [role for role in Role if role is not Role.TEXT]


class ColumnPopup(Popup):
    """Name, unit, role, digits, formula or conversion; sorting, moving, removing."""

    def __init__(self, session: Session, place: int, parent: QWidget) -> None:
        super().__init__(parent, once=True)
        self._session, self._place = session, place
        series = session.series
        assert series is not None
        self._series = series
        self._column = series.columns[place]
        self._text = series.data[place].texts is not None
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 12)
        box.addLayout(self._fields())
        self.problem = label("", "bad", wrap=True)
        self.problem.hide()
        box.addWidget(self.problem)
        box.addWidget(button("Apply", self.apply, "primary"))
        box.addWidget(rule())
        box.addLayout(self._actions())
        self.setFixedWidth(300)

    def _fields(self) -> QGridLayout:
        column = self._column
        self.name, self.unit = QLineEdit(column.name), QLineEdit(column.unit)
        self.role, self.places, self.convert = QComboBox(), QLineEdit(), QLineEdit()
        self.role.addItems([str(role) for role in ([Role.TEXT] if self._text else NUMBER_ROLES)])
        self.role.setCurrentText(str(column.role))
        self.places.setText("" if column.places is None else str(column.places))
        self.places.setPlaceholderText("as they came")
        self.convert.setPlaceholderText("another unit")
        self.formula = QLineEdit(column.formula)
        rows: list[tuple[str, QWidget]] = [("name", self.name), ("unit", self.unit), ("role", self.role)]
        if not self._text:
            rows.append(("decimal places", self.places))
            rows.append(("formula", self.formula) if column.raw is None else ("convert to", self.convert))
        grid = QGridLayout()
        for row, (words, field) in enumerate(rows):
            field.setAccessibleName(f"Column {words}")
            grid.addWidget(label(words, "label"), row, 0)
            grid.addWidget(field, row, 1)
            if isinstance(field, QLineEdit):
                field.returnPressed.connect(self.apply)
        return grid

    def _actions(self) -> QHBoxLayout:
        box = QHBoxLayout()
        box.setSpacing(2)
        box.addWidget(button("Sort ↑", lambda: self._sort(False), "link", "Show the rows by rising values"))
        box.addWidget(button("Sort ↓", lambda: self._sort(True), "link", "Show the rows by falling values"))
        if self._series.sort is not None:
            box.addWidget(button("Unsort", self._unsort, "link", "Show the rows as they came"))
        for words, step in (("←", -1), ("→", 1)):
            box.addWidget(button(words, lambda step=step: self._move(step), "link", "Move the column"))
        box.addWidget(button("Take out", self._remove, "link", "Take the column out of view; undo brings it back"))
        return box

    def apply(self) -> None:
        """Make what is set so, as one edit."""
        try:
            changed = self._wanted()
            study = edits.set_column(self._session.study, self._series.id, self._place, changed)
        except VettoreError as error:
            self.problem.setText(str(error))
            self.problem.show()
            self.adjustSize()
            return
        self.close()
        if changed != self._column:
            self._session.do(f"change column {changed.name}", study)

    def _wanted(self) -> ColumnSettings:
        text = self.places.text().strip()
        places = read_number(text) if text else None
        if text and (places is None or not 0 <= places <= 15 or places != int(places)):
            raise VettoreError("Decimal places are a whole number from 0 to 15.", Fault.OUT_OF_BOUNDS)
        changed = replace(
            self._column,
            name=self.name.text().strip(),
            unit=self.unit.text().strip(),
            role=Role(self.role.currentText()),
            places=None if places is None else int(places),
            formula=self.formula.text().strip() if self._column.raw is None else "",
        )
        target = self.convert.text().strip()
        if target and self._column.raw is not None:
            factor, offset = units.conversion(self._column.unit, target)
            changed = replace(
                changed,
                unit=target,
                factor=self._column.factor * factor,
                offset=self._column.offset * factor + offset,
            )
        return changed

    def _do(self, words: str, study: Study) -> None:
        self.close()
        self._session.do(words, study)

    def _sort(self, falling: bool) -> None:
        study = edits.sort_rows(self._session.study, self._series.id, self._place, falling)
        self._do(f"sort by {self._column.name}", study)

    def _unsort(self) -> None:
        self._do("show rows as they came", edits.unsort_rows(self._session.study, self._series.id))

    def _move(self, step: int) -> None:
        to = min(max(self._place + step, 0), len(self._series.columns) - 1)
        if to != self._place:
            study = edits.move_column(self._session.study, self._series.id, self._place, to)
            self._do(f"move {self._column.name}", study)

    def _remove(self) -> None:
        study = edits.remove_column(self._session.study, self._series.id, self._place)
        self._do(f"take {self._column.name} out", study)

    def show_at(self, where: QPoint) -> None:
        """Open under a header."""
        self.move(where)
        self.show()
        self.name.setFocus()
        self.name.selectAll()
