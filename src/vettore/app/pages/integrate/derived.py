"""What is worked out for the Integrate page, in the background. Knows no widget."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from vettore.app.pages.integrate.state import IntegrateState
from vettore.core.arrays import Array
from vettore.core.cells.typed import limit_in
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.integration.function import FunctionArea, Refinement, integrate_function, ladder
from vettore.core.integration.sampled import SampledArea, integrate
from vettore.core.integration.settling import Settling, settling
from vettore.core.integration.strips import joined, places_of_rule, weights_of_rule
from vettore.core.interpolation.points import sorted_points
from vettore.core.rounding import read_number
from vettore.study.areas import UNDER_FIT, derive_area, floor_of, shape_of_area
from vettore.study.derive_curves import function_curve, function_span, points_in_use
from vettore.study.kinds.area import AreaRecipe
from vettore.study.peaks_and_points import TwoAreas, two_areas
from vettore.study.series import Series
from vettore.study.study import Study

RUNGS = 7
# A function is drawn at so many places.
DRAWN = 1200


@dataclass(frozen=True, eq=False)
class AreaRequest:
    """An area of a series, and those that are kept of it."""

    study: Study
    series: Series
    recipe: AreaRecipe

    def answer(self) -> AreaAnswer:
        """Work it out. Raises VettoreError."""
        kept = {area.id: self._kept(area) for area in self.study.areas_of(self.series.id)}
        area = derive_area(self.study, self.series, self.recipe)
        shape = shape_of_area(self.study, self.series, self.recipe)
        if self.recipe.rule == UNDER_FIT:
            return AreaAnswer(self.series, self.recipe, area, shape, kept)
        both = two_areas(self.study, self.series, self.recipe)
        x, y, _ = points_in_use(self.series)
        x, y, _, _ = sorted_points(x, y, None)
        steps = settling(x, y, area, floor_of(self.study, self.recipe.baseline))
        return AreaAnswer(self.series, self.recipe, area, shape, kept, steps, both)

    def _kept(self, area: AreaRecipe) -> float:
        try:
            return derive_area(self.study, self.series, area).area
        except VettoreError:
            return math.nan


@dataclass(frozen=True, eq=False)
class AreaAnswer:
    """An area under points, the shape over it, the kept areas by id, and what finer strips and other rules give."""

    series: Series
    recipe: AreaRecipe
    area: SampledArea
    shape_of: Callable[[Array], Array]
    kept: Mapping[str, float] = field(default_factory=dict)
    steps: tuple[Settling, ...] = ()
    # Fitted peaks there, if any.
    both: TwoAreas | None = None


@dataclass(frozen=True)
class FunctionRequest:
    """The area under a function of x."""

    formula: str
    a: float
    b: float
    strips: int | None
    rule: str

    def answer(self) -> FunctionAnswer:
        """Work it out. Raises VettoreError."""
        area = integrate_function(self.formula, self.a, self.b, self.strips, rule=self.rule)
        rungs: tuple[Refinement, ...] = ()
        if math.isfinite(self.a) and math.isfinite(self.b):
            try:
                rungs = ladder(self.formula, self.a, self.b, self.rule, rungs=RUNGS)
            except VettoreError:
                rungs = ()
        span = function_span(self.a, self.b)
        x = np.linspace(*span, DRAWN)
        curve = function_curve(self.formula, span)
        y = curve(x)
        good = np.isfinite(y)
        running = integrate(x[good], y[good]) if good.sum() > 1 else None
        used = np.empty((0, 3))
        if self.strips is not None:
            places = places_of_rule(self.rule, area.edges)
            used = np.column_stack([places, curve(places), weights_of_rule(self.rule, area.edges)])
        return FunctionAnswer(self, area, rungs, curve, x[good], y[good], running, used)


@dataclass(frozen=True, eq=False)
class FunctionAnswer:
    """The area under a function, with its rungs, its curve, and the places (n,) at which it is drawn.

    ``used`` are the points (k, 3) of a fixed number of strips: x, value, and by how much it counts.
    """

    function: FunctionRequest
    area: FunctionArea
    rungs: tuple[Refinement, ...]
    curve: FormulaCurve
    x: Array
    y: Array
    running: SampledArea | None
    used: Array

    @property
    def shape_of(self) -> Callable[[Array], Array]:
        """What the area lies under: what the rule puts in place of the function, or the function itself."""
        if not len(self.used):
            return self.curve
        return joined(self.function.rule, self.area.edges, self.used[:, 1])


IntegralRequest = AreaRequest | FunctionRequest
Answer = AreaAnswer | FunctionAnswer


def request_of(study: Study, state: IntegrateState) -> IntegralRequest | None:
    """Return what is to be worked out for a state; None when there is nothing. Raises DataError for a wrong limit."""
    if state.of_function:
        if not state.typed.formula:
            return None
        limits = []
        for typed in (state.typed.start, state.typed.end):
            limit = limit_in(typed)
            if limit is None:
                raise DataError(f"“{typed}” is no limit; write a number, or inf.", Fault.NOT_READABLE)
            limits.append(limit)
        strips = read_number(state.typed.strips) if state.typed.strips else None
        if state.typed.strips and (strips is None or strips != int(strips)):
            raise DataError(
                f"“{state.typed.strips}” is no number of strips; write a whole number, or leave it open.",
                Fault.NOT_READABLE,
            )
        whole = None if strips is None else int(strips)
        return FunctionRequest(state.typed.formula, limits[0], limits[1], whole, state.typed.rule)
    recipe = state.area(study)
    return None if recipe is None else AreaRequest(study, study.find_series(state.series), recipe)
