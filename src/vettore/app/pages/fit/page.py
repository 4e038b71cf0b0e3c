"""The Fit page: the equation above, the curve through the points, the residuals below; what the fit says."""

from __future__ import annotations

from PySide6.QtCore import QTimer

from vettore.app.pages.fit.choices import FitChoices
from vettore.app.pages.fit.comparing import Comparing
from vettore.app.pages.fit.deciding import FitDeciding
from vettore.app.pages.fit.hands import Hands
from vettore.app.pages.fit.line_up import LineUpFiller
from vettore.app.pages.fit.over import OverStage
from vettore.app.pages.fit.peak_hands import PeakHands
from vettore.app.pages.fit.pennants import flags_of
from vettore.app.pages.fit.present import points_of
from vettore.app.pages.fit.stage import Stage
from vettore.app.pages.page import Doors, Page
from vettore.app.search import Search
from vettore.app.session import Session
from vettore.app.stage.hand_box import Hand
from vettore.app.widgets.fits.fit_findings import FitFindings
from vettore.app.work import breathe
from vettore.study.fitting.fits import DerivedFit, fit_series
from vettore.study.fitting.line_up import Key
from vettore.study.fitting.pulls import formula_of
from vettore.study.fitting.without import Without, fit_without
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import Role, Series
from vettore.words.fits import status_of

# A search that takes longer than this, in ms, says so and can be stopped.
SAYS_SO_AFTER = 400


