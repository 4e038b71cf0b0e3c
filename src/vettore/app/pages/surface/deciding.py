"""What the choices of the Surface page decide; each is one edit that can be undone."""

from __future__ import annotations

from collections.abc import Callable

from vettore.app.pages.surface.making import as_grid, colours_typed, number_typed, shape_typed, with_model
from vettore.app.pages.surface.present import ALIKE
from vettore.app.session import Session
from vettore.core.errors import VettoreError
from vettore.core.surface.surface import Method
from vettore.study.surfaces import set_surface, surface_of
from vettore.words.surfaces import METHOD_WORDS


class SurfaceDeciding:
    """Turns what was chosen and typed into edits of the study."""

    def __init__(self, session: Session) -> None:
        self.session = session
        # The middle height of what is shown, about which colours part when nothing else is said.
        self.middle = 0.0

    def change(self, words: str, **values: object) -> None:
        """Change the recipe of the surface, when that changes anything."""
        series = self.session.series
        if series is None:
            return
        recipe = surface_of(self.session.study, series.id)
        changed = recipe.changed(**values)
        if changed != recipe:
            self.session.do(words, set_surface(self.session.study, changed))

    def choose_method(self, method: Method) -> None:
        """Fill between the sites otherwise."""
        self.change(f"surface by {METHOD_WORDS[method][0].lower()}", method=method, fit="")

    def choose_fit(self, key: str, kept: bool) -> None:
        """Show a fitted surface; that of a model that was tried becomes a fit of the study."""
        series = self.session.series
        if kept or series is None:
            self.change("show a fitted surface", fit=key)
        else:
            study, name = with_model(self.session.study, series, key)
            self.session.do(f"fit a surface: {name.lower()}", study)

    def choose_columns(self, x: str, y: str, z: str) -> None:
        """Take other columns for x, y and z."""
        self.change("choose the columns of the surface", x=x, y=y, z=z)

    def _take(self, words: str, typed: Callable[[], dict[str, object]]) -> None:
        """Take what was typed, or say why not."""
        try:
            self.change(words, **typed())
        except VettoreError as error:
            self.session.say(str(error), "bad")

    def take_shape(self, across: str, along: str) -> None:
        """Take another number of points across and along."""
        self._take("change the grid", lambda: {"shape": shape_typed(across, along)})

    def take_scaling(self, words: str) -> None:
        """Compare distances in x and y otherwise."""
        self.change("change how distances compare", scaling="alike" if words == ALIKE else "spans")

    def take_colours(self, parted: str | None, step: str, low: str, high: str) -> None:
        """Take where colours part, their steps and ends."""
        self._take("change the colours", lambda: colours_typed(parted, step, low, high, self.middle))

    def take_level(self, text: str) -> None:
        """Draw the contour of a level, and tell what is above it."""
        self._take("ask for a level", lambda: {"level": number_typed(text)})

    def take_matrix(self) -> None:
        """Make a table that is a grid a series of x, y, z."""
        series = self.session.series
        study = None if series is None else as_grid(self.session.study, series)
        if study is not None:
            self.session.do("take a table as a grid", study)
            self.session.choose(study.series[-1].id)
