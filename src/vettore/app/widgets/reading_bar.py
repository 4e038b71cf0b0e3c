"""The bar under the plot: y at an x, every x where y, and more; answers follow as one types and can be kept."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import Elided, button, label
from vettore.app.widgets.reading_table import ReadingTable
from vettore.core.errors import DataError, VettoreError
from vettore.study import edits
from vettore.study.fits import DerivedFit
from vettore.study.kinds.readings import READINGS, DerivedReading, PlaceReading, Reading, ValueReading, read
from vettore.study.series import Role
from vettore.words import readings as words

# The first two lines ask these; the third asks what is chosen of all other kinds.
FIRST: tuple[type[Reading], ...] = (ValueReading, PlaceReading)
MORE: tuple[type[Reading], ...] = tuple(kind for kind in READINGS if kind not in FIRST)
# Hints longer than this need the wide field.
LONG_HINT = 12
QUESTION, MOST_QUESTION, FIELD, WIDE_FIELD = 112, 200, 96, 260


class ReadingBar(QWidget):
    """Asks the shown fit; the answers follow every edit."""

    read_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fit: DerivedFit | None = None
        self._refusals: dict[type[Reading], str] = {}
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        lines = QVBoxLayout(self)
        lines.setContentsMargins(18, 7, 14, 7)
        lines.setSpacing(5)
        self.fields: dict[type[Reading], QLineEdit] = {}
        self._questions, self._answers, self._asides, self.keeps = {}, {}, {}, {}
        self.more = QComboBox()
        self.more.addItems([words.READINGS[kind].label for kind in MORE])
        self.more.setAccessibleName("What else to read")
        self.more.currentIndexChanged.connect(self._ask_other)
        more_field = self._field()
        for row, asked in enumerate((*FIRST, MORE[0])):
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

    def _row_asks(self, row: int) -> type[Reading]:
        return (*FIRST, self.other)[row]

    @property
    def other(self) -> type[Reading]:
        """What the third line asks."""
        return MORE[self.more.currentIndex()]

    def _ask_other(self) -> None:
        told = words.READINGS[self.other]
        field = self.fields[MORE[0]]
        field.setPlaceholderText(told.hint)
        field.setEnabled(bool(told.hint))
        field.setFixedWidth(WIDE_FIELD if len(told.hint) > LONG_HINT else FIELD)
        field.setAccessibleName(f"Read {told.label}")
        field.clear()
        self._answer()

    def show_fit(self, fit: DerivedFit | None) -> None:
        """Ask another fit."""
        self._fit = fit
        self.setEnabled(fit is not None)
        if fit is not None:
            (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
            for asked, label_text, spoken, unit in (
                (ValueReading, f"At {x_name} =", f"Read {y_name} at {x_name}", x_unit),
                (PlaceReading, f"Where {y_name} =", f"Find {x_name} where {y_name}", y_unit),
            ):
                question = self._questions[asked]
                question.setText(label_text)
                self.fields[asked].setAccessibleName(spoken)
                self.fields[asked].setPlaceholderText(unit)
            # All three lines begin as wide as the longest needs, so that the fields stand under each other.
            needed = max(self._questions[asked].sizeHint().width() for asked in FIRST)
            for question in self._questions.values():
                question.setFixedWidth(min(max(QUESTION, needed), MOST_QUESTION))
            self.fields[ValueReading].setToolTip("One x, several, or a range: 0 … 60 every 5")
            self.fields[PlaceReading].setToolTip(
                f"A level of {y_name}; several measured signals, as 4.1; 4.3; 4.2, are averaged"
            )
        self._answer()

    def read_at(self, x: float) -> None:
        """Put an x into the field."""
        self.fields[ValueReading].setText(self._session.style.plain(f"{x:.5g}"))

    def present(self) -> list[DerivedReading]:
        """Return what is being read at the moment, kept or not; of a list of x, each."""
        found: list[DerivedReading] = []
        for asked in (*FIRST, self.other):
            found += self._derive(asked)
        return found

    def keep(self, asked: type[Reading]) -> None:
        """Keep what one line reads; a list of x is shown as a table first."""
        found = [one for one in self._derive(asked) if one.problem is None]
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
        told = words.READINGS[asked]
        self.fields[asked].clear()
        if not told.hint:
            self.more.setCurrentIndex(0)
        named = reading.changed(name=reading.given_name or told.name)
        self._session.do("keep a reading", edits.keep(self._session.study, named))

    def _derive(self, asked: type[Reading]) -> list[DerivedReading]:
        text, fit = self.fields[asked].text(), self._fit
        self._refusals.pop(asked, None)
        if fit is None or (not text.strip() and words.READINGS[asked].hint):
            return []
        kept = self._session.study.readings_of(fit.recipe.id) if fit.recipe.id else ()
        try:
            return [read(fit, reading, kept) for reading in asked.typed(text, fit.recipe.id)]
        except VettoreError as error:
            self._refusals[asked] = str(error)
            return []

    def _answer(self) -> None:
        for row, place in enumerate((*FIRST, MORE[0])):
            asked = self._row_asks(row)
            field, found = self.fields[place], self._derive(asked)
            refusal = self._refusals.get(asked, "") or self._problem(found)
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

    def _problem(self, found: list[DerivedReading]) -> str:
        """Return why the first that has no answer has none."""
        without = next((reading for reading in found if reading.problem is not None), None)
        if without is None or self._fit is None:
            return ""
        return words.reading_numbers(self._fit, without, self._session.style)

    def _words(self, found: list[DerivedReading]) -> tuple[str, str]:
        fit, style = self._fit, self._session.style
        if fit is None:
            raise DataError("There is no fit to read from.")
        if len(found) > 1:
            return f"{len(found)} values", "Enter shows them as a table"
        return words.reading_answer(fit, found[0], style), words.reading_asides(found[0], style)