class FitPage(Page):
    """Choose a model, see it, judge it, read from it."""

    name = "Fit"
    help_page = "fit.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self._search = Search()
        self._under_way: tuple[Series, AnyFit] | None = None
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self.deciding = FitDeciding(session, lambda sentence: self.drawn.say(sentence))
        self.choices = FitChoices(
            {"another": self.deciding.add_another, "several": self.fit_several, "formula": self.open_bench}
        )
        self.panel, self.how, self.line_up = self.choices.panel, self.choices.how, self.choices.panel.line_up
        self.filler = LineUpFiller(session, self.panel, self.deciding.chosen_key)
        self.comparing = Comparing(session, self.filler, self.deciding.present_recipe, self.choose)
        ladder = self.comparing.ladder
        self.stage = self.drawn = Stage(session, doors.open_file, self.stop_search, self.preview_without, ladder)
        self.plot, self.strip, self.bench = self.drawn.plot, self.drawn.strip, self.drawn.bench
        self.readings, self.own = self.drawn.readings, self.drawn.bench.field
        self.first = self.plot
        self.hands = Hands(self.deciding, self.strip, self.plot, self.drawn.grips, self.drawn.peaks)
        self.comparing.set_stage(self.drawn)
        self.over = OverStage(session, self.drawn, self.filler, self.deciding.chosen_key, self.choose)
        self.findings = FitFindings(session, self.preview_without, self.deciding.take_better)
        table, mark = self.findings.peaks, self.drawn.peak_more
        self.peaks = PeakHands(self.deciding, self.hands, self.choices.peaks, table, mark)
        self._listen()

    @property
    def fit(self) -> DerivedFit | None:
        """The fit that is shown."""
        return self.deciding.fit

    def _listen(self) -> None:
        how, deciding, panel = self.how, self.deciding, self.panel
        how.origin_turned.connect(deciding.turn_origin)
        how.weights_chosen.connect(deciding.weigh)
        how.known_turned.connect(deciding.turn_known)
        how.x_errors_turned.connect(deciding.turn_x_errors)
        how.loss_chosen.connect(deciding.choose_loss)
        how.noise_chosen.connect(deciding.choose_noise)
        how.span_asked.connect(self._ask_span)
        self.line_up.chosen.connect(self.choose)
        self.filler.filled.connect(self._suggest)
        panel.comparison_asked.connect(self.comparing.open)
        panel.degrees_asked.connect(self.comparing.open_ladder)
        panel.more_asked.connect(self.over.open_sheet)
        self._waiting.timeout.connect(self.drawn.searching.show)
        self.findings.next_asked.connect(lambda: self.drawn.ask_next(self.fit))
        self.findings.replayed.connect(self.hands.show_step)
        self.bench.requested.connect(self.fit_own)
        self.bench.several.connect(lambda text: deciding.fit_equations(text) and self.doors.show_page("Equations"))
        self.readings.read_changed.connect(self._show_pennants)
        self.plot.span_dragged.connect(self._take_span)
        self.plot.place_clicked.connect(lambda x: self.peaks.take_click(x) or self.readings.read_at(x))
        self.drawn.without.closed.connect(self.drawn.leave_preview)
        self.session.own_models.changed.connect(self.refresh)
        self.session.pointed_changed.connect(self._show_pointed)

    # What is shown.

    def refresh(self) -> None:
        """Show the chosen series with its chosen curve; a series without one gets a straight line drawn."""
        series = self.session.series
        if series is None or self.drawn.currentIndex() <= 1:
            self.drawn.setCurrentIndex(0 if series is None else 1)
        self.choices.setEnabled(series is not None)
        if series is None:
            self.deciding.fit = None
            self.peaks.take_fit(None)
            self.findings.show_fit(None, "")
            self.filler.clear()
            return
        recipe = self.deciding.recipe(series)
        titles = (series.label(Role.X), series.label(Role.Y))
        self.drawn.show_points(points_of(series, recipe), titles, self.session.ink(series))
        self.show_rows()
        self.bench.show_series()
        self.how.show_recipe(series, recipe, self.session.style)
        self.choices.peaks.show_recipe(recipe)
        self.choices.another.setEnabled(self.session.curve is not None)
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
            if not self.visible:
                # It is remembered, and shown when the page is: nothing is laid out that nobody sees.
                self._stale = True
                self._done_waiting()
                return
            self._show_fit(fit)
            # Only now, so that the models of the line-up do not hold up the chosen one.
            self.filler.fill(series, recipe)
            self.comparing.refresh()

        def failed(sentence: str) -> None:
            self._show_refusal(sentence)
            self.filler.fill(series, recipe)

        def work() -> DerivedFit:
            if not isinstance(recipe, PolynomialFit):
                breathe()
            return fit_series(series, recipe, lambda _round, _squares: search.stopped).get_ready()

        self._waiting.start(SAYS_SO_AFTER)
        self.session.background.run("fit", work, done, failed, 1)

    def _show_fit(self, fit: DerivedFit) -> None:
        self.deciding.fit = fit
        self._done_waiting()
        self.drawn.show_fit(fit)
        self.peaks.take_fit(fit)
        self.findings.show_fit(fit, "")
        self.how.show_checks(fit.recipe, fit.checks)
        self.readings.show_fit(fit)
        self.drawn.show_next(fit)
        self.session.say("", "status")

    def _show_refusal(self, sentence: str) -> None:
        self.deciding.fit = None
        self._done_waiting()
        self.peaks.take_fit(None)
        self.drawn.refuse(sentence)
        self.findings.show_fit(None, sentence)
        self.readings.show_fit(None)
        self.drawn.show_next(None)

    def _show_pennants(self) -> None:
        self.plot.pennants.set_flags([])
        if self.fit is not None:
            kept = self.drawn.kept.of(self.session.study, self.fit)
            present = self.readings.present()
            self.plot.pennants.set_flags(flags_of(self.fit, kept, present, self.session.style))
            self.findings.show_present(present, self.readings.refusals)

    def _suggest(self) -> None:
        """Show the simplest of the equally good models while the user has chosen none."""
        series, best = self.session.series, self.filler.best()
        if series is None or self.session.curve is not None or self.fit is None or best is None or best.fit is None:
            return
        if self.deciding.suggest(series, best.key, best.fit.recipe):
            self._begin(series, best.fit.recipe)

    def status(self) -> list[str]:
        """Say what was used."""
        return [] if self.fit is None else status_of(self.fit)

    def show_rows(self) -> None:
        """Ring the chosen rows on the plots, and offer what can be done with them."""
        self.drawn.show_chosen(self.session.rows)

    def _show_pointed(self, row: int) -> None:
        if self.visible:
            self.drawn.show_pointed(row)

    def fit_window(self) -> None:
        """A low window has a lower strip."""
        self.strip.fit_window()

    # What is done.

    def choose(self, key: Key) -> None:
        """Make the chosen curve a model of the line-up."""
        self.deciding.choose(key)

    def fit_own(self, text: str) -> None:
        """Fit the formula that was written."""
        self.deciding.fit_own(text, self.bench.say)

    def open_bench(self) -> None:
        """Open the bench on the formula of the curve."""
        self.bench.open(formula_of(self.fit) if self.fit is not None else "")

    def fit_several(self) -> None:
        """Open the table of this model over many series."""
        if self.fit is not None:
            self.over.open_several(self.fit)

    def take_back(self) -> bool:
        """Go back to the curve before the last drag, which is the fit before the first."""
        return self.hands.take_back()

    def close_topmost(self) -> bool:
        """Close a view over the stage, the preview without rows, where to measure next, the ladder, or the bench."""
        if self.over.close():
            return True
        without = self.drawn.without
        for part, close in (
            (without, without.close_bar),
            (self.drawn.next, self.drawn.next.hide),
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
        self._show_refusal("The search was stopped. Choose another model, or give a coefficient its value or limits.")

    def _done_waiting(self) -> None:
        self._under_way = None
        self._waiting.stop()
        self.drawn.searching.hide()

    def _ask_span(self, dragged: bool) -> None:
        """Let a span of x be dragged on the plot, or fit all x again."""
        if not dragged:
            self.deciding.take_span(None)
            return
        self.plot.set_hand(Hand.SPAN)
        self.how.show_dragging()

    def _take_span(self, low: float, high: float) -> None:
        """Fit only rows with x in a span; the hand moves the view again."""
        self.plot.set_hand(Hand.MOVE)
        self.deciding.take_span((low, high))

    def preview_without(self, rows: list[int]) -> None:
        """Show what the fit would become without rows, before they are set aside."""
        fit = self.fit
        if fit is None:
            return

        def done(without: Without) -> None:
            self.plot.ghost.set_curve(without.then.curve)
            self.drawn.without.show_without(without)
            # So that the plot stays large.
            self.readings.hide()

        self.session.background.run(
            "without", lambda: fit_without(fit.series, fit.recipe, rows), done, self.drawn.say
        )
