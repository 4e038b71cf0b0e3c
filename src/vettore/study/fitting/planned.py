"""Where to measure next for a fit of a study: places over its data, what is to be known better, and what a row costs."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.columns.practice_data import MadeNoise, practice, practice_x
from vettore.core.design.next_rows import Improve, WhereNext, where_next
from vettore.core.design.planning import Plan, plan_rows
from vettore.core.errors import DataError, Fault
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_expression
from vettore.study.fitting.fits import DerivedFit
from vettore.study.series import Role

if TYPE_CHECKING:
    from vettore.study.kinds.readings.base import Reading

# Places over the span of the data: beyond it nothing tells whether the curve holds.
PLACES = 201
# Where a curve is near 0 a scatter that goes with it is taken to be this share of the largest.
LEAST_SCATTER = 1e-3


def places_of(fit: DerivedFit, log: bool = False) -> Array:
    """Return the x that could be measured, evenly over the data; by their logarithm where that is asked for."""
    low, high = float(fit.x.min()), float(fit.x.max())
    return np.geomspace(low, high, PLACES) if log and low > 0 else np.linspace(low, high, PLACES)


def price_at(fit: DerivedFit, price: str, x: Array) -> Array | None:
    """Return what a row costs at each x by a formula of x, as ``1 + depth/2``; None where it is blank. Raises VettoreError."""
    if not price.strip():
        return None
    name = fit.series.name_and_unit(Role.X)[0]
    cost = evaluate(read_expression(price, (name,)), {name: x}, len(x))
    if not np.all(np.isfinite(cost) & (cost > 0)):
        raise DataError(f"The price “{price}” is not above 0 everywhere over the data.", Fault.OUT_OF_BOUNDS)
    return cost


def improve_of(fit: DerivedFit, wanted: str, kept: Sequence[Reading]) -> Improve:
    """Return how the core is asked for a coefficient, for all of them, or for a kept reading by its name.

    Raises DataError for what is none of these.
    """
    named = {reading.name: reading.asked_for for reading in kept if reading.name and reading.asked_for is not None}
    if wanted in named and wanted not in fit.result.fitted_names:
        return named[wanted]
    if wanted != "all" and wanted not in fit.result.fitted_names:
        there = ", ".join([*fit.result.fitted_names, *named, "all"])
        raise DataError(
            f"“{wanted}” is nothing that rows more make better known. There are: {there}.", Fault.NO_SUCH_NAME
        )
    return wanted


class Scatter(NamedTuple):
    """How made-up rows scatter: the size of their noise, and its kind."""

    size: float
    kind: MadeNoise

    def at(self, y: Array) -> Array:
        """Return the standard deviation where the curve is y (k,); of none, that of 1, which says no more than ratios."""
        match self.kind:
            case MadeNoise.RELATIVE:
                of = self.size * np.abs(y)
            case MadeNoise.POISSON:
                of = np.sqrt(np.maximum(y, 0.0))
            case kind:
                of = np.full(len(y), self.size / (math.sqrt(3) if kind is MadeNoise.UNIFORM else 1.0))
        most = float(of.max(initial=0.0))
        return np.asarray(np.maximum(of, most * LEAST_SCATTER) if most > 0 else np.ones(len(y)))


def plan_practice(
    formula: str, values: Mapping[str, float], span: tuple[float, float], rows: int, improve: str, scatter: Scatter
) -> Plan:
    """Return where so many rows over a span of x tell most of a formula with these coefficients. Raises VettoreError."""
    x = practice_x(*span, PLACES)
    y = practice(formula, values, x).true_y
    return plan_rows(formula, values, x, rows, improve, sigma=scatter.at(y))


def plan_next(
    fit: DerivedFit, improve: Improve, rows: int = 1, price: str = "", log: bool = False, sigma: float | None = None
) -> WhereNext:
    """Return where so many rows more tell most. Raises VettoreError in a sentence."""
    x = places_of(fit, log)
    return where_next(fit.result, x, improve, rows=rows, sigma=sigma, price=price_at(fit, price, x))
