"""The bar under the plot: y at an x, every x where y, and more; answers follow as one types and can be kept."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QWidget

from vettore.app.session import Session
from vettore.app.widgets.fits.reading_table import ReadingTable
from vettore.app.widgets.parts import Elided, button, label, plain_tip
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.study import edits
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings import READINGS, DerivedReading, PlaceReading, Reading, ValueReading, read
from vettore.study.series import Role
from vettore.words import readings as words

# The first two fields ask these; the third asks what is chosen of all other kinds.
FIRST: tuple[type[Reading], ...] = (ValueReading, PlaceReading)
MORE: tuple[type[Reading], ...] = tuple(kind for kind in READINGS if kind not in FIRST)
# Hints longer than this need the wide field, which takes the room of the answer.
LONG_HINT = 12
FIELD, WIDE_FIELD, MORE_WIDTH = 74, 240, 150
# Room beside the fields that the answer does not have: margins, gaps, and *Keep*.
MARGINS = 140
# Longer names of columns are x and y here.
LONGEST_NAME, NARROW = 9, 600


class ReadingBar(QWidget):
    """One line that asks the shown fit; answers follow every edit, on the plot, in the findings, and at its end.

    At the end stands the answer to what was typed last, or why there is none, with *Keep* beside it.
    """

    read_changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fit: DerivedFit | None = None
        self._refusals: dict[type[Reading], str] = {}
        self._active = 0
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        line = QHBoxLayout(self)
        line.setContentsMargins(18, 9, 14, 9)
        line.setSpacing(7)
        self.more = QComboBox()
        self.more.addItems([words.READINGS[kind].label for kind in MORE])
        self.more.setAccessibleName("What else to read")
        self.more.setFixedWidth(MORE_WIDTH)
        self.more.currentIndexChanged.connect(self._ask_other)
        self._questions = (label("", "label"), label("", "label"), self.more)
        self._row_fields = tuple(self._field(row) for row in range(3))
        self.fields: dict[type[Reading], QLineEdit] = dict(zip(FIRST, self._row_fields, strict=False))
        self.fields |= dict.fromkeys(MORE, self._row_fields[2])
        for question, field in zip(self._questions, self._row_fields, strict=True):
            line.addWidget(question)
            line.addWidget(field)
            line.addSpacing(4)
        self.answer = Elided("value")
        self.answer.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.keep_it = button("Keep", lambda: self.keep(self._row_asks(self._active)), "link", "Keep this reading")
        line.addWidget(self.answer, 1)
        line.addWidget(self.keep_it)
        self._ask_other()

    def _field(self, row: int) -> QLineEdit:
        field = QLineEdit()
        field.setFixedWidth(FIELD)
        field.textChanged.connect(lambda _text: self._typed(row))
        field.returnPressed.connect(lambda: self.keep(self._row_asks(row)))
        return field

    def _typed(self, row: int) -> None:
        """What was typed last is what is answered at the end of the line; without it, what else is asked."""
        texts = [field.text().strip() for field in self._row_fields]
        numbers = [place for place, text in enumerate(texts) if text]
        self._active = row if texts[row] or not numbers else numbers[0]
        self._answer()

    def _row_asks(self, row: int) -> type[Reading]:
        return (*FIRST, self.other)[row]

    @property
    def other(self) -> type[Reading]:
        """What the third line asks."""
        return MORE[self.more.currentIndex()]

    def _ask_other(self) -> None:
        reading_words, field = words.READINGS[self.other], self._row_fields[2]
        field.setPlaceholderText(reading_words.hint)
        field.setToolTip(reading_words.hint)
        field.setEnabled(bool(reading_words.hint))
        field.setFixedWidth(WIDE_FIELD if len(reading_words.hint) > LONG_HINT else FIELD)
        field.setAccessibleName(f"Read {reading_words.label}")
        field.clear()
        self._active = 2 if not reading_words.hint else self._active
        self._answer()

    def show_fit(self, fit: DerivedFit | None) -> None:
        """Ask another fit."""
        self._fit = fit
        self.setEnabled(fit is not None)
        if fit is not None:
            (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
            for row, spoken, unit in (
                (0, f"Read {y_name} at {x_name}", x_unit),
                (1, f"Find {x_name} where {y_name}", y_unit),
            ):
                self._row_fields[row].setAccessibleName(spoken)
                self._row_fields[row].setPlaceholderText(unit)
            longest = LONGEST_NAME if self.width() > NARROW else 1
            self._questions[0].setText(f"At {x_name if len(x_name) <= longest else 'x'} =")
            self._questions[1].setText(f"Where {y_name if len(y_name) <= longest else 'y'} =")
            self._questions[0].setToolTip(plain_tip(x_name))
            self._questions[1].setToolTip(plain_tip(y_name))
            self._row_fields[0].setToolTip("One x, several, or a range: 0 … 60 every 5")
            self._row_fields[1].setToolTip(
                f"A measured {y_name}, which scatters as the rows do. Several (4.1; 4.3; 4.2) and the mean of three (4.2 × 3) "
                "are better known; 4.2 ± 0.1 has its own ±, exactly 4.2 none"
            )
        self._answer()

    def read_at(self, x: float) -> None:
        """Put an x into the field."""
        self.fields[ValueReading].setText(self._session.style.plain(f"{x:.5g}"))

    def present(self) -> list[DerivedReading]:
        """Return what is being read at the moment, kept or not; of a list of x, each."""
        readings: list[DerivedReading] = []
        for kind in (*FIRST, self.other):
            readings += self._derive(kind)
        return readings

    def keep(self, kind: type[Reading]) -> None:
        """Keep what one line reads; a list of x is shown as a table first."""
        readings = [item for item in self._derive(kind) if item.problem is None]
        if not readings or self._fit is None:
            return
        if len(readings) > 1:
            self.table = ReadingTable(self._session, self._fit, readings, self)
            self.table.show()
            return
        if not self._fit.recipe.id:
            self._session.say("Choose a model in the line-up first; then its readings can be kept.", "bad")
            return
        reading = readings[0].recipe
        reading_words = words.READINGS[kind]
        self.fields[kind].clear()
        if not reading_words.hint:
            self.more.setCurrentIndex(0)
        named = reading.changed(name=reading.given_name or reading_words.name)
        self._session.do("keep a reading", edits.keep(self._session.study, named))

    def _derive(self, kind: type[Reading]) -> list[DerivedReading]:
        text, fit = self.fields[kind].text(), self._fit
        self._refusals.pop(kind, None)
        if fit is None or (not text.strip() and words.READINGS[kind].hint):
            return []
        kept = self._session.study.readings_of(fit.recipe.id) if fit.recipe.id else ()
        try:
            return [read(fit, reading, kept) for reading in kind.typed(text, fit.recipe.id)]
        except VettoreError as error:
            self._refusals[kind] = str(error)
            return []

    def _answer(self) -> None:
        for row, field in enumerate(self._row_fields):
            readings = self._derive(self._row_asks(row))
            refusal = self._refusals.get(self._row_asks(row), "") or self._problem(readings)
            if field.property("wrong") != bool(refusal):
                field.setProperty("wrong", bool(refusal))
                field.style().unpolish(field)
                field.style().polish(field)
            if row == self._active:
                self._tell(readings, refusal)
        self.read_changed.emit()

    def _tell(self, readings: list[DerivedReading], refusal: str) -> None:
        """Say the answer to what was typed last, or why there is none."""
        good = bool(readings) and not refusal
        answer, aside = self._words(readings) if good else ("", "")
        self.answer.setText(refusal or "   ".join(filter(None, (answer, aside))))
        self._make_room()
        self.keep_it.setVisible(good)
        self.keep_it.setText("Keep" if len(readings) == 1 else "Table")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._make_room()

    def _make_room(self) -> None:
        """Show the answer where it has room; it stands in the findings in any case."""
        fields = sum(field.width() for field in self._row_fields) + sum(
            question.sizeHint().width() for question in self._questions
        )
        room = self.width() - fields - MARGINS
        self.answer.setVisible(room >= self.answer.fontMetrics().horizontalAdvance(self.answer.text()))

    @property
    def refusals(self) -> tuple[str, ...]:
        """Why what was typed has no answer."""
        return tuple(dict.fromkeys(self._refusals.values()))

    def _problem(self, readings: list[DerivedReading]) -> str:
        """Return why the first that has no answer has none."""
        without = next((reading for reading in readings if reading.problem is not None), None)
        if without is None or self._fit is None:
            return ""
        return words.reading_numbers(self._fit, without, self._session.style)

    def _words(self, readings: list[DerivedReading]) -> tuple[str, str]:
        fit, style = self._fit, self._session.style
        if fit is None:
            raise DataError("There is no fit to read from.", Fault.NOTHING)
        if len(readings) > 1:
            return f"{len(readings)} values", "Enter shows them as a table"
        return words.reading_answer(fit, readings[0], style), words.reading_asides(readings[0], style)
