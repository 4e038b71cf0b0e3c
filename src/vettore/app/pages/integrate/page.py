"""The Integrate page: drag limits, choose rule and baseline, keep areas; find peaks; or take a function."""

from __future__ import annotations

from dataclasses import replace

from vettore.app.pages.integrate.choices import AreaChoices
from vettore.app.pages.integrate.derived import Answer, AreaAnswer, IntegralRequest, request_of
from vettore.app.pages.integrate.findings import AreaFindings
from vettore.app.pages.integrate.making import SLOPE_WIDTH, running_area, with_peaks
from vettore.app.pages.integrate.present import EXAMPLE, IntegrateView, present
from vettore.app.pages.integrate.stage import AreaStage
from vettore.app.pages.integrate.state import IntegrateState, Typed
from vettore.app.pages.page import Doors, Page
from vettore.app.session import Session
from vettore.core.errors import VettoreError
from vettore.core.integration.rules import RULES
from vettore.study import edits, edits_of_curves
from vettore.study.areas import UNDER_FIT, baseline_typed
from vettore.study.derive_curves import points_in_use, slopes_of


class IntegratePage(Page):
    """Holds the state, asks for what it needs in the background, and has the widgets draw the view."""

    name = "Integrate"
    help_page = "integrate.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.state = IntegrateState()
        self.answer: Answer | None = None
        self._refusal = ""
        self._view: IntegrateView | None = None
        choices, stage, findings = (
            AreaChoices(),
            AreaStage(doors.open_file, self.show_example, session.say),
            AreaFindings(),
        )
        self.choices, self.stage, self.findings = choices, stage, findings
        self._parts = (choices, stage, findings)
        self.plot = stage.plot
        self.first = stage.plot
        choices.points.rule_chosen.connect(self._choose_rule)
        choices.points.baseline_typed.connect(self._take_baseline)
        choices.points.area_chosen.connect(self.choose_area)
        choices.points.peaks_asked.connect(self.find_peaks)
        choices.turned.connect(self.turn)
        choices.panel.taken.connect(self.take_function)
        choices.panel.chosen.connect(self.show_function)
        stage.limit_moved.connect(self.move_limit)
        stage.asks.typed.connect(self._read_function)
        stage.asks.keep_asked.connect(self.turn_function)
        stage.plot.row_pointed.connect(session.point)
        findings.keep_asked.connect(self.keep_area)
        findings.series_asked.connect(self.make_series)
        findings.slopes_asked.connect(self.make_slopes)

    # What is shown.

    def refresh(self) -> None:
        """Take up what the study holds now, ask for the area anew, and show what is known."""
        series = self.session.series
        self.state = self.state.on(series.id if series is not None else "")
        self.answer, self._refusal = None, ""
        try:
            wanted = request_of(self.session.study, self.state)
        except VettoreError as error:
            self._refuse(str(error))
            return
        if wanted is None:
            self.session.background.drop("area")
            self.draw()
            return
        self.draw()
        self._ask(wanted)

    def _ask(self, wanted: IntegralRequest) -> None:
        self.session.background.run("area", wanted.answer, self._have, self._refuse, 1)

    def _have(self, answer: Answer) -> None:
        self.answer, self._refusal = answer, ""
        self.draw()
        self.session.say("", "status")

    def _refuse(self, sentence: str) -> None:
        self.answer, self._refusal = None, sentence
        self.draw()

    def draw(self) -> None:
        """Have the widgets show the state and what is known."""
        session = self.session
        curve = session.curve.id if session.curve is not None else ""
        self._view = view = present(session.study, self.state, curve, self.answer, self._refusal, session.style)
        choices, stage, findings = self._parts
        choices.draw(view)
        stage.draw(view, session.ink(view.series) if view.series is not None else "", session.style)
        findings.draw(view)

    def status(self) -> list[str]:
        """Say what was used."""
        return list(self._view.status) if self._view is not None else []

    # What is done by hand.

    def move_limit(self, place: int, x: float) -> None:
        """Put one limit somewhere, inside the points."""
        if not isinstance(self.answer, AreaAnswer):
            return
        points, _, _ = points_in_use(self.answer.series)
        limits = [self.answer.area.a, self.answer.area.b]
        limits[place] = min(max(x, float(points.min())), float(points.max()))
        self._change("move a limit", start=limits[0], end=limits[1])

    def _choose_rule(self, rule: str) -> None:
        """Join the points otherwise, or take the area under the curve that is chosen in the tray."""
        curve = self.session.curve
        if rule != UNDER_FIT:
            self._change(f"area by {RULES[rule].lower()}", rule=rule, curve="")
        elif curve is not None:
            self._change("area under the fitted curve", rule=rule, curve=curve.id)

    def _take_baseline(self, text: str) -> None:
        known = self._view.baselines.get(text) if self._view is not None else None
        try:
            baseline = known or baseline_typed(text)
        except VettoreError as error:
            self.session.say(f"“{text}” is no baseline: {error}", "bad")
            return
        self._change("change the baseline", baseline=baseline)

    def _change(self, words: str, **values: object) -> None:
        recipe = self.state.area(self.session.study)
        if recipe is None or self.session.series is None:
            return
        changed = recipe.changed(**values)
        if changed == recipe:
            return
        if recipe.id:
            self.session.do(words, edits_of_curves.change_area(self.session.study, changed))
        else:
            self.state = replace(self.state, draft=changed)
            self.refresh()

    def choose_area(self, identity: str) -> None:
        """Show an area that is kept, or the one at hand again."""
        self.state = self.state.turned(identity)
        self.refresh()

    def keep_area(self) -> None:
        """Keep the area at hand, or let go of the one that is kept."""
        recipe = self.state.area(self.session.study)
        if recipe is None or not isinstance(self.answer, AreaAnswer):
            return
        if recipe.id:
            self.state = replace(self.state, kept="")
            self.session.do("let go of an area", edits_of_curves.remove_area(self.session.study, recipe.id))
            return
        whole = recipe.changed(start=self.answer.area.a, end=self.answer.area.b)
        study = edits_of_curves.add_area(self.session.study, whole)
        self.state = replace(self.state, kept=study.areas[-1].id)
        self.session.do("keep an area", study)

    def find_peaks(self) -> None:
        """Keep an area under every peak that stands out, above the line between its feet."""
        study, series = self.session.study, self.session.series
        recipe = self.state.area(study)
        if series is None or recipe is None:
            return

        def done(pair: tuple[int, object]) -> None:
            count, value = pair
            if not count:
                self.session.say("No peak stands out of the scatter of these points.")
                return
            if self.session.study is not study:
                self.session.say("The study has changed meanwhile; ask for the peaks again.")
                return
            self.state = replace(self.state, kept=value.areas[-count].id)
            words = "one peak" if count == 1 else f"{count} peaks"
            self.session.do(f"keep {words}", value)
            self.session.say(f"{words.capitalize()} found and kept; each can be adjusted.")

        style = self.session.style
        self.session.background.run("peaks", lambda: with_peaks(study, series, recipe, style), done, self._say_bad)

    def _say_bad(self, sentence: str) -> None:
        self.session.say(sentence, "bad")

    def make_slopes(self) -> None:
        """Make the slopes of the points a series of its own."""
        series = self.session.series
        if series is None:
            return

        def done(table: object) -> None:
            study = edits.add_series(self.session.study, table, f"{series.name}, slopes")
            self.session.do("make the slopes a series", study)
            self.session.say(f"Slopes by local parabolas over {SLOPE_WIDTH} rows came in as a new series.")

        self.session.background.run("slopes", lambda: slopes_of(series, SLOPE_WIDTH), done, self._say_bad)

    def make_series(self) -> None:
        """Make the running area a series of its own."""
        if isinstance(self.answer, AreaAnswer):
            table, name = running_area(self.answer.series, self.answer.area)
            study = edits.add_series(self.session.study, table, name)
            self.session.do("make the running area a series", study)

    # A function of x.

    def turn(self, of_function: bool) -> None:
        """Show the area under a function, or that under points."""
        self.state = replace(self.state, of_function=of_function)
        self.refresh()
        if of_function:
            self._parts[0].panel.function.setFocus()

    def show_example(self) -> None:
        """Show the area under a function that many have met."""
        self._parts[0].panel.fill(EXAMPLE, "-inf", "inf")
        self.take_function()

    def take_function(self) -> None:
        """Show the area under the function that was typed."""
        choices, stage, _ = self._parts
        typed = choices.panel.typed()
        asks = stage.asks
        self.state = replace(
            self.state,
            typed=replace(typed, at_x=asks.at_x.text(), where_y=asks.where_y.text()) if typed.formula else Typed(),
            of_function=True,
        )
        self.refresh()

    def show_function(self, identity: str) -> None:
        """Show a function that is kept."""
        kept = next(known for known in self.session.study.functions if known.id == identity)
        self._parts[0].panel.fill(kept.formula, kept.start, kept.end)
        self.take_function()

    def turn_function(self) -> None:
        """Keep the function that is shown, or let go of it."""
        study, typed = self.session.study, self.state.typed
        kept = self.state.function(study)
        if kept is not None:
            self.session.do("let go of a function", edits_of_curves.remove_function(study, kept.id))
        else:
            result = edits_of_curves.add_function(study, typed.formula, typed.start, typed.end)
            self.session.do("keep a function", result)

    def _read_function(self) -> None:
        """Answer at the x and at the y that were typed."""
        asks = self._parts[1].asks
        typed = replace(self.state.typed, at_x=asks.at_x.text(), where_y=asks.where_y.text())
        self.state = replace(self.state, typed=typed)
        self.draw()
