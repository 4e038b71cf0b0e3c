"""The bar under the plot: y at an x, every x where y, and more; answers follow as one types and can be kept."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import Elided, button, label
from vettore.app.widgets.reading_table import ReadingTable
from vettore.core.errors import DataError, VettoreError
from vettore.core.typed import limits_in, numbers_in
from vettore.report.readings import reading_answer, reading_asides
from vettore.study import edits
from vettore.study.derive import DerivedFit
from vettore.study.readings import DerivedReading, read, split_formula
from vettore.study.recipes import Asked, Reading
from vettore.study.series import Role

# What the third line can ask, with what is typed for it.
MORE = {
    Asked.SLOPE: ("slope at", "x"),
    Asked.AREA: ("area from", "10 … 60"),
    Asked.TURNS: ("tops and bottoms", ""),
    Asked.FORMULA: ("number", "Q = M/area where M = 500 ± 2 mg"),
}
NAMES = {Asked.AREA: "area", Asked.SLOPE: "slope", Asked.VALUE: "value", Asked.WHERE: "place", Asked.TURNS: ""}


QUESTION, MOST_QUESTION, FIELD, WIDE_FIELD = 112, 200, 96, 260


class ReadingBar(QWidget):
    """Asks the shown fit; the answers follow every edit."""

    read_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fit: DerivedFit | None = None
        self._refusals: dict[Asked, str] = {}
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        lines = QVBoxLayout(self)
        lines.setContentsMargins(18, 7, 14, 7)
        lines.setSpacing(5)
        self.fields: dict[Asked, QLineEdit] = {}
        self._questions, self._answers, self._asides, self.keeps = {}, {}, {}, {}
        self.more = QComboBox()
        self.more.addItems([words for words, _ in MORE.values()])
        self.more.setAccessibleName("What else to read")
        self.more.currentIndexChanged.connect(self._ask_other)
        more_field = self._field()
        for row, asked in enumerate((Asked.VALUE, Asked.WHERE, Asked.SLOPE)):
            self._questions[asked] = label("", "label") if row < 2 else self.more
            self.fields[asked] = self._field() if row < 2 else more_field
            self._answers[asked], self._asides[asked] = Elided("value"), Elided("muted")
            self.keeps[asked] = button("Keep", lambda row=row: self.keep(self._row_asks(row)), "link")
            self.keeps[asked].hide()
            self.fields[asked].returnPressed.connect(lambda row=row: self.keep(self._row_asks(row)))
            line = QHBoxLayout()
            line.setSpacing(8)
            self._questions[asked].setFixedWidth(QUESTION)
            for widget, stretch in (
                (self._questions[asked], 0),
                (self.fields[asked], 0),
                (self._answers[asked], 4),
                (self._asides[asked], 3),
                (self.keeps[asked], 0),
            ):
                line.addWidget(widget, stretch)
            lines.addLayout(line)
        for other in MORE:
            self.fields[other] = more_field
        self._ask_other()

    def _field(self) -> QLineEdit:
        field = QLineEdit()
        field.setFixedWidth(FIELD)
        field.textChanged.connect(self._answer)
        return field

    def _row_asks(self, row: int) -> Asked:
        return (Asked.VALUE, Asked.WHERE, self.other)[row]

    @property
    def other(self) -> Asked:
        """What the third line asks."""
        return list(MORE)[self.more.currentIndex()]

    def _ask_other(self) -> None:
        words, hint = MORE[self.other]
        field = self.fields[Asked.SLOPE]
        field.setPlaceholderText(hint)
        field.setEnabled(self.other is not Asked.TURNS)
        field.setFixedWidth(WIDE_FIELD if self.other is Asked.FORMULA else FIELD)
        field.setAccessibleName(f"Read {words}")
        field.clear()
        self._answer()

    def show_fit(self, fit: DerivedFit | None) -> None:
        """Ask another fit."""
        self._fit = fit
        self.setEnabled(fit is not None)
        if fit is not None:
            (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
            for asked, words, spoken, unit in (
                (Asked.VALUE, f"At {x_name} =", f"Read {y_name} at {x_name}", x_unit),
                (Asked.WHERE, f"Where {y_name} =", f"Find {x_name} where {y_name}", y_unit),
            ):
                question = self._questions[asked]
                question.setText(words)
                self.fields[asked].setAccessibleName(spoken)
                self.fields[asked].setPlaceholderText(unit)
            # All three lines begin as wide as the longest needs, so that the fields stand under each other.
            needed = max(self._questions[asked].sizeHint().width() for asked in (Asked.VALUE, Asked.WHERE))
            for question in self._questions.values():
                question.setFixedWidth(min(max(QUESTION, needed), MOST_QUESTION))
            self.fields[Asked.VALUE].setToolTip("One x, several, or a range: 0 … 60 every 5")
            self.fields[Asked.WHERE].setToolTip(
                f"A level of {y_name}; several measured signals, as 4.1; 4.3; 4.2, are averaged"
            )
        self._answer()

    def read_at(self, x: float) -> None:
        """Put an x into the field."""
        self.fields[Asked.VALUE].setText(self._session.style.plain(f"{x:.5g}"))

    def present(self) -> list[DerivedReading]:
        """Return what is being read at the moment, kept or not; of a list of x, each."""
        found: list[DerivedReading] = []
        for asked in (Asked.VALUE, Asked.WHERE, self.other):
            found += self._derive(asked)
        return found

    def keep(self, asked: Asked) -> None:
        """Keep what one line reads; a list of x is shown as a table first."""
        found = [one for one in self._derive(asked) if not one.problem]
        if not found or self._fit is None:
            return
        if len(found) > 1:
            self.table = ReadingTable(self._session, self._fit, found, self)
            self.table.show()
            return
        if not self._fit.recipe.id:
            self._session.say("Choose a model in the line-up first; then its readings can be kept.", "bad")
            return
        reading = found[0].recipe
        name = split_formula(reading.formula)[0] if reading.formula else NAMES[asked]
        self.fields[asked].clear()
        if asked is Asked.TURNS:
            self.more.setCurrentIndex(0)
        given = Reading("", reading.curve, asked, reading.at, name, reading.to, reading.signals, reading.formula)
        self._session.do("keep a reading", edits.keep(self._session.study, given))

    def _asked(self, asked: Asked, text: str) -> list[Reading]:
        """Return the readings that a line asks for. Raises VettoreError."""
        curve = self._fit.recipe.id if self._fit else ""
        match asked:
            case Asked.TURNS:
                return [Reading("", curve, asked)]
            case Asked.AREA:
                a, b = limits_in(text)
                return [Reading("", curve, asked, a, to=b)]
            case Asked.FORMULA:
                return [Reading("", curve, asked, formula=text.strip())]
            case Asked.WHERE:
                signals = numbers_in(text)
                several = tuple(signals) if len(signals) > 1 else ()
                return [Reading("", curve, asked, float(np.mean(signals)), signals=several)]
            case Asked.SLOPE:
                return [Reading("", curve, asked, numbers_in(text)[0])]
            case _:
                return [Reading("", curve, asked, x) for x in numbers_in(text)]

    def _derive(self, asked: Asked) -> list[DerivedReading]:
        text, fit = self.fields[asked].text(), self._fit
        self._refusals.pop(asked, None)
        if fit is None or (not text.strip() and asked is not Asked.TURNS):
            return []
        kept = self._session.study.readings_of(fit.recipe.id) if fit.recipe.id else ()
        try:
            return [read(fit, one, kept) for one in self._asked(asked, text)]
        except VettoreError as error:
            self._refusals[asked] = str(error)
            return []

    def _answer(self) -> None:
        for row, place in enumerate((Asked.VALUE, Asked.WHERE, Asked.SLOPE)):
            asked = self._row_asks(row)
            field, found = self.fields[place], self._derive(asked)
            refusal = self._refusals.get(asked, "") or next((one.problem for one in found if one.problem), "")
            if field.property("wrong") != bool(refusal):
                field.setProperty("wrong", bool(refusal))
                field.style().unpolish(field)
                field.style().polish(field)
            good = bool(found) and not refusal
            self.keeps[place].setVisible(good)
            self.keeps[place].setText("Keep" if len(found) == 1 else "Table")
            answer, aside = self._words(found) if good else ("", "")
            self._answers[place].setText(answer)
            self._asides[place].setText(refusal or aside)
            self._asides[place].setVisible(bool(refusal or aside))
        self.read_changed.emit()

    def _words(self, found: list[DerivedReading]) -> tuple[str, str]:
        fit, style = self._fit, self._session.style
        if fit is None:
            raise DataError("There is no fit to read from.")
        if len(found) > 1:
            return f"{len(found)} values", "Enter shows them as a table"
        return reading_answer(fit, found[0], style), reading_asides(found[0], style)
