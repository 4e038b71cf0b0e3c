"""What hands do on the equation strip and on the curve: shape by hand; hold, let go, value and limits, refit.

Shaping is tried out and changes nothing; each of the others is one edit that can be undone.
"""

from __future__ import annotations

import numpy as np

from vettore.app.pages.fit.deciding import FitDeciding
from vettore.app.pages.fit.peak_parts import draw_parts
from vettore.app.pages.fit.present import equation_of, values_of
from vettore.app.pages.fit.residuals import residuals_of
from vettore.app.pages.fit.shaping import Shaping
from vettore.app.stage.grips import Grips
from vettore.app.stage.peak_items import PeakAreas
from vettore.app.stage.plot import Plot
from vettore.app.strip.equation import EquationStrip
from vettore.app.widgets.fits.coefficient_popup import CoefficientPopup
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.models.pulling import Placed
from vettore.core.typesetting.typeset import TextBox
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.peak_pulls import PeakPulls
from vettore.study.fitting.pulls import Pulls, pulls_of


class Hands:
    """What hands do on the strip and on the grips, with a state of their own: the values that were given by hand."""

    def __init__(
        self, deciding: FitDeciding, strip: EquationStrip, plot: Plot, grips: Grips, areas: PeakAreas
    ) -> None:
        self._deciding, self._session = deciding, deciding.session
        self.strip, self.plot, self.grips, self.areas = strip, plot, grips, areas
        self.fit: DerivedFit | None = None
        self._shaping: Shaping | None = None
        self._pulls: Pulls | PeakPulls | None = None
        self._grips_shown: list[Placed] = []
        # Of peaks the one whose chips and flank are shown.
        self.peak = 1
        strip.shaped.connect(self.shape)
        strip.released.connect(self._let_go)
        strip.held.connect(self.turn_hold)
        strip.requested.connect(self.ask_coefficient)
        strip.refit.connect(self.refit)
        grips.pulled.connect(self.pull)
        grips.released.connect(self._let_go)

    def take_fit(self, fit: DerivedFit) -> None:
        """A fit is shown: nothing of it is shaped yet."""
        self.fit, self._shaping = fit, None
        numbers = [peak.number for peak in fit.peaks.peaks] if fit.peaks is not None else []
        if numbers and self.peak not in numbers:
            self.peak = min(numbers, key=lambda number: abs(number - self.peak))
        self._pulls = pulls_of(fit, self.peak)
        self.strip.show_shaped("")
        self.show_residuals()
        self._show_equation()
        self._show_grips()

    def choose_peak(self, number: int) -> None:
        """Show the chips and the flank of another peak."""
        self.peak = number
        if isinstance(self._pulls, PeakPulls):
            self._pulls.chosen = number
        self._show_equation()
        self._show_grips()

    @property
    def pulls(self) -> Pulls | PeakPulls | None:
        """What the grips on the curve do."""
        return self._pulls

    @property
    def values(self) -> dict[str, float]:
        """The values that are shown: those of the fit, or those given by hand."""
        if self._shaping is not None:
            return dict(self._shaping.values)
        return {} if self.fit is None else values_of(self.fit)

    def let_fit_go(self) -> None:
        """There is no fit: no equation, no grips, no residuals."""
        self.fit = self._shaping = self._pulls = None
        self.grips.set_grips([])
        self.areas.set_peaks(None)
        self.strip.show_peak(0, 0)
        empty = np.empty(0)
        self.plot.residual_marks.set_data(empty, empty, empty.astype(np.intp), empty.astype(bool), "")
        self.strip.show_equation(TextBox("y"), [], {})

    def show_residuals(self) -> None:
        """Show the residuals of the fit under the plot."""
        if self.fit is None:
            return
        shown, marks = residuals_of(self.fit), self.plot.residual_marks
        ink = self._session.ink(self.fit.series)
        marks.set_data(shown.x, shown.residuals, shown.rows, shown.aside, ink, beyond=shown.beyond)
        self.plot.name_residuals("Residual" if self.fit.result.deviance is None else self.fit.missed_called)
        self.plot.set_residual_range(shown.residuals)

    def show_step(self, place: int) -> None:
        """Show the curve as it was at a step of the search, or (−1) the fit again."""
        fit = self.fit
        if fit is None:
            return
        if place < 0 or place >= len(fit.result.path):
            self._shaping = None
            self.plot.line.set_curve(fit.curve, fit.result.level)
            self._show_equation()
            self.strip.show_shaped("")
        else:
            step = fit.result.path[place]
            self._shaping = Shaping(fit)
            for name, value in step.values.items():
                self._shaping.set(name, value)
            self._show_shaped(True)
            self.strip.note.setText(f"step {place} of {len(fit.result.path) - 1} of the search")
        self._show_grips()

    def take_back(self) -> bool:
        """Go back to the curve before the last drag, which is the fit before the first."""
        if self.fit is None or self._shaping is None or not self._shaping.steps:
            return False
        self._shaping.step_back()
        if self._shaping.steps:
            self._show_shaped(True)
        else:
            self.show_step(-1)
            self.show_residuals()
        return True

    def _let_go(self) -> None:
        """A drag has ended: it is a step that can be taken back."""
        if self._shaping is not None:
            self._shaping.end_step()
        if self.fit is not None and self.fit.peaks is not None:
            # Peaks are fitted again at once, from where the hand has put them.
            self.refit()
            return
        self._show_shaped(True)

    def refit(self) -> None:
        """Fit again from the values given by hand."""
        if self.fit is None or self._shaping is None:
            return
        values = self._shaping.values
        held = dict(self.fit.recipe.hold)
        start = tuple((name, value) for name, value in values.items() if name not in held)
        # What is held stays held, at the value that it was given.
        hold = tuple((name, values[name]) for name in held)
        self._shaping, before = None, self._session.study
        self._deciding.decide("refit from here", start=start, hold=hold)
        if self._session.study is before:
            # The same starts as before: the fit as it was takes the place of what was shaped.
            self.show_step(-1)
            self.show_residuals()

    def turn_hold(self, name: str) -> None:
        """Hold a coefficient at its present value, or let it go."""
        if self.fit is None or name not in self.fit.result.coefficients:
            return
        held = dict(self.fit.recipe.hold)
        values = self._shaping.values if self._shaping else values_of(self.fit)
        if name in held:
            del held[name]
            self._deciding.decide(f"let {name} go", hold=tuple(held.items()))
        elif len(held) + 1 < len(values):
            held[name] = values[name]
            limits = tuple(limit for limit in self.fit.recipe.limits if limit[0] != name)
            self._deciding.decide(f"hold {name}", hold=tuple(held.items()), limits=limits)
        else:
            self._session.say("One coefficient at least has to be fitted.", "bad")

    def ask_coefficient(self, name: str) -> CoefficientPopup | None:
        """Open the form of a coefficient under its chip."""
        if self.fit is None or name not in self.fit.result.coefficients:
            return None
        recipe = self.fit.recipe
        limits = next(((low, high) for text, low, high in recipe.limits if text == name), (None, None))
        model = CATALOGUE.get(recipe.model)
        meanings = {}
        if model is not None:
            called = model.names_beside([column.name for column in self.fit.series.columns])
            meanings = {called[own]: words for own, words in model.meanings.items()}
        popup = CoefficientPopup(
            self.fit.result.coefficients[name],
            limits,
            meanings.get(name, ""),
            self._session.style,
            self._take_coefficient,
            self.strip,
        )
        frame = self.strip.frame_of(name)
        popup.show_under(self.strip.mapToGlobal(frame.bottomLeft().toPoint()))
        return popup

    def _take_coefficient(self, name: str, value: float, hold: bool, low: float | None, high: float | None) -> None:
        if self.fit is None:
            return
        recipe = self.fit.recipe
        held = {**dict(recipe.hold)}
        held.pop(name, None)
        limits = [limit for limit in recipe.limits if limit[0] != name]
        start = [pair for pair in recipe.start if pair[0] != name]
        if hold:
            held[name] = value
        else:
            start.append((name, value))
            if low is not None or high is not None:
                limits.append((name, low, high))
        self._deciding.decide(f"decide on {name}", hold=tuple(held.items()), limits=tuple(limits), start=tuple(start))

    def _show_equation(self) -> None:
        """Show the equation with fitted values, or with those given by hand."""
        if self.fit is None:
            return
        shaped = None if self._shaping is None else self._shaping.values
        shown = equation_of(self.fit, shaped, self._session.style, self.peak)
        peaks = self.fit.peaks
        places = [] if peaks is None else [peak.number for peak in peaks.peaks]
        self.strip.show_peak(places.index(self.peak) + 1 if self.peak in places else 0, len(places))
        self.strip.legend = shown.legend
        self.strip.show_equation(shown.left, shown.terms, shown.chips)
        self.strip.plain_text = shown.plain_text

    def shape(self, name: str, value: float) -> None:
        """Give a coefficient a value by hand; the curve and the residuals follow at once."""
        if self.fit is None or name not in self.fit.result.coefficients:
            return
        if self._shaping is None:
            self._shaping = Shaping(self.fit)
        self._shaping.set(name, value)
        self._show_shaped(False)

    def _show_shaped(self, whole: bool) -> None:
        if self._shaping is None or self.fit is None:
            return
        shaped = self._shaping.shaped(whole)
        self.plot.line.set_curve(shaped.curve, self.fit.result.level)
        rows = self.fit.rows[shaped.rows]
        x = self.fit.x[shaped.rows]
        none = np.zeros(len(rows), dtype=bool)
        self.plot.residual_marks.set_data(x, shaped.misses, rows, none, self._session.ink(self.fit.series))
        self._show_equation()
        self._show_grips()
        self.strip.show_shaped(self._shaping.words(shaped, self._session.style))

    def _show_grips(self) -> None:
        """Put the grips where the curve, fitted or shaped, has them."""
        self._grips_shown = []
        curve = self.plot.line.curve
        if self.fit is not None and self._pulls is not None and curve is not None:
            self._grips_shown = self._pulls.places(self.values, curve)
        self.grips.set_grips([(placed.x, placed.y, placed.name) for placed in self._grips_shown])
        self._show_areas()

    def _show_areas(self) -> None:
        """Draw each peak over the background, as it was fitted or as the hand has it."""
        if self.fit is None or self.fit.peaks is None:
            self.areas.set_peaks(None)
            return
        draw_parts(self.areas, self.fit, self.fit.peaks, self.values)
        self.areas.light(chosen=self.peak)

    def pull(self, place: int, x: float, y: float) -> None:
        """Pull a grip to a point of the plot; the coefficients that it stands for follow."""
        curve = self.plot.line.curve
        if self.fit is None or self._pulls is None or curve is None or place >= len(self._grips_shown):
            return
        if self._shaping is None:
            self._shaping = Shaping(self.fit)
        values = self._pulls.pull(self._grips_shown[place].name, place, self._shaping.values, curve, x, y)
        if values is not None:
            for name, value in values.items():
                self._shaping.set(name, value)
            self._show_shaped(False)
