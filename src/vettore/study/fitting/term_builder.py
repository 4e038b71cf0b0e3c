"""A linear model put together from terms: its formula, and the design matrix of a series."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_expression
from vettore.core.formula.tree import Binary, Name, Node, Number, names
from vettore.core.formula.write import name_text, to_text
from vettore.study.series import Role, Series

# Terms that are offered, with x for the name of the column.
OFFERED = ("1", "x", "x^2", "x^3", "sqrt(x)", "1/x", "ln(x)", "exp(x)", "exp(-x)", "sin(x)", "cos(x)")


@dataclass(frozen=True, eq=False)
class Terms:
    """A sum of terms: its formula as text, and its design matrix (n, m) over the rows in use."""

    formula: str
    names: tuple[str, ...]
    design: Array
    rows: NDArray[np.intp]


def offered(series: Series) -> tuple[str, ...]:
    """Return the terms offered for a series, in the name of its x."""
    x = name_text(series.name_and_unit(Role.X)[0])
    return tuple(text.replace("exp", "\0").replace("x", x).replace("\0", "exp") for text in OFFERED)


def build(series: Series, terms: Sequence[str]) -> Terms:
    """Return the sum of terms with a coefficient each. Raises FormulaError or DataError."""
    if not terms:
        raise DataError("Tick a term, or write one.", Fault.MISSING)
    columns = [column.name for column in series.columns]
    y = series.name_and_unit(Role.Y)[0]
    rows = np.flatnonzero(series.in_use)
    values = series.numbers(rows)
    parts, sides, named = [], [], []
    free = (name for name in (f"a{k}" for k in range(10_000)) if name not in columns)
    for text in dict.fromkeys(term.strip() for term in terms):
        tree = read_expression(text, columns)
        if y in names(tree):
            raise DataError(f"{y} is what is fitted; it cannot be a term.", Fault.CONFLICT)
        with np.errstate(all="ignore"):
            side = np.broadcast_to(np.asarray(Program(tree)(values), dtype=np.float64), rows.shape)
        sides.append(side)
        named.append(to_text(tree))
        parts.append(_times(next(free), tree))
    return Terms(f"{name_text(y)} = {' + '.join(parts)}", tuple(named), np.column_stack(sides), rows)


def _times(coefficient: str, tree: Node) -> str:
    return coefficient if tree == Number(1.0) else to_text(Binary("*", Name(coefficient), tree))
