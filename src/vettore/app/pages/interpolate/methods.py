"""The ways to join the points, tried on them in the background: pictures beside each other, and pinned ones on the plot."""

from __future__ import annotations

from collections.abc import Callable

from vettore.app.pages.interpolate.present import Tried, offered
from vettore.app.session import Session
from vettore.app.stage.curves import CurveLine
from vettore.app.stage.plot import Plot
from vettore.app.style import theme
from vettore.app.widgets.fits.line_up import Candidate, LineUp
from vettore.core.errors import VettoreError
from vettore.core.interpolation.interpolant import Interpolant
from vettore.core.interpolation.methods import METHODS
from vettore.study.derive_curves import derive_interpolant
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.series import Role, Series


class Methods:
    """Tries every method on the chosen series and shows what comes of it."""

    def __init__(
        self, session: Session, line_up: LineUp, plot: Plot, chosen: Callable[[], Interpolant | None]
    ) -> None:
        self._session, self._line_up, self._plot, self._chosen = session, line_up, plot, chosen
        self.pinned: list[str] = []
        self._tried: tuple[Tried, ...] = ()
        self._lines: list[CurveLine] = []
        # What was tried last: the points, and what all methods share.
        self._of: tuple[object, ...] = ()

    def forget(self) -> None:
        """Nothing is chosen any more."""
        self._of = ()

    def turn_pin(self, key: str) -> None:
        """Draw a method beside the chosen one, or no longer."""
        if key in self.pinned:
            self.pinned.remove(key)
        else:
            self.pinned.append(key)
        self._show(self._tried)

    def try_all(self, series: Series, recipe: InterpolantRecipe) -> None:
        """Try all methods on a series, unless that was done for the same points."""
        shared = (recipe.use_errors, recipe.end_slopes, recipe.outside)
        key = (series.key, series.columns, series.set_aside, series.error_of_y, *shared)
        if key == self._of:
            self._line_up.mark(recipe.method)
            return
        self._of = key
        self._session.background.run(
            "methods",
            lambda: tuple(_tried(series, recipe, name) for name in METHODS),
            self._show,
            lambda _sentence: None,
        )

    def _show(self, tried: tuple[Tried, ...]) -> None:
        series = self._session.series
        x, y = (None, None) if series is None else (series.values(Role.X), series.values(Role.Y))
        if series is None or x is None or y is None:
            return
        self._tried = tried
        candidates = [
            Candidate(
                item.key, item.name, item.curve, refusal=item.about, note=item.note, pinned=item.key in self.pinned
            )
            for item in offered(tried, self._session.style)
        ]
        method = self._session.study.interpolant_of(series.id).method
        self._line_up.show_candidates(candidates, (x[series.in_use], y[series.in_use]), method, self._session.style)
        self.draw_beside()

    def draw_beside(self) -> None:
        """Draw the pinned methods as thin lines in colours of their own."""
        chosen = self._chosen()
        for item in self._lines:
            self._plot.take_away(item)
        self._lines = []
        entries = []
        pinned = [tried for tried in self._tried if tried.key in self.pinned and tried.curve is not None]
        for place, each in enumerate(pinned):
            ink = theme().series[(place + 2) % len(theme().series)]
            line = CurveLine(ink=ink)
            line.set_curve(each.curve)
            self._plot.put(line, 4)
            self._lines.append(line)
            entries.append((METHODS[each.key].name, ink))
        first = [(chosen.method.name, theme().fit)] if chosen is not None else []
        self._plot.legend.set_entries([*first, *entries] if entries else [])


def _tried(series: Series, recipe: InterpolantRecipe, name: str) -> Tried:
    try:
        curve = derive_interpolant(series, recipe.changed(method=name, penalty=None))
        _ = curve.left_out_error, curve.swing
    except VettoreError as error:
        return Tried(name, None, str(error))
    return Tried(name, curve)
