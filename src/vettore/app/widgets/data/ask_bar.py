"""Ask about rows: a condition in the formula language, answered with a count before anything changes."""

from __future__ import annotations

import numpy as np
from PySide6.QtWidgets import QLineEdit

from vettore.app.session import Session, What
from vettore.app.widgets.bar import Bar
from vettore.app.widgets.parts import Elided, button, label
from vettore.core.errors import FormulaError, VettoreError
from vettore.study import edits
from vettore.study.rows import rows_where


class AskBar(Bar):
    """A field for a condition; the answer says how many rows hold, and where."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        box = self.row
        self.field = QLineEdit()
        self.field.setPlaceholderText('temperature > 18 and note != ""')
        self.field.setAccessibleName("Condition on rows")
        self.field.textChanged.connect(self._answer)
        self.field.returnPressed.connect(self._choose)
        self.answer = Elided("sentence")
        self.choose = button("Choose them", self._choose)
        self.aside = button("Set aside", self._set_aside, tip="Set these rows aside; the condition is the reason")
        box.addWidget(label("Rows where", "label"))
        box.addWidget(self.field, 3)
        box.addWidget(self.answer, 3)
        box.addWidget(self.choose)
        box.addWidget(self.aside)
        session.changed.connect(self._heed)
        self._answer()

    def _heed(self, what: What) -> None:
        if what != What.ROWS:
            self._answer()

    def rows(self) -> list[int] | None:
        """Return the rows for which the condition holds, or None when it cannot be read."""
        series = self._session.series
        text = self.field.text().strip()
        if series is None or not text:
            return None
        return np.flatnonzero(rows_where(series, text)).tolist()

    def _answer(self) -> None:
        for item in (self.choose, self.aside):
            item.setEnabled(False)
        try:
            rows = self.rows()
        except FormulaError as error:
            self.answer.setText(f"{error.message} {error.hint}")
            return
        except VettoreError as error:
            self.answer.setText(str(error))
            return
        series = self._session.series
        if rows is None or series is None:
            self.answer.setText("")
            return
        share = {0: "none", series.rows: "all"}.get(len(rows), f"{len(rows)} of {series.rows}")
        self.answer.setText(f"{share}: {'no row holds' if not rows else 'yes' if share == 'all' else 'rows hold'}")
        for item in (self.choose, self.aside):
            item.setEnabled(bool(rows))

    def _choose(self) -> None:
        rows = self._safely()
        if rows:
            self._session.choose_rows(rows)

    def _set_aside(self) -> None:
        rows, series = self._safely(), self._session.series
        if rows and series is not None:
            text = self.field.text().strip()
            study = edits.set_rows_aside(self._session.study, series.id, rows, text)
            self._session.do(f"set aside where {text}", study)

    def _safely(self) -> list[int] | None:
        try:
            return self.rows()
        except VettoreError:
            return None
