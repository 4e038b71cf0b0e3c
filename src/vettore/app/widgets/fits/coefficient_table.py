"""The coefficients of a fit with their ±, and beside each its range, that of the likelihood, or t and p."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont, QFontMetricsF
from PySide6.QtWidgets import QGridLayout, QWidget

from vettore.app.session import Session
from vettore.app.style import sans, serif, theme
from vettore.app.widgets.parts import button, clear, label, plain_tip
from vettore.core.fitting.after.intervals import Interval
from vettore.core.fitting.coefficients import Coefficient
from vettore.look.theme import SIZES
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.profiles import likelihood_ranges
from vettore.study.fitting.quantities import coefficient_units

# What stands beside a coefficient.
RANGE, LIKELY, TESTS = "range", "likelihood", "tests"
# Pixels beside a value, its ± and its range: margins, the symbol, gaps.
BESIDE = 72
_SUBSCRIPT = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


class CoefficientTable(QWidget):
    """The table; ``turn`` is the button that says what stands beside the values, and changes it. ``room`` gives its width."""

    def __init__(self, session: Session, room: Callable[[], int]) -> None:
        super().__init__()
        self._session, self._room = session, room
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(6)
        self.turn = button("", self._turn, "link", "Show the range, that of the likelihood, or t and p")
        self._shown = RANGE
        # Ranges of the likelihood, and the fit that they are of.
        self._likely: tuple[DerivedFit, Mapping[str, Interval]] | None = None
        # Whether ranges stand beneath the values, for want of room beside them.
        self._beneath = False
        self._fit: DerivedFit | None = None

    def _turn(self) -> None:
        self._shown = {RANGE: LIKELY, LIKELY: TESTS, TESTS: RANGE}[self._shown]
        if self._fit is not None:
            self.show_fit(self._fit)

    def _find_likely(self, fit: DerivedFit) -> None:
        """Work out the ranges of the likelihood in the background, and show them if the fit is still there."""

        def done(ranges: Mapping[str, Interval]) -> None:
            self._likely = fit, ranges
            if self._fit is fit:
                self.show_fit(fit)

        def failed(sentence: str) -> None:
            done({})
            self._session.say(sentence, "look")

        self._session.background.run("likelihood", lambda: likelihood_ranges(fit), done, failed)

    def show_fit(self, fit: DerivedFit) -> None:
        """Show the coefficients of a fit."""
        self._fit = fit
        clear(self._grid)
        percent = f"{fit.result.level:.0%} range".replace("%", " %")
        self.turn.setText({RANGE: percent, LIKELY: f"{percent}, likelihood", TESTS: "t and p"}[self._shown])
        if self._shown == LIKELY and (self._likely is None or self._likely[0] is not fit):
            self._find_likely(fit)
        style = self._session.style
        texts = [self._reach(coefficient) for coefficient in fit.result.coefficients.values()]
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
                plain_tip(f"{full}\nt = {style.number(coefficient.t, 4)}, {style.p_value(coefficient.p)}")
            )
            self._grid.addWidget(symbol, row, 0)
            self._grid.addWidget(shown, row, 1, Qt.AlignmentFlag.AlignRight)
            text = "held" if coefficient.held else "at its limit" if coefficient.at_limit else f"± {error}"
            self._grid.addWidget(label(text, "label"), row, 2)
            reach = label(texts[place], "muted")
            side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            if beneath:
                self._grid.addWidget(reach, row + 1, 1, 1, 3, Qt.AlignmentFlag.AlignLeft)
            else:
                self._grid.addWidget(reach, row, 3, side)
        self._grid.setColumnStretch(3, 1)

    def _reach(self, coefficient: Coefficient) -> str:
        """Return the range of a coefficient, or its t and p."""
        style, low, high = self._session.style, coefficient.low, coefficient.high
        if self._shown == LIKELY:
            if self._likely is None or self._likely[0] is not self._fit:
                return "…"
            low, high = self._likely[1].get(coefficient.name, (None, None))
        if self._shown == TESTS:
            return f"t = {style.number(coefficient.t, 3)}, {style.p_value(coefficient.p)}"
        return style.interval(low, high, coefficient.standard_error)

    def _goes_beneath(self, fit: DerivedFit) -> bool:
        """Return whether there is no room for ranges beside the values."""
        style = self._session.style
        pairs = [
            style.with_error(coefficient.value, coefficient.standard_error)
            for coefficient in fit.result.coefficients.values()
        ]
        value, small = QFontMetricsF(sans(SIZES.text, QFont.Weight.DemiBold)), QFontMetricsF(sans(SIZES.small))
        widest = max(
            (value.horizontalAdvance(number) + value.horizontalAdvance(f"± {error}") for number, error in pairs),
            default=0,
        )
        answer = map(self._reach, fit.result.coefficients.values())
        reach = max((small.horizontalAdvance(text) for text in answer), default=0)
        return widest + reach + BESIDE > self._room()

    def fit_room(self) -> None:
        """Put ranges beside the values or beneath them, as there is room."""
        if self._fit is not None and self._goes_beneath(self._fit) != self._beneath:
            self.show_fit(self._fit)
