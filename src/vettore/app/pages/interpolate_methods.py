"""The ways to join the points, tried on them: pictures beside each other, and pinned ones on the plot."""

from __future__ import annotations

import math
from dataclasses import dataclass

from vettore.app.session import Session
from vettore.app.stage.curves import CurveLine
from vettore.app.stage.plot import Plot
from vettore.app.style import theme
from vettore.app.widgets.line_up import Candidate, LineUp
from vettore.core.errors import VettoreError
from vettore.core.interpolation.interpolant import Interpolant
from vettore.core.interpolation.methods import METHODS
from vettore.study.derive_curves import derive_interpolant
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.series import Role, Series


@dataclass(frozen=True, eq=False)
class Offer:
    """A method tried on a series: its curve with what it thinks of itself, or why there is none."""

    key: str
    curve: Interpolant | None
    refusal: str = ""


class MethodHands:
    """The part of the Interpolate page that tries every method; the page has a plot, the chosen curve, and the pictures."""

    session: Session
    plot: Plot
    curve: Interpolant | None
    methods: LineUp
    pinned: list[str]
    _offers: tuple[Offer, ...]
    _beside: list[CurveLine]
    _offered: tuple[object, ...]

    def _turn_pin(self, key: str) -> None:
        """Draw a method beside the chosen one, or no longer."""
        if key in self.pinned:
            self.pinned.remove(key)
        else:
            self.pinned.append(key)
        self._show_offers(self._offers)

    def _show_beside(self) -> None:
        """Draw the pinned methods as thin lines in colours of their own."""
        for item in self._beside:
            self.plot.take_away(item)
        self._beside = []
        entries = []
        for place, one in enumerate(
            offer for offer in self._offers if offer.key in self.pinned and offer.curve is not None
        ):
            ink = theme().series[(place + 2) % len(theme().series)]
            line = CurveLine(ink=ink)
            line.set_curve(one.curve)
            self.plot.put(line, 4)
            self._beside.append(line)
            entries.append((METHODS[one.key].name, ink))
        chosen = [(self.curve.method.name, theme().fit)] if self.curve is not None else []
        self.plot.legend.set_entries([*chosen, *entries] if entries else [])

    def _offer(self, series: Series, recipe: InterpolantRecipe) -> None:
        chosen = (recipe.use_errors, recipe.end_slopes, recipe.outside)
        key = (series.key, series.columns, series.set_aside, series.error_of_y, *chosen)
        if key == self._offered:
            self.methods.mark(recipe.method)
            return
        self._offered = key

        def work() -> tuple[Offer, ...]:
            out = []
            for name in METHODS:
                try:
                    curve = derive_interpolant(series, recipe.changed(method=name, penalty=None))
                    _ = curve.left_out_error, curve.swing
                    out.append(Offer(name, curve))
                except VettoreError as error:
                    out.append(Offer(name, None, str(error)))
            return tuple(out)

        self.session.background.run("methods", work, self._show_offers, lambda _sentence: None)

    def _show_offers(self, offers: tuple[Offer, ...]) -> None:
        series = self.session.series
        if series is None:
            return
        self._offers = offers
        style = self.session.style
        candidates = []
        for offer in offers:
            error = offer.curve.left_out_error if offer.curve is not None else None
            note = (
                "needs more points"
                if offer.curve is None
                else "—"
                if error is None
                else f"± {style.number(error, 2)}"
            )
            candidates.append(
                Candidate(
                    offer.key,
                    METHODS[offer.key].name,
                    offer.curve,
                    refusal=offer.refusal or METHODS[offer.key].use,
                    note=note,
                    pinned=offer.key in self.pinned,
                )
            )
        order = {one.key: (one.curve is None, one.curve.left_out_error if one.curve else None) for one in offers}
        candidates.sort(
            key=lambda candidate: (order[str(candidate.key)][0], order[str(candidate.key)][1] or math.inf)
        )
        x, y = series.values(Role.X), series.values(Role.Y)
        assert x is not None
        assert y is not None
        chosen = self.session.study.interpolant_of(series.id).method
        self.methods.show_candidates(candidates, (x[series.in_use], y[series.in_use]), chosen, style)
        self._show_beside()
