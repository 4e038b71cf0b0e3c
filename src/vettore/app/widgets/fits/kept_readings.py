"""The kept readings of a fit: what each says now; each can be named, copied and let go."""

from __future__ import annotations

from PySide6.QtWidgets import QApplication, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.fits.share_bars import ShareBars
from vettore.app.widgets.parts import button, clear, label, rule, section, unbroken
from vettore.core.errors import VettoreError
from vettore.study import edits
from vettore.study.fitting.budgets import budget_of
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings import DerivedReading, read
from vettore.words.budgets import expanded_in_words, share_lines
from vettore.words.readings import reading_line


class KeptReadings(QWidget):
    """Hidden while there are none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self._naming = self._opened = ""
        self.name: QLineEdit | None = None
        self._fit: DerivedFit | None = None

    def show_readings(self, fit: DerivedFit | None) -> None:
        """Show what is kept of a fit."""
        self._fit = fit
        clear(self._box)
        self.name = None
        kept = self._session.study.readings_of(fit.recipe.id) if fit is not None and fit.recipe.id else ()
        self.setVisible(bool(kept))
        if fit is None or not kept:
            return
        self._box.addWidget(rule())
        self._box.addWidget(section("Kept readings"))
        for reading in kept:
            self._add(fit, read(fit, reading, kept))

    def _add(self, fit: DerivedFit, reading: DerivedReading) -> None:
        line, recipe = reading_line(fit, reading, self._session.style), reading.recipe
        if self._naming == recipe.id:
            self.name = QLineEdit(recipe.name)
            self.name.setAccessibleName("Name of the reading")
            self.name.returnPressed.connect(lambda: self._take_name(recipe.id))
            self._box.addWidget(self.name)
            self.name.setFocus()
        else:
            self._box.addWidget(label(unbroken(line.label), "muted", wrap=True))
        self._box.addWidget(label(unbroken(line.text), "bad" if reading.problem else "value", wrap=True))
        row = QHBoxLayout()
        row.setSpacing(2)
        for words, action, tip in (
            ("name", lambda: self._begin_naming(recipe.id), "Give it a name, by which formulas can use it"),
            ("its ±", lambda: self._turn_budget(recipe.id), "What the ± is made of, and how far it reaches"),
            ("copy", lambda: self._copy(reading, line.text), "Copy with all digits"),
            ("let go", lambda: self._drop(recipe.id), "Remove this reading"),
        ):
            # What has no ± has none to be taken apart: turns, several places, a plan.
            if words != "its ±" or reading.standard_error is not None:
                row.addWidget(button(words, action, "link", tip))
        row.addStretch()
        self._box.addLayout(row)
        if self._opened == recipe.id:
            self._add_budget(fit, reading)

    def _add_budget(self, fit: DerivedFit, reading: DerivedReading) -> None:
        """Show what the ± of a reading is made of, or why that cannot be said."""
        style, kept = self._session.style, self._session.study.readings_of(fit.recipe.id)
        try:
            budget = budget_of(fit, reading.recipe, kept)
        except VettoreError as error:
            self._box.addWidget(label(str(error), "muted", wrap=True))
            return
        if len(budget.shares) > 1:
            self._box.addWidget(ShareBars(share_lines(budget, style)))
        self._box.addWidget(label(expanded_in_words(budget, reading.unit, style), "muted", wrap=True))

    def _turn_budget(self, reading: str) -> None:
        self._opened = "" if self._opened == reading else reading
        self.show_readings(self._fit)

    def _begin_naming(self, reading: str) -> None:
        self._naming = "" if self._naming == reading else reading
        self.show_readings(self._fit)

    def _take_name(self, reading: str) -> None:
        name = self.name.text().strip() if self.name is not None else ""
        self._naming = ""
        try:
            study = edits.rename_reading(self._session.study, reading, name)
        except VettoreError as error:
            self._session.say(str(error), "bad")
            return
        self._session.do("name a reading", study)

    def _copy(self, reading: DerivedReading, words: str) -> None:
        numbers = [(crossing.x, crossing.standard_error) for crossing in reading.crossings]
        if reading.value is not None:
            numbers = [(reading.value, reading.standard_error)]
        full = "\n".join(f"{value!r}\t{'' if error is None else repr(error)}" for value, error in numbers)
        QApplication.clipboard().setText(full or words)

    def _drop(self, reading: str) -> None:
        self._session.do("let go of a reading", edits.drop_reading(self._session.study, reading))
