"""Units of coefficients from the units of columns, and of numbers made from coefficients."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vettore.core import units
from vettore.core.formula.dimensions import PLAIN, Dimensions, Equation, Vector, solve
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Node
from vettore.core.formula.write import to_text


@dataclass(frozen=True)
class UnitConflict:
    """Two parts of a formula that should share a unit and do not, or a part with a unit where none may be."""

    left: str
    left_unit: str
    right: str | None = None
    right_unit: str = ""


@dataclass(frozen=True)
class CoefficientUnits:
    """The unit of every coefficient as a text (None where it cannot be told), and contradictions."""

    units: Mapping[str, str | None]
    contradictions: tuple[UnitConflict, ...]
    exponents: Mapping[str, Mapping[str, float] | None]

    def of(self, tree: Node) -> str:
        """Return the unit of a formula over the coefficients; blank where it cannot be told."""
        known = {name: vector for name, vector in self.exponents.items() if vector is not None}
        dimensions = Dimensions([name for name in self.exponents if name not in known], known, doubt_numbers=True)
        by_name = dimensions.of(tree)
        unknown = {*self.exponents, *dimensions.doubted}
        if any(label or name in unknown for (label, name), power in by_name.items() if power):
            return ""
        return units.composed({name: power for (_, name), power in by_name.items()})


def coefficient_units(formula: Formula, of_columns: Mapping[str, str]) -> CoefficientUnits:
    """Work out the units of a formula's coefficients from those of its columns."""
    unnamed = {name: "" for name in (*formula.data, *formula.measured) if name not in of_columns}
    return units_told([(formula.left, formula.right)], formula.coefficients, {**of_columns, **unnamed})


def units_told(
    equations: Iterable[tuple[Node | None, Node]], unknown: Sequence[str], of_columns: Mapping[str, str]
) -> CoefficientUnits:
    """Work out the units of unknown names from those of columns, where both sides of each equation have the same.

    A left side of None says nothing of the unit of the right one.
    """
    # A text that is a coefficient's name cannot stand for a unit as well.
    shared = units.share_parts(unit for unit in of_columns.values() if unit)
    vectors = {
        name: {
            f"[{part}]": times
            for part, times in (units.parts(unit) if unit in shared else {unit: 1.0}).items()
            if part
        }
        for name, unit in of_columns.items()
    }
    bases = list(dict.fromkeys(base for vector in vectors.values() for base in vector))
    dimensions = Dimensions(unknown, vectors, doubt_numbers=True)
    for left, right in equations:
        if left is not None:
            dimensions.equal(left, right)
        else:
            dimensions.of(right)
    solved = solve(dimensions, bases)
    exponents = {
        name: None
        if vector is None
        else {base[1:-1]: float(power) for base, power in zip(bases, vector, strict=True) if power}
        for name, vector in solved.exponents.items()
    }
    texts = {name: None if vector is None else units.composed(vector) for name, vector in exponents.items()}
    answer = CoefficientUnits(texts, (), exponents)
    conflicts = [_conflict(equation, answer, vectors) for equation in solved.contradictions]
    return CoefficientUnits(texts, tuple(dict.fromkeys(conflicts)), exponents)


def _conflict(
    equation: Equation, answer: CoefficientUnits, columns: Mapping[str, Mapping[str, float]]
) -> UnitConflict:
    known = {
        **{
            name: {f"[{unit}]": power for unit, power in v.items()}
            for name, v in answer.exponents.items()
            if v is not None
        },
        **columns,
    }

    def unit_of(node: Node) -> str:
        vector: Vector = Dimensions((), known).of(node)
        return units.composed({name[1:-1]: power for (label, name), power in vector.items() if label == PLAIN})

    left = UnitConflict(to_text(equation.left), unit_of(equation.left))
    if equation.right is None:
        return left
    return replace(left, right=to_text(equation.right), right_unit=unit_of(equation.right))


def exponents_over(tree: Node, coefficients: tuple[str, ...], data: tuple[str, ...]) -> dict[str, np.ndarray]:
    """Return the exponents of coefficients over data columns as far as a right side tells; 0 where it does not."""
    dimensions = Dimensions(coefficients, {name: {f"[{name}]": 1.0} for name in data})
    dimensions.of(tree)
    solved = solve(dimensions, [f"[{name}]" for name in data])
    return {n: np.zeros(len(data)) if v is None else v for n, v in solved.exponents.items()}
