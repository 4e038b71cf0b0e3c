"""Why the values of a formula leave the range of numbers, and what to write instead."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.prepared import prepared
from vettore.core.fitting.search.separable import Separable
from vettore.core.fitting.search.starts import find
from vettore.core.formula.tree import Binary, Name, Number, replaced
from vettore.core.formula.write import to_text
from vettore.core.remarks import listed

# A column that begins so many of its own spans away from 0 may be counted from its beginning.
FAR = 3.0
# Points at which coefficients are looked at, and the share of the largest direction below which one says nothing.
LOOKS, NOTHING = 5, 1e-9


def out_of_range(problem: Separable) -> DataError:
    """Return the refusal of a fit whose values are beyond numbers: its reason, and a formula that has none of it."""
    read = problem.model.formula
    for name in read.data:
        column = np.asarray(problem.given[name], dtype=np.float64)
        low, span = float(column.min()), float(np.ptp(column))
        if span > 0 and abs(low) > FAR * span:
            start = float(f"{low:.6g}")
            tree = replaced(read.right, name, Binary("-", Name(name), Number(start)))
            if start < 0:
                tree = replaced(read.right, name, Binary("+", Name(name), Number(-start)))
            text = f"{read.left_text} = {to_text(tree)}"
            if _fits(problem, text):
                return DataError(
                    f"{name} begins at {start:g}, so that a coefficient of {read} would leave the range of numbers. "
                    f"Count {name} from there: {text}.",
                    Fault.OVERFLOW,
                )
    same = not_apart(problem)
    if same:
        return DataError(
            f"{listed(same)} cannot be told apart in {read}: hold one of them, or leave it out.", Fault.NOT_TOLD
        )
    return DataError(
        f"The values of {read} leave the range of numbers here. Change the unit of a column.", Fault.OVERFLOW
    )


def no_finite_value(problem: Separable) -> DataError:
    """Return the refusal of a formula that had a value for no start: the same reason where it is that."""
    data_error = out_of_range(problem)
    if "leave the range of numbers here" not in str(data_error):
        return data_error
    return DataError(
        f"{problem.model.formula} has no finite value for any starting values tried. Check the formula and its signs.",
        Fault.NO_VALUE,
    )


def _fits(problem: Separable, text: str) -> bool:
    read = problem.model.formula
    held = [name for name in read.coefficients if name not in problem.model.free]
    model = prepared(text, (*read.data, *read.measured), held, problem.limits)
    moved = Separable(model, problem.given, problem.plain_y, problem.root_weights, problem.limits)
    with np.errstate(all="ignore"):
        result = find(moved, 1, rounds=1)
    return result is not None and np.isfinite([*result.best.projected.c, *result.best.alpha]).all().item()


def not_apart(problem: Separable) -> tuple[str, ...]:
    """Return coefficients along which the curve stays the same wherever it is looked at; none where there are no such."""
    rng, always = np.random.default_rng(0), None
    for _ in range(LOOKS):
        values = rng.uniform(0.2, 1.2, len(problem.model.free))
        jacobian = _jacobian(problem, values)
        size = np.linalg.norm(jacobian, axis=0)
        if not np.isfinite(size).all() or not (size > 0).all():
            continue
        _, singular, lines = np.linalg.svd(jacobian / size, full_matrices=False)
        part = (
            frozenset()
            if singular[-1] > NOTHING * singular[0]
            else frozenset(np.flatnonzero(np.abs(lines[-1]) > 0.1))
        )
        always = part if always is None else always & part
    return tuple(problem.model.free[i] for i in sorted(always)) if always and len(always) > 1 else ()


def _jacobian(problem: Separable, values: Array) -> Array:
    count = len(problem.parts.linear)
    span = {
        name: np.linspace(0.1, 1.0, problem.n) if np.ndim(value) else value for name, value in problem.given.items()
    }
    unit = Separable(problem.model, span, problem.plain_y)
    with np.errstate(all="ignore"):
        return unit.joint(values[count:], values[:count])[1].T
