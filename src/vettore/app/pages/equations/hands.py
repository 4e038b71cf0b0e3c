"""Coefficients under the hand: dragged, held, typed; and numbers that are read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from vettore.app.pages.equations.deciding import EquationsDeciding
from vettore.app.pages.equations.derived import shaped_curves
from vettore.app.pages.equations.present import EquationsView, chips_of
from vettore.app.pages.equations.stage import SHAPED, EquationsStage
from vettore.app.widgets.fits.coefficient_popup import CoefficientPopup
from vettore.core.arrays import Array
from vettore.study.fitting.systems import DerivedSystem
from vettore.study.kinds.equations import EquationsRecipe


class EquationsHands:
    """``view`` gives what is shown now; ``shaped`` are the values that a hand gave, None while it gave none."""

    def __init__(
        self, deciding: EquationsDeciding, stage: EquationsStage, view: Callable[[], EquationsView | None]
    ) -> None:
        self._deciding, self._stage, self._view = deciding, stage, view
        self.shaped: dict[str, float] | None = None
        strip = stage.strip
        strip.shaped.connect(self.shape)
        strip.refit.connect(self.fit_from_here)
        strip.held.connect(self.turn_hold)
        strip.requested.connect(self.ask_coefficient)
        stage.grips.pulled.connect(self.pull)

    def _shown(self) -> tuple[EquationsView, EquationsRecipe, DerivedSystem] | None:
        view = self._view()
        if view is None or view.system is None or view.recipe is None:
            return None
        return view, view.recipe, view.system

    def shape(self, name: str, value: float) -> None:
        """Show what the equations would say with another value of a coefficient."""
        shown = self._shown()
        if shown is None:
            return
        view, _, system = shown
        self.shaped = {**(self.shaped or {}), name: value}
        curves = shaped_curves(system, self.shaped)
        self._stage.show_shaped(curves, view)
        self._moved_grips(view, curves)
        chips = chips_of(system, self.shaped, self._deciding.session.style)
        self._stage.show_strip(replace(view, chips=chips))
        self._stage.strip.show_shaped(SHAPED)

    def pull(self, place: int, _x: float, y: float) -> None:
        """Pull the curve in front up or down at a grip."""
        shown = self._shown()
        if shown is None or place >= len(shown[0].grips) or place >= len(self._stage.grips.grips):
            return
        grip = shown[0].grips[place]
        value = (self.shaped or {}).get(grip.name, shown[2].result.values[grip.name])
        self.shape(grip.name, value + y - self._stage.grips.grips[place][1])

    def _moved_grips(self, view: EquationsView, curves: Mapping[str, tuple[Array, Array]]) -> None:
        """Put the grips where the curve in front is under the hand."""
        front = view.plots[0].key if view.plots else ""
        if front in curves:
            x, y = curves[front]
            places = [int(np.argmin(np.abs(x - grip.x))) for grip in view.grips]
            moved = [(grip.x, float(y[k]), grip.words) for grip, k in zip(view.grips, places, strict=True)]
            self._stage.grips.set_grips(moved)

    def fit_from_here(self) -> None:
        """Fit again, beginning at the values that the hand gave."""
        shown = self._shown()
        if shown is not None:
            self._deciding.begin_from(shown[1], shown[2], self.shaped or {})

    def turn_hold(self, name: str) -> None:
        """Hold a coefficient at the value that it has, or let it go."""
        shown = self._shown()
        if shown is not None and name in shown[2].result.coefficients:
            self._deciding.turn_hold(shown[1], shown[2], name, self.shaped or {})

    def ask_coefficient(self, name: str) -> CoefficientPopup | None:
        """Ask for value, hold and limits of a coefficient."""
        shown = self._shown()
        if shown is None or name not in shown[2].result.coefficients:
            return None
        _, recipe, system = shown
        low, high = next(((low, high) for other, low, high in recipe.limits if other == name), (None, None))

        def decided(which: str, value: float, held: bool, least: float | None, most: float | None) -> None:
            self._deciding.decide(recipe, which, value, held, least, most)

        coefficient, strip = system.result.coefficients[name], self._stage.strip
        popup = CoefficientPopup(coefficient, (low, high), "", self._deciding.session.style, decided, strip)
        popup.show_under(strip.mapToGlobal(strip.frame_of(name).bottomLeft().toPoint()))
        return popup

    def read(self, text: str) -> bool:
        """Keep a number that is read off the equations; whether it could be read."""
        shown = self._shown()
        return (
            shown is not None and shown[0].system is not None and self._deciding.read(shown[1], shown[0].system, text)
        )
