"""What a fit says: a sentence, then the numbers, then what was kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.copy_table import CopyTable
from vettore.app.widgets.fits.check_list import CheckList
from vettore.app.widgets.fits.coefficient_table import CoefficientTable
from vettore.app.widgets.fits.correlations import Correlations
from vettore.app.widgets.fits.kept_readings import KeptReadings
from vettore.app.widgets.fits.peak_table import PeakTable
from vettore.app.widgets.fits.working import drawer_of
from vettore.app.widgets.parts import Column, Pairs, button, label, rule, section
from vettore.core.errors import name_rows
from vettore.core.remarks import sentences
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import coefficient_units
from vettore.study.kinds.readings import DerivedReading
from vettore.words.fits import conflict_in_words, goodness_lines, quantity_lines, summary_of
from vettore.words.peaks import beside_points, peaks_in_full
from vettore.words.readings import present_lines


class FitFindings(Column):
    """The findings of the Fit page; ``replayed`` tells a step of the search to be shown on the plot, −1 its end."""

    replayed = Signal(int)
    next_asked = Signal()

    def __init__(
        self, session: Session, without: Callable[[list[int]], None], take_better: Callable[[], None]
    ) -> None:
        super().__init__("What the fit says")
        self._session = session
        self.sentence = label("", "sentence", wrap=True)
        self._warnings = label("", "look", wrap=True)
        self._coefficients = CoefficientTable(session, lambda: self.viewport().width())
        self.turn_tests = self._coefficients.turn
        self.peaks = PeakTable(session)
        self._goodness = Pairs()
        self._truth_title, self._truth = section("The truth of these practice data"), label("", "sentence", wrap=True)
        self._aside_title, self._aside = section("Rows set aside"), Pairs()
        self.kept = KeptReadings(session)
        self._present_title, self._present = section("Readings"), Pairs()
        self._present_parts = (rule(), self._present_title, self._present)
        self.correlations = Correlations()
        self.correlations.hide()
        self.turn_correlations = button(
            "correlations", self._turn_correlations, "link", "How the errors of coefficients go together"
        )
        self.where_next = button(
            "where to measure next", self.next_asked.emit, "link", "Where rows more would lower a ± most"
        )
        self._numbers = [
            rule(),
            self._head(),
            self._coefficients,
            self.peaks,
            self.copying,
            self.where_next,
            rule(),
            section("Goodness of fit"),
            self._goodness,
        ]
        self._follows = Pairs()
        self._follows_parts = (rule(), section("What follows from it"), self._follows)
        self.checks = CheckList(session, without, take_better)
        self._aside_rule = rule()
        self.working = button(
            "Show the working", self._show_working, "", "Step by step, how these numbers came about"
        )
        self._fit: DerivedFit | None = None
        self._lay_out()

    def _head(self) -> QWidget:
        head = QWidget()
        line = QHBoxLayout(head)
        line.setContentsMargins(0, 0, 0, 0)
        self._called = section("Coefficients")
        line.addWidget(self._called)
        line.addStretch()
        self.copying = CopyTable(self.in_full, self.turn_correlations)
        line.addWidget(self.turn_tests)
        return head

    def in_full(self) -> list[list[str]]:
        """Return the coefficients with all their digits, under headings."""
        if self._fit is not None and self._fit.peaks is not None:
            return peaks_in_full(self._fit, self._fit.peaks)
        rows = [["coefficient", "value", "standard error", "from", "to", "unit"]]
        if self._fit is not None:
            for coefficient, unit in zip(
                self._fit.result.coefficients.values(), coefficient_units(self._fit), strict=True
            ):
                numbers = (coefficient.value, coefficient.standard_error, coefficient.low, coefficient.high)
                rows.append(
                    [coefficient.name, *("" if number is None else repr(number) for number in numbers), unit or ""]
                )
        return rows

    def _lay_out(self) -> None:
        """Put the parts under each other."""
        self.add(section("What the fit says"), self.sentence, self._warnings, *self._numbers[:6])
        self.add(self.correlations)
        self.add(*self._follows_parts, *self._present_parts, self.kept, *self._numbers[6:], self.checks)
        self.add(self._truth_title, self._truth)
        self.add(self._aside_rule, self._aside_title, self._aside)
        self.column.addStretch()
        self.add(self.working)

    def _show_working(self) -> None:
        if self._fit is not None:
            self.drawer = drawer_of(self._fit, self._session.style, self, self._session.still)
            self.drawer.replayed.connect(self.replayed.emit)
            self.drawer.show()

    def show_present(self, present: Sequence[DerivedReading], refusals: Sequence[str] = ()) -> None:
        """List what is being read at the moment, every answer on a line of its own, and why others have none."""
        fit, style = self._fit, self._session.style
        lines = (
            [] if fit is None else [*present_lines(fit, present, style), *((refusal, "—") for refusal in refusals)]
        )
        self._present.show_pairs(lines)
        for part in self._present_parts:
            part.setVisible(bool(lines))

    def _turn_correlations(self) -> None:
        self.correlations.setVisible(not self.correlations.isVisible())

    def show_fit(self, fit: DerivedFit | None, refusal: str) -> None:
        """Show a fit, or why there is none."""
        self._fit = fit
        self.working.setVisible(fit is not None)
        for part in self._numbers:
            part.setVisible(fit is not None)
        if fit is None:
            self.sentence.setText(refusal)
            for part in (
                self._truth_title,
                self._truth,
                self._warnings,
                self._aside_title,
                self._aside,
                self.kept,
                self.checks,
                self.correlations,
                *self._follows_parts,
                *self._present_parts,
            ):
                part.hide()
            self._aside_rule.hide()
            return
        style = self._session.style
        words = summary_of(fit, style)
        if not fit.recipe.id:
            words += " Choose a model in the line-up to keep it."
        self.sentence.setText(words)
        # A better fit is among the checks, with what to do about it.
        conflicts = map(conflict_in_words, fit.formula_units.contradictions if fit.formula_units is not None else ())
        remarks = fit.result.own_remarks if fit.peaks is None else fit.peaks.remarks
        cautions = (*sentences(remarks), *beside_points(fit, self._session.study, style))
        warnings = (*cautions, *conflicts, *_forgiven(fit))
        self._warnings.setText("\n".join(f"△ {warning}" for warning in warnings))
        self._warnings.setVisible(bool(warnings))
        # The table of peaks holds theirs.
        follows = quantity_lines(fit, style) if fit.peaks is None else ()
        self._follows.show_pairs([(line.label, line.text) for line in follows])
        for part in self._follows_parts:
            part.setVisible(bool(follows))
        self.checks.show_checks(fit.checks, fit)
        self._show_table(fit)
        self._show_correlations(fit)
        self._goodness.show_pairs([(line.label, line.text) for line in goodness_lines(fit, style)])
        by_name = dict(fit.series.table.source.how) if fit.series.table.source.kind == "practice" else {}
        self._truth.setText("\n".join(text for name, text in by_name.items() if name != "outliers"))
        for part in (self._truth_title, self._truth):
            part.setVisible(bool(by_name))
        self._show_aside(fit)
        self.kept.show_readings(fit)

    def _show_table(self, fit: DerivedFit) -> None:
        """Show the coefficients, or of peaks the numbers of each."""
        self._called.setText(("Coefficients" if fit.peaks is None else "Peaks").upper())
        self.peaks.setVisible(fit.peaks is not None)
        self._coefficients.setVisible(fit.peaks is None)
        self.turn_tests.setVisible(fit.peaks is None)
        if fit.peaks is None:
            self._coefficients.show_fit(fit)
        else:
            self.peaks.show_fit(fit)

    def _show_correlations(self, fit: DerivedFit) -> None:
        style, table = self._session.style, fit.result.correlation
        several = table is not None and len(table) > 1
        self.turn_correlations.setVisible(several)
        names = fit.result.fitted_names or tuple(fit.result.coefficients)
        if several and table is not None and len(names) == len(table):
            self.correlations.show_table(names, table, style)
        else:
            self.correlations.hide()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._coefficients.fit_room()

    def _show_aside(self, fit: DerivedFit) -> None:
        entries = fit.series.set_aside
        for part in (self._aside_rule, self._aside_title, self._aside):
            part.setVisible(bool(entries))
        pairs = [(f"row {entry.row + 1}", entry.reason or "no reason given") for entry in entries[:8]]
        if len(entries) > 8:
            pairs.append(("and", f"{len(entries) - 8} more"))
        self._aside.show_pairs(pairs)


def _forgiven(fit: DerivedFit) -> tuple[str, ...]:
    """Say which rows a robust loss weighs down, and what that means for R²."""
    if fit.result.loss == "squares":
        return ()
    places = np.flatnonzero(np.isin(np.flatnonzero(fit.result.rows_in_use) + 1, fit.result.weighted_down))
    rows = [int(fit.rows[place]) + 1 for place in places]
    named = f"{name_rows(rows).capitalize()} weighed less than half" if rows else "No row weighed less than half"
    return (f"{named} (the {fit.result.loss} loss). R² and AICc still count every row in full.",)
