"""The Polynomial page: a shelf of polynomials, their roots on the plot to be dragged, and what can be made of them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.page import Doors, Page
from vettore.app.pages.polynomial.findings import PolynomialFindings
from vettore.app.pages.polynomial.present import (
    AT_ONCE,
    WAITING,
    Made,
    PolynomialView,
    Shelved,
    present,
    shelf_of,
    values_at,
    with_root_at,
)
from vettore.app.pages.polynomial.shelf import Shelf
from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.stage.root_items import RootGrip, TurningPoints
from vettore.app.strip.polynomial import PolynomialStrip
from vettore.app.widgets.parts import Invitation, button, label
from vettore.app.work import Done, Failed
from vettore.core.cells.typed import numbers_in
from vettore.core.errors import DataError, VettoreError
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.polynomials.roots import Root
from vettore.core.rounding import NumberStyle
from vettore.study import edits_of_curves
from vettore.study.derive_curves import derive_polynomial
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit


class PolynomialPage(Page):
    """Polynomials as things: entered, drawn, taken apart, and put together."""

    name = "Polynomial"
    help_page = "polynomial.md"
    shows_tray = False

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.shown: Shelved | None = None
        self._chosen = ""
        self._home_of: tuple[object, ...] = ()
        self._shelved: tuple[Shelved, ...] = ()
        self._view: tuple[Shelved, NumberStyle, PolynomialView] | None = None
        self._grips: list[RootGrip] = []
        self.shelf = Shelf()
        self.choices = self.shelf
        self.shelf.chosen.connect(self.choose)
        self.shelf.produced.connect(self.add)
        self.shelf.wanted.connect(lambda job, degree: self._work_out("make", degree, job, self.add, self._refuse))
        self.shelf.refused.connect(self._refuse)
        self.shelf.turned.connect(self.refresh)
        self.shelf.fit_asked.connect(self.add_from_fit)
        self._build_stage()
        self.findings = PolynomialFindings(self.fit_shape, self.keep_function, self.remove)

    def _build_stage(self) -> None:
        self.strip = PolynomialStrip()
        self.plot = Plot(self.session.say)
        self.first = self.plot
        self.turns = TurningPoints()
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
        self.stage = QStackedWidget()
        self.stage.setObjectName("canvas")
        words = "Write a polynomial on the left by its coefficients, its roots or a formula. For a first look:"
        first = Made(Polynomial([1, -3, 0, 1]), "by coefficients")
        self.stage.addWidget(Invitation(words, "x³ − 3x + 1", lambda: self.add(first)))
        self.stage.addWidget(filled)

    # What is shown.

    def refresh(self) -> None:
        """Show the shelf, and the chosen polynomial of it."""
        shelf = self._shelved = shelf_of(self.session.study, self._shelved)
        if not any(shelved.recipe.id == self._chosen for shelved in shelf):
            self._chosen = shelf[-1].recipe.id if shelf else ""
        self.shown = next((item for item in shelf if item.recipe.id == self._chosen), None)
        self.shelf.show_shelf(shelf, self.shown, self.session.style)
        curve = self.session.curve
        self.shelf.from_fit.setEnabled(isinstance(curve, PolynomialFit))
        self.stage.setCurrentIndex(1 if shelf else 0)
        self.findings.setVisible(bool(shelf))
        self.session.background.drop("roots")
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
        self.strip.show_polynomial(shelved.letter, p.coefficients, style, self.shelf.descending.isChecked())
        self.plot.line.set_curve(p.curve(-math.inf, math.inf))
        if self._view is not None and self._view[:2] == (shelved, style):
            self._tell(shelved, self._view[2])
        else:
            if p.degree > AT_ONCE:
                self._tell(None, WAITING)
            tell = partial(self._tell, shelved)
            self._work_out("roots", p.degree, lambda: present(shelved, style), tell, self._show_without)
        self.evaluate()
        self.session.say("", "status")

    def _work_out(self, key: str, degree: int, job: Callable[[], Any], done: Done, failed: Failed) -> None:
        """Do a job that needs roots of a degree: at once where that is nothing, else in the background."""
        if degree > AT_ONCE:
            self.session.background.run(key, job, done, failed)
            return
        try:
            result = job()
        except VettoreError as error:
            failed(str(error))
            return
        done(result)

    def _show_without(self, sentence: str) -> None:
        """Show a polynomial whose roots cannot be told, or not yet."""
        self._tell(None, replace(WAITING, sentence=sentence))

    def _tell(self, shelved: Shelved | None, view: PolynomialView) -> None:
        """Show what is said of a polynomial; None while it is being worked out."""
        self.findings.show_view(view, shelved.letter if shelved else "")
        self.turns.set_turns(list(view.marks))
        if shelved is None:
            self._show_grips(())
            return
        p, self._view = shelved.polynomial, (shelved, self.session.style, view)
        if self._home_of != (shelved.recipe.id, p.coefficients):
            self._home_of = (shelved.recipe.id, p.coefficients)
            x = np.linspace(*view.home, 300)
            self.plot.show_home(x, p(x), with_zero=True)
        self._show_grips(() if p.is_zero else p.root_list)

    def evaluate(self) -> None:
        """Show the values at the x that were typed."""
        if self.shown is None:
            return
        text = self.at.text().strip()
        try:
            at = numbers_in(text) if text else []
        except DataError as error:
            self._refuse(str(error))
            at = []
        self.findings.show_values(self.shown.letter, *values_at(self.shown, at, self.session.style))

    # What is done by hand.

    def choose(self, identity: str) -> None:
        """Show a polynomial of the shelf."""
        self._chosen = identity
        self.refresh()

    def add(self, result: Made) -> None:
        """Put a polynomial on the shelf."""
        study = edits_of_curves.add_polynomial(
            self.session.study,
            result.name or result.made,
            result.polynomial,
            result.made if result.name else "",
            result.fit,
        )
        self._chosen = study.polynomials[-1].id
        self.session.do("put a polynomial on the shelf", study)

    def add_from_fit(self) -> None:
        """Put the chosen fit on the shelf; it follows the fit."""
        curve = self.session.curve
        if not isinstance(curve, PolynomialFit):
            self._refuse("Choose a polynomial on the Fit page first.")
            return
        try:
            p = derive_polynomial(self.session.study, PolynomialRecipe(curve.name, (0.0,), curve.id))
        except VettoreError as error:
            self._refuse(str(error))
            return
        self.add(Made(p, "from the fit, ± carried", curve.name, curve.id))

    def remove(self) -> None:
        """Take the shown polynomial off the shelf."""
        if self.shown is not None:
            study = edits_of_curves.remove_polynomial(self.session.study, self.shown.recipe.id)
            self.session.do("take a polynomial off the shelf", study)

    def fit_shape(self) -> None:
        """Fit the polynomial, scaled and raised, to the series that is chosen in the tray."""
        series = self.session.series
        if self.shown is None or series is None:
            self._refuse("Choose a series in the tray first.")
            return
        try:
            study = edits_of_curves.fit_polynomial_shape(self.session.study, series.id, self.shown.polynomial)
        except VettoreError as error:
            self._refuse(str(error))
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

    def _refuse(self, sentence: str) -> None:
        self.session.say(sentence, "bad")

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

    def _drag_root(self, place: int, x: float) -> None:
        """Let the curve and the coefficients follow while a root is dragged."""
        drawn = self.plot.line.curve
        if self.shown is None or drawn is None:
            return
        p, descending = with_root_at(self.shown.polynomial, place, x), self.shelf.descending.isChecked()
        self.strip.show_polynomial(self.shown.letter, p.coefficients, self.session.style, descending)
        tree: Node = read_formula(_formula(p), ("x",)).right
        self.plot.line.set_curve(FormulaCurve(tree, "x", {}, (), None, drawn.span, None, 0))

    def move_root(self, place: int, x: float) -> None:
        """Put a root elsewhere; the coefficients follow."""
        if self.shown is None:
            return
        p = with_root_at(self.shown.polynomial, place, float(f"{x:.6g}"))
        study = edits_of_curves.change_polynomial(self.session.study, self.shown.recipe.id, p, "by dragging a root")
        self.session.do("drag a root", study)


def _formula(p: Polynomial) -> str:
    return " + ".join(f"({value!r})*x^{k}" for k, value in enumerate(p.coefficients)) or "0"
