"""The Surface page: sites filled between, seen from above and aside, cut, read, and their hills and hollows."""

from __future__ import annotations

from dataclasses import replace

from vettore.app.pages.page import Doors, Page
from vettore.app.pages.surface.choices import SurfaceChoices
from vettore.app.pages.surface.deciding import SurfaceDeciding
from vettore.app.pages.surface.derived import Answer, Cut, SurfaceRequest, cut, left_out_errors, try_models
from vettore.app.pages.surface.findings import SurfaceFindings
from vettore.app.pages.surface.making import clicked
from vettore.app.pages.surface.present import SurfaceView, present
from vettore.app.pages.surface.stage import SurfaceStage
from vettore.app.pages.surface.state import SurfaceState, Tool
from vettore.app.search import Search
from vettore.app.session import Session
from vettore.core.errors import VettoreError
from vettore.core.surface.surface import METHODS, Method
from vettore.study import edits
from vettore.study.kinds.surface import Place
from vettore.study.remembered import content_of
from vettore.study.surfaces import (
    fit_of,
    grid_table,
    length_unit,
    section_table,
    surface_of,
)


class SurfacePage(Page):
    """Holds the state, asks for what it needs in the background, and has the widgets draw the view."""

    name = "Surface"
    help_page = "surface.md"

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self.state = SurfaceState()
        self.deciding = SurfaceDeciding(session)
        self.answer: Answer | None = None
        self._refusal = ""
        self._view: SurfaceView | None = None
        self._cut: Cut | None = None
        self._search: Search | None = None
        # Left-out errors by method, and what they were found for.
        self._errors: dict[Method, float] = {}
        self._errors_of: object = None
        # Surface models that were tried on these sites, with theirs.
        self._tried: dict[str, float] = {}
        choices, stage, findings = SurfaceChoices(), SurfaceStage(session, doors.open_file), SurfaceFindings()
        self.choices, self.stage, self.findings = choices, stage, findings
        self._parts = (choices, stage, findings)
        self.plot = stage.map
        self.first = stage.map
        choices.columns_chosen.connect(self.deciding.choose_columns)
        choices.matrix_asked.connect(self.deciding.take_matrix)
        choices.method_chosen.connect(self.deciding.choose_method)
        choices.fit_chosen.connect(self.deciding.choose_fit)
        choices.models_asked.connect(self.try_models)
        choices.shape_typed.connect(self.deciding.take_shape)
        choices.scaling_chosen.connect(self.deciding.take_scaling)
        choices.colours_typed.connect(self.deciding.take_colours)
        choices.level_typed.connect(self.deciding.take_level)
        stage.tool_chosen.connect(self.take_up)
        stage.map.section_drawn.connect(self._draw_section)
        stage.map.window_drawn.connect(self._draw_window)
        stage.map.map_clicked.connect(self._click)
        stage.map.row_clicked.connect(self._choose_row)
        stage.map.row_pointed.connect(session.point)
        stage.map.rows_enclosed.connect(session.choose_rows)
        stage.read.typed.connect(self.read_at)
        stage.read.keep_asked.connect(self.keep_reading)
        findings.rows_asked.connect(session.choose_rows)
        findings.profile_asked.connect(self.make_profile)
        findings.grid_asked.connect(self.make_grid)
        findings.unkeep_asked.connect(self._drop_reading)
        findings.window_dropped.connect(lambda: self.deciding.change("let go of the window", outline=()))
        session.pointed_changed.connect(self._ring)

    # What is shown.

    def refresh(self) -> None:
        """Take up what the study holds now, ask for the surface anew, and show what is known."""
        series = self.session.series
        self.state = self.state.on(series.id if series is not None else "")
        if self._search is not None:
            self._search.stopped = True
        self.answer, self._refusal = None, ""
        if series is None:
            self.session.background.drop("surface")
            self.draw()
            return
        self._search = Search()
        recipe, study = surface_of(self.session.study, series.id), self.session.study
        try:
            wanted = SurfaceRequest(
                series, recipe, self._search, fit_of(study, series, recipe) if recipe.fit else None
            )
        except VettoreError as error:
            self._refuse(str(error))
            return
        self.draw()
        self.session.background.run(
            "surface", wanted.answer, lambda answer: self._have(answer, wanted), self._refuse, 1
        )

    def _have(self, answer: Answer, wanted: SurfaceRequest) -> None:
        self.answer, self._refusal = answer, ""
        self.deciding.middle = answer.covered.mean
        self._cut_anew()
        recipe = wanted.recipe
        errors_of = (content_of(wanted.series), recipe.x, recipe.y, recipe.z, recipe.scaling)
        if errors_of != self._errors_of:
            self._errors_of, self._errors, self._tried = errors_of, {}, {}
        if answer.fit is None:
            self._errors[recipe.method] = answer.surface.left_out_error
        self.draw()
        self.session.say("", "status")
        for method in METHODS:
            if method not in self._errors:
                self.session.background.run(
                    f"surface {method}",
                    lambda method=method: left_out_errors(wanted, method),
                    lambda result: self._have_error(*result, errors_of),
                    lambda _sentence: None,
                )

    def _have_error(self, method: Method, error: float, errors_of: object) -> None:
        if errors_of == self._errors_of:
            self._errors[method] = error
            self.draw()

    def _refuse(self, sentence: str) -> None:
        self.answer, self._refusal, self._cut = None, sentence, None
        self.draw()

    def draw(self) -> None:
        """Have the widgets show the state and what is known."""
        style = self.session.style
        self._view = view = present(
            self.session.study, self.state, self.answer, self._refusal, self._errors, self._cut, style, self._tried
        )
        choices, stage, findings = self._parts
        choices.draw(view, style)
        stage.draw(view, (self.state.at_x, self.state.at_y), style)
        findings.draw(view)
        self.show_rows()

    def show_rows(self) -> None:
        """Ring the chosen rows."""
        stage = self._parts[1]
        stage.rows.setVisible(bool(self.session.rows))
        plot = stage.map
        plot.marks.set_chosen(self.session.rows)
        plot.dots.update()

    def _ring(self, row: int) -> None:
        plot = self._parts[1].map
        plot.marks.set_pointed(row)
        plot.dots.update()

    def status(self) -> list[str]:
        """Say what was used."""
        return list(self._view.status) if self._view is not None else []

    # What is done on the map, and asked for.

    def try_models(self) -> None:
        """Fit the surface models to the sites, to be chosen by their left-out errors."""
        if self.answer is None or self._search is None:
            return
        wanted = SurfaceRequest(self.answer.series, self.answer.recipe, self._search)

        def done(tried: dict[str, float]) -> None:
            self._tried = tried
            self.draw()
            self.session.say("", "status")

        self.session.say("Fitting surface models …")
        self.session.background.run("surface models", lambda: try_models(wanted), done, lambda _sentence: None)

    def take_up(self, tool: Tool) -> None:
        """Let dragging on the map do something else."""
        self.state = replace(self.state, tool=tool)
        self.draw()

    def _draw_section(self, x0: float, y0: float, x1: float, y1: float, done: bool) -> None:
        if self.answer is None:
            return
        ends = ((x0, y0), (x1, y1))
        self.state = replace(self.state, drawn=None if done else ends)
        self._cut = self._along(ends) or self._cut
        if done and ends[0] != ends[1]:
            self.deciding.change("cut a section", section=ends)
        else:
            self.draw()

    def _cut_anew(self) -> None:
        recipe = self.answer.recipe if self.answer is not None else None
        ends = recipe.section if recipe is not None else None
        self._cut = None if ends is None else self._along(ends)

    def _along(self, ends: tuple[Place, Place]) -> Cut | None:
        if self.answer is None:
            return None
        sites = self.answer.sites
        return cut(self.answer.surface, ends, bool(length_unit(sites)) or not any(sites.units[:2]))

    def _draw_window(self, places: list[tuple[float, float]]) -> None:
        if len(places) > 2:
            self.deciding.change("draw a window", outline=tuple(places))

    def _choose_row(self, row: int, more: bool) -> None:
        # With other tools a click only reads: the bar of chosen rows would move the map from under the hand.
        if self.state.tool is Tool.CHOOSE:
            self.session.choose_clicked(row, more)

    def _click(self, x: float, y: float) -> None:
        plot = self._parts[1].map
        (x0, x1), (y0, y1) = plot.framing.limits()
        style = self.session.style
        fine = [clicked(value, span) for value, span in ((x, x1 - x0), (y, y1 - y0))]
        self.read_at(*(style.short(value, 12) for value in fine))

    def read_at(self, x: str, y: str) -> None:
        """Read the surface at a place."""
        self.state = self.state.reading(x, y)
        self.draw()

    def keep_reading(self) -> None:
        """Keep the place that is read."""
        place = self.state.place
        if place is None or self.answer is None:
            return
        kept = self.answer.recipe.read_at
        if place not in kept:
            self.deciding.change("keep a reading", read_at=(*kept, place))

    def _drop_reading(self, which: int) -> None:
        if self.answer is not None:
            kept = self.answer.recipe.read_at
            self.deciding.change("let go of a reading", read_at=(*kept[:which], *kept[which + 1 :]))

    def make_profile(self) -> None:
        """Make the section a series of its own."""
        if self.answer is not None and self._cut is not None:
            self._add(section_table(self.answer.series, self.answer.sites, self._cut.section), "section")

    def make_grid(self) -> None:
        """Make the even grid a series of its own."""
        if self.answer is not None:
            self._add(grid_table(self.answer.series, self.answer.sites, self.answer.surface), "grid")

    def _add(self, table: object, what: str) -> None:
        assert self.answer is not None
        try:
            study = edits.add_series(self.session.study, table, f"{self.answer.series.name}, {what}")
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        self.session.do(f"make the {what} a series", study)
        self.session.say(f"The {what} came in as a new series.")
