"""The bar under the plot: y at an x, every x where y, and keeping what was read."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import Elided, button, label
from vettore.core.errors import VettoreError
from vettore.core.rounding import read_number
from vettore.study import edits
from vettore.study.derive import DerivedFit, DerivedReading, read
from vettore.study.recipes import Asked, Reading
from vettore.study.series import Role


def typed_number(text: str) -> float:
    """Return the number that a person typed, with decimal comma or point. Raises VettoreError."""
    value = read_number(text)
    if value is None:
        raise VettoreError(f"“{text.strip()}” is not a number.")
    return value


class ReadingBar(QWidget):
    """Asks the shown fit; the answers follow every edit."""

    read_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fit: DerivedFit | None = None
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        grid = QGridLayout(self)
        grid.setContentsMargins(18, 7, 14, 7)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        self.fields: dict[Asked, QLineEdit] = {}
        self._questions, self._answers, self._asides, self._keeps = {}, {}, {}, {}
        for row, asked in enumerate(Asked):
            self._questions[asked] = label("", "label")
            field = QLineEdit()
            field.setFixedWidth(84)
            field.textChanged.connect(self._answer)
            field.returnPressed.connect(lambda asked=asked: self.keep(asked))
            self.fields[asked] = field
            self._answers[asked], self._asides[asked] = Elided("value"), Elided("muted")
            self._keeps[asked] = button("Keep reading", lambda asked=asked: self.keep(asked), "link")
            self._keeps[asked].hide()
            for place, widget in enumerate(
                (self._questions[asked], field, self._answers[asked], self._asides[asked], self._keeps[asked])
            ):
                grid.addWidget(widget, row, place)
        self._grid = grid
        grid.setColumnStretch(2, 1)

    def show_fit(self, fit: DerivedFit | None) -> None:
        """Ask another fit."""
        self._fit = fit
        self.setEnabled(fit is not None)
        if fit is not None:
            x, y = fit.series.column(Role.X), fit.series.column(Role.Y)
            x_name, y_name = (x.name if x else "x"), (y.name if y else "y")
            self._questions[Asked.VALUE].setText(f"At {x_name} =")
            self._questions[Asked.WHERE].setText(f"Where {y_name} =")
            self.fields[Asked.VALUE].setAccessibleName(f"Read {y_name} at {x_name}")
            self.fields[Asked.WHERE].setAccessibleName(f"Find {x_name} where {y_name}")
            self.fields[Asked.VALUE].setPlaceholderText(x.unit if x else "")
            self.fields[Asked.WHERE].setPlaceholderText(y.unit if y else "")
        self._answer()

    def read_at(self, x: float) -> None:
        """Put an x into the field."""
        self.fields[Asked.VALUE].setText(self._session.style.plain(f"{x:.5g}"))

    def present(self) -> list[DerivedReading]:
        """Return what is being read at the moment, kept or not."""
        return [read for read in (self._derive(asked) for asked in Asked) if read is not None]

    def keep(self, asked: Asked) -> None:
        """Keep the reading of one field."""
        reading = self._derive(asked)
        if reading is None or self._fit is None:
            return
        self.fields[asked].clear()
        changed = edits.keep_reading(self._session.study, self._fit.recipe.id, asked, reading.recipe.at)
        self._session.do("keep a reading", changed)

    def _derive(self, asked: Asked) -> DerivedReading | None:
        text = self.fields[asked].text()
        if self._fit is None or not text.strip():
            return None
        try:
            return read(self._fit, Reading("", self._fit.recipe.id, asked, typed_number(text)))
        except VettoreError:
            return None

    def _answer(self) -> None:
        for asked in Asked:
            field = self.fields[asked]
            reading = self._derive(asked)
            wrong = bool(field.text().strip()) and reading is None and self._fit is not None
            if field.property("wrong") != wrong:
                field.setProperty("wrong", wrong)
                field.style().unpolish(field)
                field.style().polish(field)
            self._keeps[asked].setVisible(reading is not None)
            answer, aside = self._words(asked, reading) if reading else ("", "not a number" if wrong else "")
            self._answers[asked].setText(answer)
            self._asides[asked].setText(aside)
        some = any(one.text() for one in self._asides.values())
        self._grid.setColumnStretch(3, 1 if some else 0)
        self.read_changed.emit()

    def _words(self, asked: Asked, reading: DerivedReading) -> tuple[str, str]:
        fit, style = self._fit, self._session.style
        assert fit is not None
        x_name, x_unit = fit.series.name_and_unit(Role.X)
        y_name, y_unit = fit.series.name_and_unit(Role.Y)
        if asked is Asked.VALUE and reading.value is not None:
            beside = " · ".join(style.short(one.y) for one in reading.neighbours)
            notes = ["beyond the data"] if reading.beyond else []
            notes += [f"neighbours {beside}"] if beside else []
            return f"{y_name} = {style.pair(reading.value, reading.standard_error, y_unit)}", "   ".join(notes)
        if not reading.crossings:
            return "nowhere near the data", ""
        answers = [style.pair(one.x, one.standard_error, x_unit) for one in reading.crossings]
        notes = [f"{len(answers)} places"] if len(answers) > 1 else []
        notes += ["beyond the data"] if reading.beyond else []
        return f"{x_name} = {'; '.join(answers)}", "   ".join(notes)
