"""Where to measure next for a fit of a study: places over its data, what is to be known better, and what a row costs."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_expression
from vettore.core.next_rows import Improve, WhereNext, where_next
from vettore.study.fits import DerivedFit
from vettore.study.series import Role

if TYPE_CHECKING:
    from vettore.study.kinds.readings.base import Reading

# Places over the span of the data: beyond it nothing tells whether the curve holds.
PLACES = 201
MOST_ROWS = 100


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
        raise DataError(f"The price “{price}” is not above 0 everywhere over the data.")
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
        raise DataError(f"“{wanted}” is nothing that rows more make better known. There are: {there}.")
    return wanted


def plan_next(
    fit: DerivedFit, improve: Improve, rows: int = 1, price: str = "", log: bool = False, sigma: float | None = None
) -> WhereNext:
    """Return where so many rows more tell most. Raises VettoreError in a sentence."""
    x = places_of(fit, log)
    return where_next(fit.result, x, improve, rows=rows, sigma=sigma, price=price_at(fit, price, x))
