"""A formula built from terms: those offered are ticked, others written, and the design matrix is shown."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QGridLayout, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.formulas.formula_field import FormulaField
from vettore.app.widgets.parts import clear
from vettore.app.widgets.value_table import ValueTable
from vettore.core.errors import FormulaError, VettoreError
from vettore.core.formula.write import name_text
from vettore.study.fitting.term_builder import build, offered
from vettore.study.series import Series

# Rows of the design matrix that are shown, and ticks on one line.
ROWS_SHOWN, TICKS_ABREAST = 3, 6


class TermsPanel(QWidget):
    """``written`` tells the formula of the ticked terms, ``refused`` why a term is none."""

    written = Signal(str)
    refused = Signal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        box = QVBoxLayout(self)
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
        self.hide()

    def show_series(self, series: Series) -> None:
        """Offer the terms of a series."""
        self.term.set_names([name_text(column.name) for column in series.columns])
        terms = offered(series)
        if list(self.ticked)[: len(terms)] != list(terms):
            clear(self._ticks)
            self.ticked = {}
            for term in terms:
                self._add_tick(term)

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
            self.refused.emit(f"{error.message} {error.hint}".strip())
            return
        except VettoreError as error:
            self.refused.emit(str(error))
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
            self.refused.emit(str(error))
            return
        self.written.emit(terms.formula)
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
