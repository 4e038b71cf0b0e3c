"""The Equations page: schemes over measured columns, equations of one's own, shaped by hand, judged and read."""

from __future__ import annotations

from dataclasses import replace

from vettore.app.pages.equations.bench import EquationsBench
from vettore.app.pages.equations.choices import EquationsChoices
from vettore.app.pages.equations.deciding import EquationsDeciding
from vettore.app.pages.equations.derived import SystemRequest
from vettore.app.pages.equations.findings import EquationsFindings
from vettore.app.pages.equations.hands import EquationsHands
from vettore.app.pages.equations.present import EquationsView, bench_of, present
from vettore.app.pages.equations.stage import SHAPED, EquationsStage
from vettore.app.pages.equations.state import EquationsState
from vettore.app.pages.equations.trying import SchemeTrier
from vettore.app.pages.page import Doors, Page
from vettore.app.search import Search
from vettore.app.session import Session
from vettore.study.fitting.systems import DerivedSystem
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.remembered import content_of
from vettore.study.series import Series


class EquationsPage(Page):
    """Holds the state, asks for what it needs in the background, and has the widgets draw the view."""

    name = "Equations"
    help_page = "equations.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.state = EquationsState()
        self.deciding, self.trier = EquationsDeciding(session), SchemeTrier(session)
        self.system: DerivedSystem | None = None
        self._refusal = ""
        self._view: EquationsView | None = None
        self._search = Search()
        self._asked_for: object = None
        choices, stage, findings = (
            EquationsChoices(),
            EquationsStage(doors.open_file, session.say),
            EquationsFindings(),
        )
        self.choices, self.stage, self.findings = choices, stage, findings
        self._parts = (choices, stage, findings)
        self.plot = self.first = stage.plot
        self.strip = stage.strip
        self.hands = EquationsHands(self.deciding, stage, lambda: self._view)
        choices.over_chosen.connect(self.choose_over)
        choices.column_turned.connect(self.turn_column)
        choices.scheme_chosen.connect(self.choose_scheme)
        choices.write_asked.connect(self.open_bench)
        choices.kept_chosen.connect(self.choose_kept)
        choices.another_asked.connect(self.keep_another)
        choices.removal_asked.connect(self.remove)
        choices.states_turned.connect(self.turn_states)
        stage.front_chosen.connect(self.bring_to_front)
        stage.reading_typed.connect(self.read)
        stage.bench.changed.connect(self._draw_bench)
        stage.bench.requested.connect(self.fit_written)
        stage.bench.closed.connect(self.close_topmost)
        stage.plot.row_clicked.connect(session.choose_clicked)
        stage.plot.row_pointed.connect(session.point)
        findings.hold_turned.connect(self.hands.turn_hold)
        findings.unkeep_asked.connect(self.drop_reading)
        findings.report_asked.connect(self.show_report)
        self.trier.grown.connect(self._take_tried)
        session.pointed_changed.connect(self._ring)
        session.search_stopped.connect(self._give_up)

    # What is shown.

    @property
    def recipe(self) -> EquationsRecipe | None:
        """The system that is shown."""
        return self.state.recipe(self.session.study)

    @property
    def bench(self) -> EquationsBench:
        """Where equations are written."""
        return self._parts[1].bench

    def refresh(self) -> None:
        """Take up what the study holds now, ask for what is missing, and show what is known."""
        series = self.session.series
        self.state = self.state.on(self.session.study, series)
        self.hands.shaped = None
        if series is None:
            self._search.stopped = True
            self.trier.clear()
            self.system, self._refusal, self._asked_for = None, "", None
            self.draw()
            return
        self._ask(series)
        self.trier.fill(series, self.state.tried(series), self.state.over(self.session.study, series))
        self.draw()

    def _ask(self, series: Series) -> None:
        """Fit the system that is shown, unless it is known or under way."""
        recipe = self.recipe
        wanted = (series.id, content_of(series), series.columns, recipe)
        if wanted == self._asked_for:
            return
        self._asked_for, self._refusal = wanted, ""
        self._search.stopped = True
        # What is shown stays until the new answer is there, if it is of the same series.
        if recipe is None or self.system is None or self.system.series.id != series.id:
            self.system = None
        if recipe is None:
            return
        self._search = Search()
        request = SystemRequest(series, recipe, self._search)

        def have(system: DerivedSystem | None, sentence: str = "") -> None:
            if self._asked_for == wanted:
                self.system, self._refusal = system, sentence
                self.hands.shaped = None
                self.draw()
                self.session.say("", "status")

        self.session.background.run("equations", request.answer, have, lambda sentence: have(None, sentence), 1)

    def _take_tried(self) -> None:
        """Show one more scheme; the likeliest of all while the user has chosen none."""
        best, series = self.trier.best, self.session.series
        if best is not None and series is not None and series.id == self.state.series:
            self.state = replace(self.state, suggested=best.recipe)
            self._ask(series)
        if self.visible:
            self.draw()

    def draw(self) -> None:
        """Have the widgets show the state and what is known."""
        session, (choices, stage, findings) = self.session, self._parts
        view = self._view = present(
            session.study, self.state, self.system, self._refusal, self.trier.tried, session.style
        )
        trying = f"{self.trier.waiting} more to be tried …" if self.trier.waiting else ""
        choices.draw(view, trying, session.style)
        self._draw_bench()
        stage.draw(view, session.ink(view.series) if view.series is not None else "", session.style)
        stage.strip.show_shaped(SHAPED if self.hands.shaped else "")
        findings.draw(view)
        self.show_rows()

    def _draw_bench(self) -> None:
        series = self.session.series
        self.bench.setVisible(self.state.writing and series is not None)
        if series is not None and self.state.writing:
            over = self.state.over(self.session.study, series)
            self.bench.draw(bench_of(series, over, self.bench.field.toPlainText()))

    def show_rows(self) -> None:
        """Ring the chosen rows."""
        plot = self._parts[1].plot
        for marks in (plot.marks, plot.residual_marks):
            marks.set_chosen(self.session.rows)

    def _ring(self, row: int) -> None:
        plot = self._parts[1].plot
        for marks in (plot.marks, plot.residual_marks):
            marks.set_pointed(row)

    def status(self) -> list[str]:
        """Say what was used."""
        return list(self._view.status) if self._view is not None else []

    def fit_window(self) -> None:
        """A low window has a lower strip."""
        self.strip.fit_window()

    # What is done.

    def choose_scheme(self, key: str) -> None:
        """Keep a scheme that was tried."""
        tried = next((each.recipe for each in self.trier.tried if each.recipe.scheme == key), None)
        if tried is not None:
            self.deciding.take(self.recipe, tried)

    def choose_over(self, name: str) -> None:
        """Let another column run."""
        series, shown = self.session.series, self.recipe
        if series is None or name == self.state.over(self.session.study, series):
            return
        if shown is not None and shown.id:
            self.deciding.keep(f"equations over {name}", shown.changed(over=name))
            return
        self.state = replace(self.state, runs=name, suggested=None)
        self.refresh()

    def turn_column(self, name: str, is_on: bool) -> None:
        """Try schemes with a column, or without it."""
        left_out = self.state.left_out - {name} if is_on else self.state.left_out | {name}
        self.state = replace(self.state, left_out=left_out, suggested=None)
        self.refresh()

    def choose_kept(self, identity: str) -> None:
        """Show another system of the series."""
        self.state = replace(self.state, kept=identity)
        self.refresh()

    def bring_to_front(self, name: str) -> None:
        """Show a column large, with its residuals."""
        self.state = replace(self.state, front=name)
        self.draw()

    def open_bench(self, text: str = "") -> None:
        """Open the bench on the equations that are shown, or on some that were written elsewhere."""
        shown = self.recipe
        self.state = replace(self.state, writing=True)
        self.bench.write(text or (shown.text if shown is not None else self.bench.field.toPlainText()))
        self.draw()
        self.bench.field.setFocus()

    def fit_written(self, text: str) -> None:
        """Fit the equations that were written."""
        series = self.session.series
        if series is not None:
            self.deciding.write(self.recipe, series.id, text, self.state.over(self.session.study, series))

    def close_topmost(self) -> bool:
        """Put the bench away."""
        was_open = self.state.writing
        self.state = replace(self.state, writing=False)
        self.draw()
        return was_open

    def take_back(self) -> bool:
        """Go back to the fitted values after a hand has moved some."""
        had = self.hands.shaped is not None
        self.hands.shaped = None
        if had:
            self.draw()
        return had

    def turn_states(self, is_on: bool) -> None:
        """Draw the states that nobody measured, or not."""
        if self.recipe is not None:
            self.deciding.keep("draw what is not measured", self.recipe.changed(shows_states=is_on))

    def keep_another(self) -> None:
        """Keep the equations, and go on with a copy."""
        if self.recipe is not None:
            self.state = replace(self.state, kept="")
            self.deciding.another(self.recipe)

    def remove(self) -> None:
        """Take the equations out of the study."""
        if self.recipe is not None:
            self.deciding.remove(self.recipe)

    def read(self, text: str) -> None:
        """Keep a number that is read off the equations."""
        if self.hands.read(text):
            self._parts[1].ask.clear()

    def drop_reading(self, place: int) -> None:
        """Let go of a reading."""
        if self.recipe is not None:
            self.deciding.drop_reading(self.recipe, place)

    def show_report(self) -> None:
        """Show the report, with these equations in it."""
        if self.state.series:
            self.deciding.take_into_report(self.state.series)
        self.doors.show_page("Report")

    def _give_up(self) -> None:
        self._search.stopped = True
        self.trier.stop()
