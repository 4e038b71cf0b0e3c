"""The bench for a formula of one's own: written, or built from terms, and saved with its meanings."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.own_models import OwnModels
from vettore.app.session import Session
from vettore.app.strip.echo import Echo
from vettore.app.widgets.formula_field import FormulaField
from vettore.app.widgets.parts import button, clear, label
from vettore.app.widgets.value_table import ValueTable
from vettore.core.errors import FormulaError, VettoreError
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.write import name_text
from vettore.core.models.model import own_model
from vettore.core.typeset import Row, Text, formula_terms
from vettore.study.series import Role
from vettore.study.term_builder import build, offered

# Rows of the design matrix that are shown, and ticks on one line.
ROWS_SHOWN, TICKS_ABREAST = 3, 6


class FormulaBench(QWidget):
    """``asked`` tells that a formula is to be fitted, ``spread`` that the bench needs much room, or no longer."""

    asked = Signal(str)
    spread = Signal(bool)

    def __init__(self, session: Session, own: OwnModels) -> None:
        super().__init__()
        self._session, self._own = session, own
        self.read: Formula | None = None
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 8, 14, 8)
        box.setSpacing(4)
        self.field = FormulaField()
        self.field.setPlaceholderText("A*exp(-k*time) + C")
        self.field.setAccessibleName("Write your own formula")
        self.field.setToolTip("Plain mathematics over the columns; every other name is fitted. No starting values.")
        self.field.textChanged.connect(self._check)
        self.field.returnPressed.connect(self.ask)
        self.fit = button("Fit it", self.ask, "primary", "Fit this formula (Enter)")
        line = QHBoxLayout()
        line.addWidget(self.field, 1)
        line.addWidget(self.fit)
        self.echo, self.said = Echo(), label("", "muted", wrap=True)
        self.by_terms = button("Build from terms", self.turn_terms, "link", "Tick the terms of a sum")
        self.save = button("Save to my models …", self.turn_saving, "link", "Keep it for other series and studies")
        foot = QHBoxLayout()
        foot.addWidget(self.said, 1)
        for link in (self.by_terms, self.save, button("Close", self.put_away, "link", "Put the bench away")):
            foot.addWidget(link)
        self._build_terms()
        self._build_saving()
        box.addLayout(line)
        box.addWidget(self.echo)
        box.addLayout(foot)
        box.addWidget(self.terms)
        box.addWidget(self.saving)
        self.hide()

    def _build_terms(self) -> None:
        self.terms = QWidget()
        box = QVBoxLayout(self.terms)
        box.setContentsMargins(0, 4, 0, 0)
        ticks = QWidget()
        self._ticks = QGridLayout(ticks)
        self._ticks.setContentsMargins(0, 0, 0, 0)
        self.ticked: dict[str, QCheckBox] = {}
        self.term = FormulaField()
        self.term.setPlaceholderText("another term, such as time*ln(time)")
        self.term.setAccessibleName("Another term")
        self.term.returnPressed.connect(self._add_term)
        self.design = ValueTable()
        box.addWidget(ticks)
        box.addWidget(self.term)
        box.addWidget(self.design)
        self.terms.hide()

    def _build_saving(self) -> None:
        self.saving = QWidget()
        box = QVBoxLayout(self.saving)
        box.setContentsMargins(0, 4, 0, 0)
        self.called, self.note = QLineEdit(), QLineEdit()
        self.called.setPlaceholderText("name")
        self.note.setPlaceholderText("when to use it")
        self.called.setAccessibleName("Name of the model")
        self.note.setAccessibleName("When to use the model")
        line = QHBoxLayout()
        line.addWidget(self.called, 1)
        line.addWidget(self.note, 3)
        self.keep = button("Save", self.keep_model, "", "Put it into my models")
        line.addWidget(self.keep)
        box.addLayout(line)
        fields = QWidget()
        self._meanings = QGridLayout(fields)
        self._meanings.setContentsMargins(0, 0, 0, 0)
        self.meanings: dict[str, QLineEdit] = {}
        box.addWidget(fields)
        self.saving.hide()

    # What the page asks

    def open(self, text: str) -> None:
        """Come into view with a formula."""
        self.show_series()
        if not self.field.text().strip():
            self.field.setText(text)
        self._check()
        self.show()
        self.field.setFocus()

    def put_away(self) -> None:
        """Go out of view; what was written stays."""
        self.terms.hide()
        self.saving.hide()
        self.hide()
        self.spread.emit(False)

    def show_series(self) -> None:
        """Offer the names and the terms of the chosen series."""
        series = self._session.series
        if series is None:
            return
        names = [name_text(column.name) for column in series.columns]
        self.field.set_names(names)
        self.term.set_names(names)
        terms = offered(series)
        if list(self.ticked)[: len(terms)] != list(terms):
            clear(self._ticks)
            self.ticked = {}
            for term in terms:
                self._add_tick(term)
        self._check()

    def ask(self) -> None:
        """Ask for the formula to be fitted, when it can be read."""
        text = self.whole()
        if text and self.read is not None:
            self.asked.emit(text)

    def whole(self) -> str:
        """Return what was written, with y before it when there is no =."""
        text, series = self.field.text().strip(), self._session.series
        if not text or series is None or "=" in text:
            return text
        return f"{name_text(series.name_and_unit(Role.Y)[0])} = {text}"

    def say(self, sentence: str) -> None:
        """Say what is wrong."""
        self._tell(sentence, "bad")

    # Inside

    def _tell(self, sentence: str, kind: str = "muted") -> None:
        self.said.setText(sentence)
        if self.said.property("kind") != kind:
            self.said.setProperty("kind", kind)
            self.said.style().unpolish(self.said)
            self.said.style().polish(self.said)

    def _check(self) -> None:
        series, text = self._session.series, self.whole()
        self.read = None
        self.field.show_error(None)
        self.fit.setEnabled(False)
        self.save.setEnabled(False)
        if series is None or not text:
            self.echo.show_box(None)
            self._tell("Names of columns are data; every other name becomes a coefficient.")
            return
        columns = {column.name: column for column in series.columns}
        added = len(text) - len(self.field.text().strip())
        try:
            read = read_formula(text, columns)
        except FormulaError as error:
            lead = len(self.field.text()) - len(self.field.text().lstrip())
            self.field.show_error(max(error.position - added, 0) + lead)
            self._tell(f"{error.message} {error.hint}".strip(), "bad")
            return
        if not read.coefficients:
            self._tell("There is no coefficient to fit: every name is a column or a number.", "bad")
            return
        self.read = read
        left = Row(tuple(formula_terms(read.left, ()))) if read.left is not None else Text("y")
        self.echo.show_box(Row((left, Text(" = "), *formula_terms(read.right, read.coefficients))), str(read))
        over = ", ".join(read.data) or "no column"
        self._tell(f"over {over} · to be fitted: {', '.join(read.coefficients)}")
        self.fit.setEnabled(True)
        self.save.setEnabled(True)
        if self.saving.isVisible():
            self._show_meanings()

    def turn_terms(self) -> None:
        """Open or close the terms."""
        self.terms.setVisible(not self.terms.isVisible())
        self.saving.hide()
        self.spread.emit(self.terms.isVisible())

    def turn_saving(self) -> None:
        """Open or close what a saved model needs."""
        self.saving.setVisible(not self.saving.isVisible())
        self.terms.hide()
        self.spread.emit(False)
        if self.saving.isVisible():
            self._show_meanings()
            self.called.setFocus()

    def _show_meanings(self) -> None:
        wanted = self.read.coefficients if self.read else ()
        if list(self.meanings) == list(wanted):
            return
        kept = {name: field.text() for name, field in self.meanings.items()}
        clear(self._meanings)
        self.meanings = {}
        for place, name in enumerate(wanted):
            field = QLineEdit(kept.get(name, ""))
            field.setPlaceholderText("what it means")
            field.setAccessibleName(f"Meaning of {name}")
            self.meanings[name] = field
            row, column = divmod(place, 3)
            self._meanings.addWidget(label(name, "label"), row, 2 * column)
            self._meanings.addWidget(field, row, 2 * column + 1)

    def keep_model(self) -> None:
        """Put the formula into the library."""
        series, read = self._session.series, self.read
        if series is None or read is None:
            return
        name = self.called.text().strip()
        if not name:
            self._tell("Give the model a name.", "bad")
            return
        x, y = (series.name_and_unit(role)[0] for role in (Role.X, Role.Y))
        meanings = {one: field.text().strip() for one, field in self.meanings.items() if field.text().strip()}
        try:
            self._own.keep(own_model(name, self.whole(), x, y, self.note.text().strip(), meanings))
        except VettoreError as error:
            self._tell(str(error), "bad")
            return
        self.saving.hide()
        self._tell(f"{name} is in my models now, and in the line-up.")

    def _add_tick(self, term: str) -> QCheckBox:
        tick = QCheckBox(term)
        tick.toggled.connect(lambda _on: self._take_terms())
        place = len(self.ticked)
        self._ticks.addWidget(tick, place // TICKS_ABREAST, place % TICKS_ABREAST)
        self.ticked[term] = tick
        return tick

    def _add_term(self) -> None:
        text = self.term.text().strip()
        if not text or self._session.series is None:
            return
        try:
            build(self._session.series, [text])
        except FormulaError as error:
            self.term.show_error(error.position)
            self._tell(f"{error.message} {error.hint}".strip(), "bad")
            return
        except VettoreError as error:
            self._tell(str(error), "bad")
            return
        self.term.show_error(None)
        self.term.clear()
        (self.ticked.get(text) or self._add_tick(text)).setChecked(True)

    def _take_terms(self) -> None:
        """Write the sum of the ticked terms, and show its design matrix."""
        series, chosen = self._session.series, [term for term, tick in self.ticked.items() if tick.isChecked()]
        if series is None or not chosen:
            self.design.show_rows((), [], [])
            return
        try:
            terms = build(series, chosen)
        except VettoreError as error:
            self._tell(str(error), "bad")
            return
        self.field.setText(terms.formula)
        style = self._session.style
        names = [str(row + 1) for row in terms.rows[:ROWS_SHOWN].tolist()]
        shown = [
            (name, *(style.number(float(value), 5) for value in row))
            for name, row in zip(names, terms.design[:ROWS_SHOWN], strict=True)
        ]
        if len(terms.design) > ROWS_SHOWN:
            shown.append(("…", *("" for _ in terms.names)))
        full = [
            (str(row + 1), *values) for row, values in zip(terms.rows.tolist(), terms.design.tolist(), strict=True)
        ]
        self.design.show_rows(("row", *terms.names), shown, full)
