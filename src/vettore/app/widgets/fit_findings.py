"""What a fit says: a sentence, then the numbers, then what was kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QResizeEvent
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.style import sans, serif, theme
from vettore.app.widgets.check_list import CheckList
from vettore.app.widgets.copy_table import CopyTable
from vettore.app.widgets.correlations import Correlations
from vettore.app.widgets.kept_readings import KeptReadings
from vettore.app.widgets.parts import Column, Pairs, button, clear, label, plain_tip, rule, section
from vettore.app.widgets.working import drawer_of
from vettore.core.errors import name_rows
from vettore.core.fitting.result import Coefficient
from vettore.core.remarks import sentences
from vettore.look.theme import SIZES
from vettore.study.fits import DerivedFit, coefficient_units
from vettore.study.kinds.readings import DerivedReading
from vettore.words.fits import conflict_in_words, goodness_lines, quantity_lines, summary_of
from vettore.words.readings import present_lines

# Pixels beside a value, its ± and its range: margins, the symbol, gaps.
BESIDE = 72
_SUBSCRIPT = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


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
        self._coefficients = QWidget()
        self._grid = QGridLayout(self._coefficients)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(6)
        self._goodness = Pairs()
        self._truth_title, self._truth = section("The truth of these practice data"), label("", "sentence", wrap=True)
        self._aside_title, self._aside = section("Rows set aside"), Pairs()
        self.kept = KeptReadings(session)
        self._present_title, self._present = section("Readings"), Pairs()
        self._present_parts = (rule(), self._present_title, self._present)
        self.turn_tests = button("", self._turn_tests, "link", "Show the range, or t and p, of each coefficient")
        self._tests = False
        # Whether ranges stand beneath the values, for want of room beside them.
        self._beneath = False
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
        line.addWidget(section("Coefficients"))
        line.addStretch()
        self.copying = CopyTable(self.in_full, self.turn_correlations)
        line.addWidget(self.turn_tests)
        return head

    def in_full(self) -> list[list[str]]:
        """Return the coefficients with all their digits, under headings."""
        rows = [["coefficient", "value", "standard error", "from", "to", "unit"]]
        if self._fit is not None:
            for one, unit in zip(self._fit.result.coefficients.values(), coefficient_units(self._fit), strict=True):
                numbers = (one.value, one.standard_error, one.low, one.high)
                rows.append([one.name, *("" if number is None else repr(number) for number in numbers), unit or ""])
        return rows

    def _lay_out(self) -> None:
        """Put the parts under each other."""
        self.add(section("What the fit says"), self.sentence, self._warnings, *self._numbers[:5])
        self.add(self.correlations)
        self.add(*self._follows_parts, *self._present_parts, self.kept, *self._numbers[5:], self.checks)
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

    def _turn_tests(self) -> None:
        self._tests = not self._tests
        if self._fit is not None:
            self._show_coefficients(self._fit)

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
        told = fit.formula_units
        # A better fit is among the checks, with what to do about it.
        conflicts = () if told is None else map(conflict_in_words, told.contradictions)
        warnings = (*sentences(fit.result.own_remarks), *conflicts, *_forgiven(fit))
        self._warnings.setText("\n".join(f"△ {warning}" for warning in warnings))
        self._warnings.setVisible(bool(warnings))
        follows = quantity_lines(fit, style)
        self._follows.show_pairs([(line.label, line.text) for line in follows])
        for part in self._follows_parts:
            part.setVisible(bool(follows))
        self.checks.show_checks(fit.checks, fit)
        self._show_coefficients(fit)
        self._goodness.show_pairs([(line.label, line.text) for line in goodness_lines(fit, style)])
        made = dict(fit.series.table.source.how) if fit.series.table.source.kind == "practice" else {}
        self._truth.setText("\n".join(text for name, text in made.items() if name != "outliers"))
        for part in (self._truth_title, self._truth):
            part.setVisible(bool(made))
        self._show_aside(fit)
        self.kept.show_readings(fit)

    def _show_coefficients(self, fit: DerivedFit) -> None:
        clear(self._grid)
        percent = f"{fit.result.level:.0%} range".replace("%", " %")
        self.turn_tests.setText("t and p" if self._tests else percent)
        style, table = self._session.style, fit.result.correlation
        several = table is not None and len(table) > 1
        self.turn_correlations.setVisible(several)
        names = fit.result.fitted_names or tuple(fit.result.coefficients)
        if several and table is not None and len(names) == len(table):
            self.correlations.show_table(names, table, style)
        else:
            self.correlations.hide()
        told = [self._reach(coefficient) for coefficient in fit.result.coefficients.values()]
        beneath = self._beneath = self._goes_beneath(fit)
        for place, (coefficient, unit) in enumerate(
            zip(fit.result.coefficients.values(), coefficient_units(fit), strict=True)
        ):
            row = 2 * place + 1
            symbol = label(coefficient.name.translate(_SUBSCRIPT))
            symbol.setFont(serif(16))
            symbol.setStyleSheet(f"color: {theme().fit}; font: italic 12pt 'STIXGeneral';")
            value, error = style.with_error(coefficient.value, coefficient.standard_error)
            shown = label(value, "value")
            shown.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            full = f"{coefficient.name} = {coefficient.value!r} ± {coefficient.standard_error!r} {unit}"
            shown.setToolTip(
                plain_tip(f"{full}\nt = {style.number(coefficient.t, 4)}, p = {style.probability(coefficient.p)}")
            )
            self._grid.addWidget(symbol, row, 0)
            self._grid.addWidget(shown, row, 1, Qt.AlignmentFlag.AlignRight)
            said = "held" if coefficient.held else "at its limit" if coefficient.at_limit else f"± {error}"
            self._grid.addWidget(label(said, "label"), row, 2)
            reach = label(told[place], "muted")
            side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            if beneath:
                self._grid.addWidget(reach, row + 1, 1, 1, 3, Qt.AlignmentFlag.AlignLeft)
            else:
                self._grid.addWidget(reach, row, 3, side)
        self._grid.setColumnStretch(3, 1)

    def _reach(self, coefficient: Coefficient) -> str:
        """Return the range of a coefficient, or its t and p."""
        style, low, high = self._session.style, coefficient.low, coefficient.high
        if self._tests:
            return f"t = {style.number(coefficient.t, 3)}, p {_compared(style.probability(coefficient.p))}"
        return "—" if low is None or high is None else style.interval(low, high, coefficient.standard_error)

    def _goes_beneath(self, fit: DerivedFit) -> bool:
        """Return whether there is no room for ranges beside the values."""
        style = self._session.style
        pairs = [style.with_error(one.value, one.standard_error) for one in fit.result.coefficients.values()]
        value, small = QFontMetricsF(sans(SIZES.text, QFont.Weight.DemiBold)), QFontMetricsF(sans(SIZES.small))
        widest = max(
            (value.horizontalAdvance(number) + value.horizontalAdvance(f"± {error}") for number, error in pairs),
            default=0,
        )
        told = map(self._reach, fit.result.coefficients.values())
        reach = max((small.horizontalAdvance(text) for text in told), default=0)
        return widest + reach + BESIDE > self.viewport().width()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._fit is not None and self._goes_beneath(self._fit) != self._beneath:
            self._show_coefficients(self._fit)

    def _show_aside(self, fit: DerivedFit) -> None:
        entries = fit.series.set_aside
        for part in (self._aside_rule, self._aside_title, self._aside):
            part.setVisible(bool(entries))
        pairs = [(f"row {entry.row + 1}", entry.reason or "no reason given") for entry in entries[:8]]
        if len(entries) > 8:
            pairs.append(("and", f"{len(entries) - 8} more"))
        self._aside.show_pairs(pairs)


def _compared(probability: str) -> str:
    return probability if probability.startswith("<") else f"= {probability}"


def _forgiven(fit: DerivedFit) -> tuple[str, ...]:
    """Say which rows a robust loss weighs down, and what that means for R²."""
    if fit.result.loss == "squares":
        return ()
    places = np.flatnonzero(np.isin(np.flatnonzero(fit.result.rows_in_use) + 1, fit.result.weighted_down))
    rows = [int(fit.rows[place]) + 1 for place in places]
    named = f"{name_rows(rows).capitalize()} weighed less than half" if rows else "No row weighed less than half"
    return (f"{named} (the {fit.result.loss} loss). R² and AICc still count every row in full.",)
