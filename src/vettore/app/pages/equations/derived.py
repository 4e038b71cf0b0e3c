"""What is worked out for the Equations page, in the background. Knows no widget."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.app.search import Search
from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.errors import VettoreError
from vettore.core.interpolation.interpolant import interpolate
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.systems import DerivedSystem, derive_system
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.series import Series
from vettore.words.systems import reading_lines

# Places of the curve on a card, and of one that follows the hand.
ON_A_CARD, UNDER_THE_HAND = 61, 201
# The tolerance of rates under the hand.
ROUGH = 1e-5


@dataclass(frozen=True, eq=False)
class TriedScheme:
    """A scheme that was tried: its criterion and its curves on cards by column, or why it has none."""

    recipe: EquationsRecipe
    aicc: float = float("inf")
    curves: Mapping[str, Curve] | None = None
    refusal: str = ""


@dataclass(frozen=True, eq=False)
class SystemRequest:
    """A series and the equations that are to be fitted to it."""

    series: Series
    recipe: EquationsRecipe
    search: Search

    def answer(self) -> DerivedSystem:
        """Fit them, and work out all that is shown. Raises VettoreError."""
        system = derive_system(self.series, self.recipe, lambda: self.search.stopped)
        self.search.check()
        # Known from here on, so that showing them costs the window nothing.
        _ = system.drawn, system.units, system.result.conserved, system.result.residuals
        reading_lines(system, NumberStyle())
        return system


def try_scheme(series: Series, recipe: EquationsRecipe, search: Search) -> TriedScheme:
    """Take a first look at a scheme."""
    search.check()
    try:
        system = derive_system(series, recipe, lambda: search.stopped, thorough=False)
    except VettoreError as error:
        return TriedScheme(recipe, refusal=str(error))
    curves = {name: _card(system, name) for name in system.measured}
    return TriedScheme(
        recipe, system.result.aicc, {name: curve for name, curve in curves.items() if curve is not None}
    )


def _card(system: DerivedSystem, name: str) -> Curve | None:
    curve = system.result.curves[name]
    x = np.linspace(*curve.span, ON_A_CARD)
    y = curve(x)
    good = np.isfinite(y)
    return interpolate(x[good], y[good], method="linear") if good.sum() > 1 else None


def weights_of(tried: tuple[TriedScheme, ...]) -> dict[str, float]:
    """Return the share of the evidence that each scheme has, by its key (Burnham & Anderson 2002, §2.9)."""
    values = np.array([scheme.aicc for scheme in tried])
    good = np.isfinite(values)
    if not good.any():
        return {scheme.recipe.scheme: 0.0 for scheme in tried}
    shares = np.where(good, np.exp(-(np.where(good, values, 0.0) - values[good].min()) / 2), 0.0)
    return {scheme.recipe.scheme: float(share) for scheme, share in zip(tried, shares / shares.sum(), strict=True)}


def shaped_curves(system: DerivedSystem, shaped: Mapping[str, float]) -> dict[str, tuple[Array, Array]]:
    """Return what the equations say with coefficients moved by hand, by column and state; nothing where they have no value."""
    problem = system.result.problem
    values = {**system.result.values, **shaped}
    times = np.linspace(*next(iter(system.result.curves.values())).span, UNDER_THE_HAND)
    run = None if problem.motion is None else problem.motion.run(values, times, ROUGH, False)
    if problem.motion is not None and run is None:
        return {}
    out = {}
    for name, curve in system.result.curves.items():
        columns = {column: np.array([at(t) for t in times.tolist()]) for column, at in curve.columns.items()}
        out[name] = (times, curve.shown.at(values, times, columns, run)[0])
    return out
