"""The Fit page: the equation above, the curve through the points, the residuals below; what the fit says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.page import Page
from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.strip.equation import Chip, EquationStrip
from vettore.app.widgets.fit_findings import FitFindings
from vettore.app.widgets.line_up import Candidate, LineUp
from vettore.app.widgets.parts import Column, Invitation, button, label, rule, section
from vettore.app.widgets.reading_bar import ReadingBar
from vettore.app.widgets.row_bar import RowBar
from vettore.core.errors import VettoreError
from vettore.core.fit.compare import akaike_weights
from vettore.core.formula.write import name_text
from vettore.core.typeset import Text
from vettore.study import edits
from vettore.study.derive import DerivedFit, coefficient_units, derive_reading, equation_of, fit_series
from vettore.study.recipes import Asked, FitRecipe, degree_name
from vettore.study.series import Role, Series

HIGHEST_IN_LINE_UP = 10


@dataclass(frozen=True, eq=False)
class LineUpAnswer:
    """What the background found for every degree."""

    fits: dict[int, DerivedFit]
    refusals: dict[int, str]


class FitPage(Page):
    """Choose a model, see it, judge it, read from it."""

    name = "Fit"
    help_page = "fit.md"

    def __init__(self, session: Session, open_file: Callable[[], object]) -> None:
        super().__init__(session)
        self.fit: DerivedFit | None = None
        self._shown: tuple[object, ...] = ()
        self._lined_up: tuple[object, ...] = ()
        self._candidates: list[Candidate] = []
        self._by_degree = False
        self._build_choices()
        self._build_stage(open_file)
        self.findings = FitFindings(session)
        session.rows_changed.connect(self._show_rows)
        session.pointed_changed.connect(self._show_pointed)

    def _build_choices(self) -> None:
        self.choices = QWidget()
        box = QVBoxLayout(self.choices)
        box.setContentsMargins(10, 8, 6, 10)
        box.addWidget(rule())
        head = QHBoxLayout()
        head.addWidget(section("Line-up"))
        head.addStretch()
        self.order = button("best first", self._turn_order, "link", "Order the line-up by weight or by degree")
        self.order.setProperty("kind", "link")
        head.addWidget(self.order)
        box.addLayout(head)
        box.addWidget(label("bars: share of the evidence (AICc)", "muted"))
        self.line_up = LineUp()
        self.line_up.chosen.connect(self.choose_degree)
        scroll = Column("Line-up", (0, 0, 6, 0))
        scroll.add(self.line_up)
        scroll.column.addStretch()
        box.addWidget(scroll, 1)
        self.origin = QCheckBox("through the origin")
        self.origin.clicked.connect(self._turn_origin)
        self.use_errors = QCheckBox("weight by ± of y")
        self.use_errors.clicked.connect(self._turn_errors)
        self.another = button(
            "Try another beside it", self._add_another, "link", "Keep this curve and fit a second one"
        )
        self.own = QLineEdit()
        self.own.setPlaceholderText("Write your own formula …")
        self.own.setAccessibleName("Write your own formula")
        self.own.setToolTip(
            "Such as oxygen = A*exp(-k*time) + C; press Enter to fit it. No starting values are needed."
        )
        self.own.returnPressed.connect(self.fit_own)
        for widget in (self.origin, self.use_errors, self.another, self.own):
            box.addWidget(widget)

    def _build_stage(self, open_file: Callable[[], object]) -> None:
        self.strip = EquationStrip()
        self.plot = Plot(with_residuals=True)
        self.first = self.plot
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.readings = ReadingBar(self.session)
        self.rows = RowBar(self.session)
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget, stretch in (
            (self.strip, 0),
            (self.refusal, 0),
            (self.plot, 1),
            (self.rows, 0),
            (self.readings, 0),
        ):
            box.addWidget(widget, stretch)
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        stage.addWidget(Invitation("A fit needs measured points. Bring in data first.", "Open a file …", open_file))
        stage.addWidget(filled)
        self.stage = stage
        self.readings.read_changed.connect(self._show_pennants)
        self.plot.place_clicked.connect(self.readings.read_at)
        self.plot.row_pointed.connect(self.session.point)
        self.plot.row_clicked.connect(self.session.choose_clicked)

    def refresh(self) -> None:
        """Show the chosen series with its chosen curve; a series without one gets a straight line drawn."""
        series = self.session.series
        self.stage.setCurrentIndex(0 if series is None else 1)
        self.choices.setEnabled(series is not None)
        if series is None:
            self.fit = None
            self.findings.show_fit(None, "")
            self.line_up.show_candidates([], (np.empty(0), np.empty(0)), -1, self.session.style)
            self._lined_up = ()
            return
        self._show_points(series)
        self._show_rows()
        recipe = self._recipe(series)
        self.origin.setChecked(not recipe.intercept)
        self.origin.setVisible(not recipe.formula)
        self.own.setText(recipe.formula)
        self.use_errors.setVisible(series.sigma is not None)
        self.use_errors.setChecked(recipe.use_errors)
        self.another.setEnabled(self.session.curve is not None)
        self.session.background.run("fit", lambda: fit_series(series, recipe), self._show_fit, self._show_refusal, 1)
        self._start_line_up(series, recipe)

    def status(self) -> list[str]:
        """Say what was used."""
        if self.fit is None:
            return []
        weights = "weights from ± of y" if self.fit.result.weighted else "equal weights"
        return [f"{len(self.fit.rows)} of {self.fit.series.rows} rows in use", self.fit.result.method, weights]

    def choose_degree(self, degree: int) -> None:
        """Make the chosen curve a polynomial of this degree, or make the first curve of the series."""
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        if curve is None:
            study = edits.add_fit(self.session.study, series.id, degree)
            self.session.do(f"fit {degree_name(degree).lower()}", study)
        elif curve.degree != degree or curve.formula:
            changed = replace(curve, degree=degree, formula="", intercept=curve.intercept or degree == 0)
            self.session.do(f"fit {degree_name(degree).lower()}", edits.change_fit(self.session.study, changed))

    def fit_own(self) -> None:
        """Fit the formula that was written, as the chosen curve or as the first of the series."""
        series, curve, text = self.session.series, self.session.curve, self.own.text().strip()
        if series is None or not text:
            return
        if "=" not in text:
            y = series.column(Role.Y)
            text = f"{name_text(y.name) if y else 'y'} = {text}"
        try:
            study = edits.add_formula(self.session.study, series.id, text)
        except VettoreError as error:
            self.refusal.setText(str(error))
            self.refusal.show()
            return
        if curve is not None:
            study = edits.change_fit(self.session.study, replace(curve, formula=text))
        self.session.do("fit an own formula", study)

    def _recipe(self, series: Series) -> FitRecipe:
        return self.session.curve or FitRecipe("", series.id, 1)

    def _add_another(self) -> None:
        series, curve = self.session.series, self.session.curve
        if series is None or curve is None:
            return
        study = edits.add_fit(self.session.study, series.id, curve.degree)
        copy = replace(study.curves[-1], intercept=curve.intercept, use_errors=curve.use_errors)
        self.session.do("try another model", edits.change_fit(study, copy))
        self.session.show_curve(copy.id)

    def _turn_origin(self, checked: bool) -> None:
        self._change(intercept=not checked, label="through the origin" if checked else "with a constant")

    def _turn_errors(self, checked: bool) -> None:
        self._change(use_errors=checked, label="weight by ± of y" if checked else "equal weights")

    def _change(self, label: str, **values: bool) -> None:
        series, curve = self.session.series, self.session.curve
        if series is None:
            return
        study = self.session.study
        if curve is None:
            study = edits.add_fit(study, series.id, 1)
            curve = study.curves[-1]
        changed = replace(curve, **values)
        if not changed.intercept and changed.degree == 0:
            changed = replace(changed, degree=1)
        self.session.do(label, edits.change_fit(study, changed))

    def _turn_order(self) -> None:
        self._by_degree = not self._by_degree
        self.order.setText("by degree" if self._by_degree else "best first")
        self._arrange_line_up()

    def _show_points(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        self.plot.dress(self.session.style)
        self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
        if x is None or y is None:
            return
        rows = np.flatnonzero(series.measured)
        sigma = series.sigma if self._recipe(series).use_errors else None
        ink = self.session.ink(series)
        aside = ~series.kept[rows]
        self.plot.marks.set_data(x[rows], y[rows], rows, aside, ink, None if sigma is None else sigma[rows])
        used = rows[~aside]
        span = (float(x[used].min()), float(x[used].max())) if len(used) else None
        self.plot.beyond.set_span(span)
        self.plot.lower_beyond.set_span(span)
        shown = (series.key, series.place(Role.X), series.place(Role.Y))
        if shown != self._shown:
            self._shown = shown
            self.plot.line.set_curve(None)
            self.plot.show_home(x[rows], y[rows], beyond=True)

    def _show_fit(self, fit: DerivedFit) -> None:
        self.fit = fit
        self.refusal.hide()
        result = fit.result
        self.plot.line.set_curve(result.curve, result.level)
        self._show_residuals(fit)
        left, terms = equation_of(fit)
        chips = {}
        for (name, coefficient), unit in zip(result.coefficients.items(), coefficient_units(fit), strict=True):
            value, error = self.session.style.with_error(coefficient.value, coefficient.standard_error)
            chips[name] = Chip(f"{value} {unit}".strip(), error if coefficient.standard_error is not None else "")
        self.strip.show_equation(left, terms, chips)
        self.findings.show_fit(fit, "")
        self.readings.show_fit(fit)
        self.session.say("", "status")

    def _show_residuals(self, fit: DerivedFit) -> None:
        result, series = fit.result, fit.series
        aside = np.flatnonzero(series.measured & ~series.kept)
        x, y = series.values(Role.X), series.values(Role.Y)
        if x is None or y is None:
            return
        rows = np.concatenate([fit.rows, aside])
        misses = np.concatenate([result.residuals, y[aside] - result.curve(x[aside])])
        gone = np.arange(len(rows)) >= len(fit.rows)
        self.plot.residual_marks.set_data(x[rows], misses, rows, gone, self.session.ink(series))
        self.plot.set_residual_range(misses)

    def _show_refusal(self, sentence: str) -> None:
        self.fit = None
        self.plot.line.set_curve(None)
        empty = np.empty(0)
        self.plot.residual_marks.set_data(empty, empty, empty.astype(np.intp), empty.astype(bool), "")
        self.strip.show_equation(Text("y"), [], {})
        self.refusal.setText(sentence)
        self.refusal.show()
        self.findings.show_fit(None, sentence)
        self.readings.show_fit(None)

    def _start_line_up(self, series: Series, recipe: FitRecipe) -> None:
        key = (series.key, series.columns, series.set_aside, series.error_of_y, recipe.intercept, recipe.use_errors)
        if key == self._lined_up:
            self.line_up.mark(self._chosen_degree())
            return
        self._lined_up = key
        degrees = range(0 if recipe.intercept else 1, HIGHEST_IN_LINE_UP + 1)

        def work() -> LineUpAnswer:
            fits, refusals = {}, {}
            for degree in degrees:
                try:
                    fits[degree] = fit_series(series, replace(recipe, degree=degree, formula=""))
                except VettoreError as error:
                    refusals[degree] = str(error)
            return LineUpAnswer(fits, refusals)

        self.session.background.run("line-up", work, self._show_line_up, lambda _sentence: None)

    def _show_line_up(self, answer: LineUpAnswer) -> None:
        weights = akaike_weights([fit.result for fit in answer.fits.values()]) if answer.fits else ()
        self._candidates = [
            Candidate(degree, degree_name(degree), fit.result.curve, weight)
            for (degree, fit), weight in zip(answer.fits.items(), weights, strict=True)
        ]
        self._candidates += [Candidate(d, degree_name(d), refusal=text) for d, text in answer.refusals.items()]
        self._arrange_line_up()

    def _arrange_line_up(self) -> None:
        series = self.session.series
        if series is None:
            return
        ordered = sorted(self._candidates, key=lambda one: one.degree)
        if not self._by_degree:
            # Near-equal weights keep the simpler model first.
            ordered.sort(key=lambda one: (one.curve is None, -round(one.weight, 3)))
        x, y = series.values(Role.X), series.values(Role.Y)
        if x is None or y is None:
            return
        points = (x[series.in_use], y[series.in_use])
        self.line_up.show_candidates(ordered, points, self._chosen_degree(), self.session.style)

    def _chosen_degree(self) -> int:
        """Return the degree of the chosen curve, or −1 when it is no polynomial."""
        curve = self.session.curve
        return -1 if curve is None or curve.formula else curve.degree

    def _show_pennants(self) -> None:
        fit = self.fit
        if fit is None:
            self.plot.pennants.set_flags([])
            return
        study, style = self.session.study, self.session.style
        x_unit, y_unit = (c.unit if c else "" for c in (fit.series.column(Role.X), fit.series.column(Role.Y)))
        flags = []
        kept = [derive_reading(study, one) for one in study.readings_of(fit.recipe.id)] if fit.recipe.id else []
        for reading, is_kept in [*((one, True) for one in kept), *((one, False) for one in self.readings.present())]:
            if reading.recipe.asked is Asked.VALUE and reading.value is not None:
                text = style.pair(reading.value, reading.standard_error, y_unit)
                flags.append((reading.recipe.at, reading.value, text, is_kept))
            for one in reading.crossings:
                text = style.pair(one.x, one.standard_error, x_unit)
                flags.append((one.x, reading.recipe.at, text, is_kept))
        self.plot.pennants.set_flags(flags)

    def _show_rows(self) -> None:
        self.rows.setVisible(bool(self.session.rows))
        self.plot.marks.set_chosen(self.session.rows)
        self.plot.residual_marks.set_chosen(self.session.rows)

    def _show_pointed(self, row: int) -> None:
        if self.visible:
            self.plot.marks.set_pointed(row)
            self.plot.residual_marks.set_pointed(row)
