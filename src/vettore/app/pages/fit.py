"""The Fit page: the equation above, the curve through the points, the residuals below; what the fit says."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.fit_choosing import ModelHands
from vettore.app.pages.fit_comparing import Comparing
from vettore.app.pages.fit_hands import StripHands
from vettore.app.pages.fit_line_up import LineUpFiller
from vettore.app.pages.fit_over import OverStage
from vettore.app.pages.fit_pennants import flags_of, kept_readings
from vettore.app.pages.fit_residuals import residuals_of
from vettore.app.pages.fit_shaping import Shaping
from vettore.app.pages.page import Doors, Page
from vettore.app.search import Search
from vettore.app.session import Session
from vettore.app.stage.grips import Grips
from vettore.app.stage.plot import Plot
from vettore.app.strip.equation import EquationStrip
from vettore.app.style import theme
from vettore.app.widgets.fit_findings import FitFindings
from vettore.app.widgets.formula_bench import FormulaBench
from vettore.app.widgets.how_fitted import HowFitted
from vettore.app.widgets.line_up_panel import LineUpPanel
from vettore.app.widgets.parts import Invitation, about, button, label, rule
from vettore.app.widgets.reading_bar import ReadingBar
from vettore.app.widgets.row_bar import RowBar
from vettore.app.widgets.without_bar import WithoutBar
from vettore.app.work import breathe
from vettore.core.typeset import Text
from vettore.study.fits import DerivedFit, fit_series, response_of
from vettore.study.kinds.fits import AnyFit
from vettore.study.line_up import Key
from vettore.study.pulls import Pulls, pulls_of
from vettore.study.series import Role, Series
from vettore.study.without import Without, fit_without
from vettore.words.fits import rows_words, weights_in_words

# Fitted points lie on the measured ones and are smaller.
FITTED_RADIUS = 2.2
# A search that takes longer than this, in ms, says so and can be stopped.
SAYS_SO_AFTER = 400


class FitPage(StripHands, ModelHands, Page):
    """Choose a model, see it, judge it, read from it."""

    name = "Fit"
    help_page = "fit.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.fit: DerivedFit | None = None
        self._shown: tuple[object, ...] = ()
        self._shaping: Shaping | None = None
        # What is shown of a series, by its content, while none of its models has been chosen.
        self._suggested: dict[tuple[str, str], tuple[Key, AnyFit]] = {}
        self._pulls: Pulls | None = None
        self._search = Search()
        self._under_way: tuple[Series, AnyFit] | None = None
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._build_choices()
        self._build_stage()
        self._waiting.timeout.connect(self.searching.show)
        self.findings = FitFindings(session, self.preview_without, self.take_better)
        self.findings.replayed.connect(self.show_step)
        session.own_models.changed.connect(self.refresh)
        session.pointed_changed.connect(self._show_pointed)

    def _build_choices(self) -> None:
        self.choices = QWidget()
        box = QVBoxLayout(self.choices)
        box.setContentsMargins(10, 8, 6, 10)
        box.addWidget(rule())
        self.panel = LineUpPanel()
        self.line_up = self.panel.line_up
        self.line_up.chosen.connect(self.choose)
        self.filler = LineUpFiller(self.session, self.panel, self._chosen_key)
        self.comparing = Comparing(self.session, self.filler, self._present_recipe, self.choose)
        self.filler.filled.connect(self._suggest)
        self.panel.comparison_asked.connect(self.comparing.open)
        self.panel.degrees_asked.connect(self.comparing.open_ladder)
        box.addWidget(self.panel, 1)
        self.how = HowFitted()
        self.how.origin_turned.connect(self._turn_origin)
        self.how.weights_chosen.connect(self._weigh)
        self.how.known_turned.connect(self._turn_known)
        self.how.x_errors_turned.connect(self._turn_x_errors)
        self.how.loss_chosen.connect(self._choose_loss)
        self.how.span_asked.connect(self._ask_span)
        self.another = button("Add a curve", self._add_another, "link", "Keep this curve and fit a second one")
        self.more = button(
            "Over several series …", self.fit_several, "link", "The same model over many series at once"
        )
        self.write = button("Your own formula …", self.open_bench, "", "Any formula over the columns (Ctrl+E)")
        QShortcut(QKeySequence("Ctrl+E"), self.write, self.open_bench)
        links = QVBoxLayout()
        links.setSpacing(0)
        for link in (self.another, self.more):
            links.addWidget(link, alignment=Qt.AlignmentFlag.AlignLeft)
        box.addWidget(self.how)
        box.addLayout(links)
        box.addWidget(self.write)

    def _build_stage(self) -> None:
        self.strip = EquationStrip()
        self.strip.shaped.connect(self.shape)
        self.strip.released.connect(self._let_go)
        self.strip.held.connect(self.turn_hold)
        self.strip.asked.connect(self.ask_coefficient)
        self.strip.refit.connect(self.refit)
        self.plot = Plot(self.session.say, with_residuals=True)
        self.grips = Grips()
        self.plot.put(self.grips, 45)
        self.grips.pulled.connect(self.pull)
        self.grips.released.connect(self._let_go)
        self.first = self.plot
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.bench = FormulaBench(self.session, self.session.own_models)
        self.own = self.bench.field
        self.bench.asked.connect(self.fit_own)
        self.bench.spread.connect(lambda on: [part.setVisible(not on) for part in (self.strip, self.readings)])
        self.readings = ReadingBar(self.session)
        self.rows = RowBar(self.session, self.preview_without)
        self.without = WithoutBar(self.session)
        self.without.closed.connect(self._leave_preview)
        self.searching = QWidget()
        line = QHBoxLayout(self.searching)
        line.setContentsMargins(18, 4, 18, 4)
        line.addWidget(label("Searching for the best values …", "muted"))
        line.addWidget(button("Stop", self.stop_search, "link", "Give up this search"))
        line.addStretch()
        self.searching.hide()
        self._lay_out_stage()
        self._listen()

    def _lay_out_stage(self) -> None:
        """Put the parts of the stage under each other, and what may open over them beside it."""
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget, stretch in (
            (self.strip, 0),
            (self.searching, 0),
            (self.bench, 0),
            (self.comparing.ladder, 0),
            (self.refusal, 0),
            (self.plot, 1),
            (self.rows, 0),
            (self.without, 0),
            (self.readings, 0),
        ):
            box.addWidget(widget, stretch)
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        stage.addWidget(
            Invitation("A fit needs measured points. Bring in data first.", "Open a file …", self.doors.open_file)
        )
        stage.addWidget(filled)
        self.comparing.set_stage(stage)
        self.over = OverStage(self.session, stage, self.filler, self._chosen_key, self.choose)
        self.panel.more_asked.connect(self.over.open_sheet)
        self.stage = stage

    def _listen(self) -> None:
        """Heed what is done on the stage, and say what its parts are about."""
        self.readings.read_changed.connect(self._show_pennants)
        self.plot.span_dragged.connect(self._take_span)
        self.plot.place_clicked.connect(self.readings.read_at)
        self.plot.row_pointed.connect(self.session.point)
        self.plot.row_clicked.connect(self.session.choose_clicked)
        self.rows.add_keys(self.plot)
        about("fit.md#shape-a-curve-by-hand", self.strip)
        about("fit.md#write-your-own-formula", self.bench, self.write)
        about("fit.md#choose-a-model", self.panel)
        about("fit.md#decide-how-it-is-fitted", self.how)
        about("fit.md#read-values", self.readings)
        about("data.md#set-rows-aside", self.rows, self.without)
        about("fit.md#fit-several-series", self.more)

    def refresh(self) -> None:
        """Show the chosen series with its chosen curve; a series without one gets a straight line drawn."""
        series = self.session.series
        if series is None or self.stage.currentIndex() <= 1:
            self.stage.setCurrentIndex(0 if series is None else 1)
        self.choices.setEnabled(series is not None)
        if series is None:
            self.fit = None
            self.findings.show_fit(None, "")
            self.filler.clear()
            return
        self._show_points(series)
        self.show_rows()
        recipe = self._recipe(series)
        self.bench.show_series()
        self.how.show_recipe(series, recipe, self.session.style)
        self.another.setEnabled(self.session.curve is not None)
        self._begin(series, recipe)

    def _begin(self, series: Series, recipe: AnyFit) -> None:
        """Fit in the background; what was searched for before ends after its round."""
        if self._under_way is not None and self._under_way[0] is series and self._under_way[1] == recipe:
            # One edit tells of itself more than once.
            return
        self._under_way = (series, recipe)
        self._search.stopped = True
        search = self._search = Search()

        def done(fit: DerivedFit) -> None:
            self._show_fit(fit)
            # Only now, so that the models of the line-up do not hold up the chosen one.
            self.filler.fill(series, recipe)
            self.comparing.refresh()

        def failed(sentence: str) -> None:
            self._show_refusal(sentence)
            self.filler.fill(series, recipe)

        def work() -> DerivedFit:
            if recipe.formula:
                breathe()
            return fit_series(series, recipe, lambda _round, _squares: search.stopped).get_ready()

        self._waiting.start(SAYS_SO_AFTER)
        self.session.background.run("fit", work, done, failed, 1)

    def fit_window(self) -> None:
        """A low window has a lower strip."""
        self.strip.fit_window()

    def close_topmost(self) -> bool:
        """Close a view over the stage, the preview without rows, the ladder of degrees, or the bench for formulas."""
        if self.over.close():
            return True
        for part, close in (
            (self.without, self.without.close_bar),
            (self.comparing.ladder, self.comparing.ladder.hide),
            (self.bench, self.bench.put_away),
        ):
            if part.isVisible():
                close()
                return True
        return False

    def stop_search(self) -> None:
        """Give up the search that is going on."""
        self._search.stopped = True
        self.session.background.drop("fit")
        self.session.search_stopped.emit()
        self._done_waiting()
        self._show_refusal("The search was stopped. Choose another model, or give a coefficient its value or limits.")

    def _done_waiting(self) -> None:
        self._under_way = None
        self._waiting.stop()
        self.searching.hide()

    def status(self) -> list[str]:
        """Say what was used."""
        if self.fit is None:
            return []
        used = f"rows: {rows_words(self.fit)}"
        return [used, str(self.fit.result.method), weights_in_words(self.fit.result)]

    def _suggest(self) -> None:
        """Show the simplest of the equally good models while the user has chosen none."""
        series, best = self.session.series, self.filler.best()
        if series is None or self.session.curve is not None or self.fit is None or best is None or best.fit is None:
            return
        if self._suggested.get((series.id, series.key)) != (best.key, best.fit.recipe):
            self._suggested = {(series.id, series.key): (best.key, best.fit.recipe)}
            self._begin(series, best.fit.recipe)

    def fit_several(self) -> None:
        """Open the table of this model over many series."""
        if self.fit is not None:
            self.over.open_several(self.fit)

    def _say_refusal(self, sentence: str) -> None:
        self.refusal.setText(sentence)
        self.refusal.show()

    def preview_without(self, rows: list[int]) -> None:
        """Show what the fit would become without rows, before they are set aside."""
        fit = self.fit
        if fit is None:
            return

        def done(found: Without) -> None:
            self.plot.ghost.set_curve(found.then.curve)
            self.without.show_without(found)
            # So that the plot stays large.
            self.readings.hide()

        self.session.background.run(
            "without", lambda: fit_without(fit.series, fit.recipe, rows), done, self._say_refusal
        )

    def _leave_preview(self) -> None:
        self.plot.ghost.set_curve(None)
        self.readings.setVisible(not self.bench.terms.isVisible())

    def _show_points(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        self.plot.dress(self.session.style)
        if x is None or y is None:
            self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
            return
        # A formula of ln(y) is drawn, and missed, on the axis of ln(y).
        y, called = response_of(series, self._recipe(series))
        self.plot.set_titles(series.label(Role.X), called)
        rows = np.flatnonzero(series.measured & np.isfinite(y))
        sigma = series.sigma if self._recipe(series).use_errors else None
        ink = self.session.ink(series)
        aside = ~series.kept[rows]
        bars = None if sigma is None or called != series.label(Role.Y) else sigma[rows]
        in_x = series.values(Role.X_ERROR) if sigma is not None and self._recipe(series).use_x_errors else None
        across = None if in_x is None else in_x[rows]
        self.plot.marks.set_data(x[rows], y[rows], rows, aside, ink, bars, error_of_x=across)
        used = rows[~aside]
        within = self._recipe(series).span
        if within is not None:
            used = used[(x[used] >= within[0]) & (x[used] <= within[1])]
        span = (float(x[used].min()), float(x[used].max())) if len(used) else None
        self.plot.beyond.set_span(span)
        self.plot.lower_beyond.set_span(span)
        shown = (series.key, series.place(Role.X), series.place(Role.Y), called)
        if shown != self._shown:
            self._shown = shown
            self.plot.line.set_curve(None)
            self.plot.show_home(x[rows], y[rows], beyond=True)

    def _show_fit(self, fit: DerivedFit) -> None:
        self.fit = fit
        self._done_waiting()
        self.refusal.hide()
        result = fit.result
        self.plot.line.set_curve(fit.curve, result.level)
        # A model over several columns has no line here; what it says of each row is drawn instead.
        fitted = [] if fit.curve is not None else [("fitted", fit.x, result.fitted, theme().fit)]
        self.plot.show_others(fitted, ("measured", self.session.ink(fit.series)))
        for marks in self.plot.others:
            marks.radius = FITTED_RADIUS
            marks.setZValue(12)
        self._show_residuals(fit)
        self._shaping, self._pulls = None, pulls_of(fit)
        self.without.close_bar()
        self.strip.show_shaped("")
        self._show_equation(fit)
        self._show_grips()
        self.findings.show_fit(fit, "")
        self.readings.show_fit(fit)
        self.session.say("", "status")

    def _show_residuals(self, fit: DerivedFit) -> None:
        shown, marks = residuals_of(fit), self.plot.residual_marks
        ink = self.session.ink(fit.series)
        marks.set_data(shown.x, shown.residuals, shown.rows, shown.aside, ink, beyond=shown.beyond)
        self.plot.set_residual_range(shown.residuals)

    def _show_refusal(self, sentence: str) -> None:
        self.fit = None
        self._done_waiting()
        self.plot.line.set_curve(None)
        self.plot.show_others([], ("", ""))
        self.grips.set_grips([])
        empty = np.empty(0)
        self.plot.residual_marks.set_data(empty, empty, empty.astype(np.intp), empty.astype(bool), "")
        self.strip.show_equation(Text("y"), [], {})
        self.refusal.setText(sentence)
        self.refusal.show()
        self.findings.show_fit(None, sentence)
        self.readings.show_fit(None)

    def _show_pennants(self) -> None:
        self.plot.pennants.set_flags([])
        if self.fit is not None:
            kept = kept_readings(self.session.study, self.fit)
            present = self.readings.present()
            self.plot.pennants.set_flags(flags_of(self.fit, kept, present, self.session.style))
            self.findings.show_present(present, self.readings.refusals)

    def show_rows(self) -> None:
        """Ring the chosen rows on the plots, and offer what can be done with them."""
        self.rows.setVisible(bool(self.session.rows))
        self.plot.marks.set_chosen(self.session.rows)
        self.plot.residual_marks.set_chosen(self.session.rows)

    def _show_pointed(self, row: int) -> None:
        if self.visible:
            self.plot.marks.set_pointed(row)
            self.plot.residual_marks.set_pointed(row)
