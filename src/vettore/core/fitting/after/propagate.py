"""Numbers made from fitted coefficients, with their standard error by the delta method.

var f = gᵀ Σ g,   g = ∂f/∂θ  (exact derivatives),   Σ the covariance of the coefficients
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.errors import DataError, Fault
from vettore.core.fitting.result import FitResult
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import number_of
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Node, names
from vettore.core.models.model import Model


@dataclass(frozen=True)
class Derived:
    """A number from the coefficients; ``standard_error`` is None where theirs is not known."""

    name: str
    value: float
    standard_error: float | None
    tree: Node
    meaning: str = ""


def propagate(
    formula: str, result: FitResult, others: Mapping[str, tuple[float, float | None]] | None = None, name: str = ""
) -> Derived:
    """Work out a formula over the coefficients of a fit and other values with independent standard errors.

    Raises FormulaError, or DataError for a name that is neither or for a formula without a value.
    """
    given = dict(others or {})
    known = {
        **{key: coefficient.value for key, coefficient in result.coefficients.items()},
        **{k: v[0] for k, v in given.items()},
    }
    tree = Reader(formula, frozenset(known)).read_all()
    unknown = [text for text in names(tree) if text not in known]
    if unknown:
        raise DataError(f"There is no value for {unknown[0]}. Known are {', '.join(known)}.", Fault.NO_SUCH_NAME)
    value = number_of(tree, known)
    if not math.isfinite(value):
        raise DataError(f"{formula} has no value with these coefficients.", Fault.NO_VALUE)
    return Derived(name or formula, value, _error(tree, known, result, given), tree)


def quantities(model: Model, result: FitResult, called: Mapping[str, str]) -> tuple[Derived, ...]:
    """Return what a model derives from its coefficients; ``called`` gives their names in the result.

    Quantities without a value, such as the logarithm of a negative coefficient, are left out.
    """
    out = []
    for quantity in model.quantities:
        tree = Reader(quantity.formula, frozenset(model.coefficients)).read_all()
        values = {name: result.coefficients[called[name]].value for name in names(tree)}
        value = number_of(tree, values)
        if not math.isfinite(value):
            continue
        places = {called[name]: name for name in names(tree)}
        error = _error(tree, values, result, {}, places)
        out.append(Derived(quantity.name, value, error, tree, quantity.meaning))
    return tuple(out)


def _error(
    tree: Node,
    known: Mapping[str, float],
    result: FitResult,
    given: Mapping[str, tuple[float, float | None]],
    places: Mapping[str, str] | None = None,
) -> float | None:
    """Return the standard error; ``places`` gives the name in the tree of a coefficient of the result."""
    fitted: Sequence[str] = result.fitted_names or tuple(
        name for name, item in result.coefficients.items() if item.standard_error is not None
    )
    called = {name: (name if places is None else places.get(name, "")) for name in fitted}
    used = [name for name in fitted if called[name] in names(tree)]
    variance = 0.0
    if used and result.covariance is None:
        return None
    if used and result.covariance is not None:
        g = np.array([number_of(derivative(tree, called[n]), known) if n in used else 0.0 for n in fitted])
        variance += float(g @ result.covariance @ g)
    for name, (_, error) in given.items():
        if error is not None and name in names(tree):
            variance += (number_of(derivative(tree, name), known) * error) ** 2
    loose = [
        coefficient.name
        for coefficient in result.coefficients.values()
        if coefficient.name not in fitted
        and not coefficient.held
        and (places or {coefficient.name: coefficient.name}).get(coefficient.name, "") in names(tree)
    ]
    if loose or not math.isfinite(variance):
        return None
    return math.sqrt(max(variance, 0.0))
