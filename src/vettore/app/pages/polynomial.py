"""The Polynomial page: a shelf of polynomials, their roots on the plot to be dragged, and what can be made of them."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vettore.app.pages.page import Doors, Page
from vettore.app.pages.polynomial_shelf import ShelfHands, Shelved
from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.stage.root_items import RootGrip, Turns
from vettore.app.strip.polynomial import PolynomialStrip
from vettore.app.widgets.parts import Column, Invitation, Pairs, button, label, rule, section
from vettore.app.widgets.value_table import ValueTable
from vettore.core.errors import DataError, VettoreError
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node
from vettore.core.polynomial import Polynomial, Turn
from vettore.core.polynomial_roots import Root
from vettore.core.polynomial_words import doubts_in_words, polynomial_text, roots_in_words
from vettore.core.rounding import NumberStyle
from vettore.core.typed import numbers_in
from vettore.study import edits_of_curves
from vettore.study.derive_curves import derive_polynomial
from vettore.words.readings import TURNS

LETTERS = "pqrstuvw"


class PolynomialPage(ShelfHands, Page):
    """Polynomials as things: entered, drawn, taken apart, and put together."""

    name = "Polynomial"
    help_page = "polynomial.md"
    shows_tray = False

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.shown: Shelved | None = None
        self._chosen = ""
        self._view: tuple[object, ...] = ()
        self._grips: list[RootGrip] = []
        self._build_choices()
        self._build_stage()
        self._build_findings()

    def _build_stage(self) -> None:
        self.strip = PolynomialStrip()
        self.plot = Plot(self.session.say)
        self.first = self.plot
        self.turns = Turns()
        self.plot.put(self.turns, 12)
        bar = QWidget()
        bar.setObjectName("bar")
        bar.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(bar)
        row.setContentsMargins(18, 8, 14, 8)
        self.at = QLineEdit()
        self.at.setPlaceholderText("x, several x, or a range: −2 … 3 every 0.5")
        self.at.setAccessibleName("Evaluate at these x")
        self.at.returnPressed.connect(self.evaluate)
        row.addWidget(label("Values at x =", "label"))
        row.addWidget(self.at, 1)
        row.addWidget(button("Evaluate", self.evaluate, "link"))
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget, stretch in ((self.strip, 0), (self.plot, 1), (bar, 0)):
            box.addWidget(widget, stretch)
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        words = "Write a polynomial on the left by its coefficients, its roots or a formula. For a first look:"
        stage.addWidget(
            Invitation(words, "x³ − 3x + 1", lambda: self._add("by coefficients", Polynomial([1, -3, 0, 1])))
        )
        stage.addWidget(filled)
        self.stage = stage

    def _build_findings(self) -> None:
        self.findings = Column("What the polynomial says")
        self.sentence = label("", "sentence", wrap=True)
        self.root_table, self.value_table = ValueTable(), ValueTable()
        self.put_back, self.turn_pairs, self.follows = label("", "muted", wrap=True), Pairs(), Pairs()
        self._turn_title, self._value_title = section("Turning points"), section("Values")
        self.drop = button("Take it off the shelf", self.remove, "", "It can be brought back by undo")
        self.findings.add(section("Roots"), self.sentence, self.root_table, self.put_back, rule())
        self.findings.add(self._turn_title, self.turn_pairs, section("Slope and area"), self.follows)
        self.findings.add(self._value_title, self.value_table)
        self.findings.column.addStretch()
        self.as_model = button(
            "Fit its shape to the chosen series", self.fit_shape, "", "y = a + b·p(x), on the Fit page"
        )
        self.as_function = button(
            "Keep it as a function of x", self.keep_function, "", "On the Integrate page: drawn, read, integrated"
        )
        self.findings.add(self.as_model, self.as_function, self.drop)

    def fit_shape(self) -> None:
        """Fit the polynomial, scaled and raised, to the series that is chosen in the tray."""
        series = self.session.series
        if self.shown is None or series is None:
            self.session.say("Choose a series in the tray first.", "bad")
            return
        try:
            study = edits_of_curves.fit_polynomial_shape(self.session.study, series.id, self.shown.polynomial)
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        self.session.do("fit the shape of a polynomial", study)
        self.session.show_curve(study.curves[-1].id)
        self.session.say(f"Its shape is fitted to {series.name}; see the Fit page.")

    def keep_function(self) -> None:
        """Keep the polynomial as a function of x over what is shown."""
        if self.shown is None:
            return
        low, high = self.plot.upper.vb.viewRange()[0]
        edges = (f"{edge:.4g}" for edge in (low, high))
        study = edits_of_curves.add_function(self.session.study, self.shown.polynomial.formula(), *edges)
        self.session.do("keep a polynomial as a function", study)
        self.session.say("Kept as a function of x; see the Integrate page.")

    # What is shown.

    def refresh(self) -> None:
        """Show the shelf, and the chosen polynomial of it."""
        study = self.session.study
        shelf = []
        for place, recipe in enumerate(study.polynomials):
            letter = LETTERS[place % len(LETTERS)] + ("" if place < len(LETTERS) else str(place // len(LETTERS)))
            try:
                shelf.append(Shelved(recipe, letter, derive_polynomial(study, recipe)))
            except VettoreError:
                shelf.append(Shelved(recipe, letter, Polynomial(recipe.coefficients)))
        if not any(one.recipe.id == self._chosen for one in shelf):
            self._chosen = shelf[-1].recipe.id if shelf else ""
        self._list_shelf(shelf)
        curve = self.session.curve
        self.from_fit.setEnabled(curve is not None and not curve.formula)
        self.stage.setCurrentIndex(1 if shelf else 0)
        self.findings.setVisible(bool(shelf))
        self.shown = next((one for one in shelf if one.recipe.id == self._chosen), None)
        if self.shown is not None:
            self._show(self.shown)
        else:
            self._show_grips(())

    def status(self) -> list[str]:
        """Say what is shown."""
        if self.shown is None:
            return []
        words = [f"degree {self.shown.polynomial.degree}"]
        if self.shown.polynomial.covariance is not None:
            words.append("coefficients carry ± from the fit")
        return words

    def _show(self, shelved: Shelved) -> None:
        p, style = shelved.polynomial, self.session.style
        self.plot.dress(style)
        self.plot.set_titles("x", f"{shelved.letter}(x)")
        self.strip.show_polynomial(shelved.letter, p.coefficients, style, self.descending.isChecked())
        roots = () if p.is_zero else p.root_list
        turns = p.turns()
        low, high = self._home(p, roots, [turn.x for turn in turns])
        curve = p.curve(-math.inf, math.inf)
        self.plot.line.set_curve(curve)
        view = (shelved.recipe.id, p.coefficients)
        if view != self._view:
            self._view = view
            x = np.linspace(low, high, 300)
            self.plot.show_home(x, p(x), with_zero=True)
        self.turns.set_turns([(t.x, t.y, t.kind, _turn_words(t, roots, style)) for t in turns])
        self._show_grips(roots)
        self._show_roots(shelved, roots)
        self.turn_pairs.show_pairs(
            [
                (f"{TURNS.get(t.kind, t.kind)} at (x, y)", f"({style.number(t.x, 4)}, {style.number(t.y, 4)})")
                for t in turns[:10]
            ]
        )
        self._turn_title.setVisible(bool(turns))
        self.follows.show_pairs(
            [
                ("slope", polynomial_text(p.slope(), style)),
                ("area from 0", polynomial_text(p.antiderivative(), style)),
            ]
        )
        self._show_values()
        self.session.say("", "status")

    def _home(self, p: Polynomial, roots: tuple[Root, ...], turns: list[float]) -> tuple[float, float]:
        """Return a span of x that shows all real roots and turning points."""
        places = [root.value.real for root in roots if root.is_real] + turns
        if not places:
            places = [one.value.real for one in roots] or [0.0]
        low, high = min(places), max(places)
        room = 0.25 * (high - low) or max(abs(low), 1.0)
        return low - room, high + room

    def _show_grips(self, roots: tuple[Root, ...]) -> None:
        """Put a grip on every real root. Grips are kept and used again: one may be in the middle of a drag."""
        real = [(place, root.value.real) for place, root in enumerate(roots) if root.is_real]
        while len(self._grips) < len(real):
            grip = RootGrip()
            grip.moved.connect(self._drag_root)
            grip.released.connect(self._release_root)
            self._grips.append(grip)
            self.plot.put(grip, 18)
        for grip in self._grips[len(real) :]:
            grip.setVisible(False)
        for grip, (place, x) in zip(self._grips, real, strict=False):
            grip.show_root(place, x, self.session.style.number(x, 4))

    def _release_root(self, place: int, x: float) -> None:
        # After the mouse event, since the edit puts grips elsewhere.
        QTimer.singleShot(0, lambda: self.move_root(place, x))

    def _moved(self, place: int, x: float) -> Polynomial | None:
        """Return the shown polynomial with one root elsewhere."""
        if self.shown is None:
            return None
        p = self.shown.polynomial
        roots = []
        for i, root in enumerate(p.root_list):
            roots += [complex(x) if i == place else root.value] * root.multiplicity
        return Polynomial.from_roots(roots, p.coefficients[-1])

    def _drag_root(self, place: int, x: float) -> None:
        """Let the curve and the coefficients follow while a root is dragged."""
        p = self._moved(place, x)
        if p is None or self.shown is None:
            return
        self.strip.show_polynomial(self.shown.letter, p.coefficients, self.session.style, self.descending.isChecked())
        tree: Node = read_formula(_formula(p), ("x",)).right
        self.plot.line.set_curve(FormulaCurve(tree, "x", {}, (), None, self.plot.line.curve.span, None, 0))  # type: ignore[union-attr]

    def move_root(self, place: int, x: float) -> None:
        """Put a root elsewhere; the coefficients follow."""
        p = self._moved(place, float(f"{x:.6g}"))
        if p is not None and self.shown is not None:
            study = edits_of_curves.change_polynomial(
                self.session.study, self.shown.recipe.id, p, "by dragging a root"
            )
            self.session.do("drag a root", study)

    def _show_roots(self, shelved: Shelved, roots: tuple[Root, ...]) -> None:
        style = self.session.style
        rows, full = [], []
        for root in roots:
            z = root.value
            text = style.number(z.real, 6)
            if not root.is_real:
                text += f" {'+' if z.imag > 0 else '−'} {style.number(abs(z.imag), 6)} i"
            times = f" ({root.multiplicity}×)" if root.multiplicity > 1 else ""
            error = "—" if root.standard_error is None else style.number(root.standard_error, 2)
            rows.append((text + times, error, "0" if root.is_zero else style.number(root.residual, 2)))
            full.append((z.real, z.imag, float(root.multiplicity), root.residual))
        self.root_table.show_rows(("root", "±", f"{shelved.letter} there"), rows, full)
        self.sentence.setText(roots_in_words(shelved.polynomial, roots))
        words = doubts_in_words(roots, style)
        if roots and not words:
            words = "0 means zero to rounding: no more than the last digits of the terms."
        self.put_back.setText(words)

    def _show_values(self) -> None:
        if self.shown is None:
            return
        text, style = self.at.text().strip(), self.session.style
        try:
            at = numbers_in(text) if text else []
        except DataError as error:
            self.session.say(str(error), "bad")
            at = []
        values = self.shown.polynomial(np.array(at, dtype=np.float64))
        rows = [(style.short(x, 10), style.number(float(y), 8)) for x, y in zip(at, values, strict=True)]
        self.value_table.show_rows(("x", f"{self.shown.letter}(x)"), rows[:200], list(zip(at, values, strict=True)))
        self._value_title.setVisible(bool(rows))

    # What is done by hand.

    def evaluate(self) -> None:
        """Show the values at the x that were typed."""
        self._show_values()


def _turn_words(turn: Turn, roots: tuple[Root, ...], style: NumberStyle) -> str:
    """Return what stands beside a turning point: nothing where a root has its number there already."""
    if turn.kind == "inflection":
        return "inflection"
    if any(root.is_real and root.value.real == turn.x for root in roots):
        return ""
    return f"{TURNS[turn.kind]} at {style.number(turn.x, 4)}"


def _formula(p: Polynomial) -> str:
    return " + ".join(f"({value!r})*x^{k}" for k, value in enumerate(p.coefficients)) or "0"
