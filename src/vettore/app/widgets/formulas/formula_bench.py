"""The bench for a formula of one's own: written, or built from terms, and saved with its meanings."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.own_models import OwnModels
from vettore.app.session import Session
from vettore.app.strip.echo import Echo
from vettore.app.widgets.formulas.formula_field import FormulaField
from vettore.app.widgets.formulas.saving_panel import SavingPanel
from vettore.app.widgets.formulas.terms_panel import TermsPanel
from vettore.app.widgets.parts import button, label
from vettore.core.errors import FormulaError, VettoreError
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.write import name_text
from vettore.core.models.model import own_model
from vettore.core.systems.read import is_system
from vettore.core.typesetting.typeset import Row, TextBox, formula_terms
from vettore.study.series import Role


class FormulaBench(QWidget):
    """``requested`` tells that a formula is to be fitted, ``several`` that it is more than one equation.

    ``spread`` tells that the bench needs much room, or no longer.
    """

    requested = Signal(str)
    several = Signal(str)
    spread = Signal(bool)

    def __init__(self, session: Session, own: OwnModels) -> None:
        super().__init__()
        self._session, self._own = session, own
        self.read: Formula | None = None
        self._is_several = False
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
        self.echo, self.remark = Echo(), label("", "muted", wrap=True)
        self.by_terms = button("Build from terms", self.turn_terms, "link", "Tick the terms of a sum")
        self.save = button("Save to my models …", self.turn_saving, "link", "Keep it for other series and studies")
        foot = QHBoxLayout()
        foot.addWidget(self.remark, 1)
        for link in (self.by_terms, self.save, button("Close", self.put_away, "link", "Put the bench away")):
            foot.addWidget(link)
        self.terms, self.saving = TermsPanel(session), SavingPanel()
        self.terms.written.connect(self.field.setText)
        self.terms.refused.connect(lambda sentence: self._tell(sentence, "bad"))
        self.saving.requested.connect(self.keep_model)
        box.addLayout(line)
        box.addWidget(self.echo)
        box.addLayout(foot)
        box.addWidget(self.terms)
        box.addWidget(self.saving)
        self.hide()

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
        self.field.set_names([name_text(column.name) for column in series.columns])
        self.terms.show_series(series)
        self._check()

    def ask(self) -> None:
        """Ask for the formula to be fitted, when it can be read, or for several equations."""
        if self._is_several:
            self.several.emit(self.field.text().strip())
            return
        text = self.whole()
        if text and self.read is not None:
            self.requested.emit(text)

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
        self.remark.setText(sentence)
        if self.remark.property("kind") != kind:
            self.remark.setProperty("kind", kind)
            self.remark.style().unpolish(self.remark)
            self.remark.style().polish(self.remark)

    def _check(self) -> None:
        series, text = self._session.series, self.whole()
        self.read = None
        self._is_several = series is not None and is_system(self.field.text())
        self.field.show_error(None)
        self.fit.setEnabled(False)
        self.save.setEnabled(False)
        if series is None or not text:
            self.echo.show_box(None)
            self._tell("Names of columns are data; every other name becomes a coefficient.")
            return
        if self._is_several:
            self.echo.show_box(None)
            self._tell("Several equations, a rate or a reaction: Enter fits them on the Equations page.")
            self.fit.setEnabled(True)
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
        left = Row(tuple(formula_terms(read.left, ()))) if read.left is not None else TextBox("y")
        self.echo.show_box(Row((left, TextBox(" = "), *formula_terms(read.right, read.coefficients))), str(read))
        over = ", ".join(read.data) or "no column"
        self._tell(f"over {over} · to be fitted: {', '.join(read.coefficients)}")
        self.fit.setEnabled(True)
        self.save.setEnabled(True)
        if self.saving.isVisible():
            self.saving.show_coefficients(read.coefficients)

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
            self.saving.show_coefficients(self.read.coefficients if self.read else ())
            self.saving.called.setFocus()

    def keep_model(self) -> None:
        """Put the formula into the library."""
        series, read = self._session.series, self.read
        if series is None or read is None:
            return
        name, note, meanings = self.saving.typed()
        if not name:
            self._tell("Give the model a name.", "bad")
            return
        x, y = (series.name_and_unit(role)[0] for role in (Role.X, Role.Y))
        try:
            self._own.keep(own_model(name, self.whole(), x, y, note, meanings))
        except VettoreError as error:
            self._tell(str(error), "bad")
            return
        self.saving.hide()
        self._tell(f"{name} is in my models now, and in the line-up.")
