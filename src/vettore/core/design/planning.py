"""A plan of measurements before there are any: where to put rows, from coefficients that are guessed and the scatter expected.

The same as where to measure next (next_rows.py), from nothing: the precision of the coefficients is that of the rows planned
alone. For a model that is linear in its coefficients the plan does not depend on the guess; for others it is best near it.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.design.next_rows import ALL, Candidates, Improve, positive
from vettore.core.errors import DataError, Fault, a_mapping, a_number
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Node
from vettore.core.models.model import Model
from vettore.core.remarks import listed

MOST_PLANNED = 200
SINGULAR = 1e14
EQUALS = re.compile(r"(?<![<>=!])=(?!=)")


@dataclass(frozen=True, eq=False)
class Plan:
    """Rows to measure: ``x`` in rising order, the ``standard_errors`` of the coefficients that they would give.

    ``standard_error`` is that of the number to be known, ``even`` what as many rows evenly spread over the places would make of
    it; for all coefficients together both are the radius of their joint confidence region, each coefficient beside its guess
    (D-criterion, det^(1/2m) of their covariance). ``even`` is infinite where evenly spread rows tell nothing of it.
    """

    x: tuple[float, ...]
    standard_errors: Mapping[str, float]
    standard_error: float
    even: float


def plan_rows(
    formula: str | Model,
    guess: Mapping[str, float],
    x: Values,
    rows: int,
    improve: Improve = ALL,
    *,
    sigma: Values | float = 1.0,
    price: Values | float | None = None,
    hold: Mapping[str, float] | None = None,
) -> Plan:
    """Return where so many ``rows`` are best put among the places ``x`` (k,), a place more than once if that is best.

    ``guess`` gives every coefficient a value, ``hold`` those that will not be fitted. ``sigma`` is the standard deviation of a
    measurement, one or one for each place; ``price`` what it costs there. ``improve`` is as in where_next.
    Raises DataError, FormulaError.

    >>> from vettore import core
    >>> plan = core.plan_rows("y = A*exp(-k*x)", {"A": 10, "k": 0.25}, range(13), 6, sigma=0.2)
    >>> plan.x
    (0.0, 0.0, 0.0, 4.0, 4.0, 4.0)
    >>> round(plan.standard_errors["k"], 4)
    0.0084
    """
    text = formula.over("x", "y", ["x", "y"]) if isinstance(formula, Model) else formula
    held = {name: a_number(value, name) for name, value in a_mapping(hold, "Held coefficients", '{"C": 0.0}').items()}
    given = {name: a_number(value, name) for name, value in a_mapping(guess, "A guess", '{"k": 0.1}').items()}
    column, tree, free = _read(text, given, held)
    places = as_values(x, "x")
    _check(places, rows, len(free))
    span = (float(places.min()), float(places.max()))
    curve = FormulaCurve(tree, column, {**given, **held}, free, np.eye(len(free)), span, 1.0, np.inf)
    noise = positive(sigma, len(places), "The standard deviation of a measurement")
    cost = positive(price, len(places), "The price")
    scale = np.array([abs(given[name]) or 1.0 for name in free])
    problem = Candidates(curve, free, places, improve, noise, scale=scale, known=False)
    even = [int(np.argmin(np.abs(places - place))) for place in np.linspace(*span, rows).tolist()]
    plans = [problem.plan(rows, cost), problem.plan(rows, cost, even)]
    chosen = min(plans, key=lambda plan: _error(problem, plan))
    precision = problem.precision(chosen)
    if not np.isfinite(_error(problem, chosen)):
        raise DataError(
            "Rows at these places cannot tell the coefficients apart, wherever they are put.", Fault.NOT_TOLD
        )
    spread = np.sqrt(np.diag(np.linalg.inv(precision))) * scale
    return Plan(
        tuple(sorted(float(places[place]) for place in chosen)),
        dict(zip(free, spread.tolist(), strict=True)),
        problem.error(precision),
        _error(problem, even),
    )


def _error(problem: Candidates, chosen: list[int]) -> float:
    """Return the standard error after rows, infinite where they cannot tell."""
    precision = problem.precision(chosen)
    return float("inf") if np.linalg.cond(precision) > SINGULAR else problem.error(precision)


def _read(text: str, given: Mapping[str, float], held: Mapping[str, float]) -> tuple[str, Node, tuple[str, ...]]:
    """Return the column, the right side and the coefficients to be fitted of a formula whose other names are guessed."""
    known = {*given, *held}
    # What is measured stands before the =, and is of no concern here.
    right = EQUALS.split(text, maxsplit=1)[-1]
    read = read_formula(right)
    strange = [name for name in known if name not in read.coefficients]
    if strange:
        raise DataError(f"A guess is given for {strange[0]}, which is no coefficient of {text}.", Fault.NO_SUCH_NAME)
    columns = [name for name in read.coefficients if name not in known]
    if len(columns) != 1:
        more = f"here {listed(columns)} have none" if columns else "here all have one"
        raise DataError(f"Every name of {text} but that of x needs a guess; {more}.", Fault.MISSING)
    read = read_formula(right, columns)
    return columns[0], read.right, tuple(name for name in read.coefficients if name not in held)


def _check(places: Array, rows: int, coefficients: int) -> None:
    if not len(places) or not np.isfinite(places).all():
        raise DataError("The places that could be measured are finite numbers, one at least.", Fault.WRONG_KIND)
    if not coefficients <= rows <= MOST_PLANNED or rows != int(rows):
        raise DataError(
            f"A plan for {coefficients} coefficients has {coefficients} to {MOST_PLANNED} rows; {rows} was asked for.",
            Fault.OUT_OF_BOUNDS,
        )
