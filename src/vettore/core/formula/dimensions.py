"""What a formula says of dimensions: of coefficients given those of the columns, and where it contradicts itself.

The dimension of a subtree is a vector of exponents over unknowns (one for each coefficient) and bases (columns, or
units). Products add vectors; summands share theirs; arguments of functions and exponents have none. A power with an
exponent that is not a number multiplies the vector of its base by that exponent, which is kept apart as a factor of
its own: since the exponent may be anything, what it multiplies has to vanish on both sides of an equation by itself.

Equations are linear. Counting numbers take the dimension of their neighbours where that leads to no contradiction, so
1 + x/K says that K has the dimension of x; 0 says nothing. Other bare numbers, as the 8.314 of exp(-E/(8.314*T)), may be
constants with a unit that was not written: with ``doubt_numbers`` each is an unknown of its own, and what depends on it
is not told.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.tree import (
    Binary,
    Both,
    Call,
    Compare,
    Either,
    Name,
    Negate,
    Node,
    Not,
    Number,
    Text,
    names,
    walk,
)
from vettore.core.formula.write import to_text

PLAIN = ""
# Exponents are ratios of small whole numbers; anything below this is rounding.
ROUNDING = 1e-6
# Whole numbers, halves and quarters up to here are taken for pure numbers.
MOST_COUNTED = 12
# Functions of data whose unit is taken off by custom, as in ln(x).
TAKES_UNIT_OFF = frozenset({"ln", "log10", "log2"})

# (exponent that multiplies, name of an unknown or base) → factor.
Vector = dict[tuple[str, str], float]


@dataclass(frozen=True)
class Equation:
    """A vector that has to vanish; ``soft`` ones only where they contradict nothing. Sides as for a sentence."""

    vector: Vector
    soft: bool
    left: Node
    right: Node | None


@dataclass
class Dimensions:
    """Collects the equations of a formula; ``bases`` gives the vector of every column."""

    coefficients: Sequence[str]
    bases: Mapping[str, Mapping[str, float]]
    equations: list[Equation] = field(default_factory=list)
    doubt_numbers: bool = False
    # The doubtful numbers met, by the names under which they are unknowns.
    doubted: list[str] = field(default_factory=list)

    def of(self, node: Node) -> Vector:
        """Return the vector of a subtree, noting the equations in it."""
        match node:
            case Name(name) if name in self.bases:
                return {(PLAIN, base): power for base, power in self.bases[name].items()}
            case Name(name):
                return {(PLAIN, name): 1.0}
            case Number(value) if self.doubt_numbers and not is_counting(value):
                name = f"\0{value!r}"
                if name not in self.doubted:
                    self.doubted.append(name)
                return {(PLAIN, name): 1.0}
            case Negate(inner):
                return self.of(inner)
            case Binary("+" | "-", left, right):
                return self._sum(left, right)
            case Binary("*" | "/" as sign, left, right):
                return _added(self.of(left), self.of(right), 1.0 if sign == "*" else -1.0)
            case Binary("^", base, exponent):
                return self._power(base, exponent)
            case Call("sqrt" | "cbrt" as function, (inner,)):
                return _times(self.of(inner), 0.5 if function == "sqrt" else 1 / 3)
            case Call("abs" | "min" | "max", arguments):
                first, total = arguments[0], self.of(arguments[0])
                for argument in arguments[1:]:
                    total = self._shared(first, total, argument, self.of(argument))
                    first = argument if _is_zero(first) else first
                return total
            case Call("if", (condition, a, b)):
                self._compared(condition)
                return self._shared(a, self.of(a), b, self.of(b))
            case Call(function, arguments):
                for argument in arguments:
                    custom = function in TAKES_UNIT_OFF and not any(n in self.coefficients for n in names(argument))
                    vector = self.of(argument)
                    if not custom:
                        self._note(vector, False, argument, None)
                return {}
            case _:
                return {}

    def equal(self, left: Node, right: Node) -> None:
        """Note that two sides have the same dimension."""
        self._shared(left, self.of(left), right, self.of(right))

    def _compared(self, condition: Node) -> None:
        """Note that what is compared shares a dimension."""
        match condition:
            case Compare(_, left, right) if not isinstance(left, Text) and not isinstance(right, Text):
                self.equal(left, right)
            case Both(left, right) | Either(left, right):
                self._compared(left)
                self._compared(right)
            case Not(inner):
                self._compared(inner)

    def _sum(self, left: Node, right: Node) -> Vector:
        by_name, other = self.of(left), self.of(right)
        return self._shared(left, by_name, right, other)

    def _shared(self, left: Node, vector: Vector, right: Node, other: Vector) -> Vector:
        if _is_zero(left) or _is_zero(right):
            return other if _is_zero(left) else vector
        number, other_number = (not names(side) and not self._doubts(side) for side in (left, right))
        if number != other_number:
            inner, text = (other, right) if number else (vector, left)
            self._note(inner, True, text, None)
            return inner
        self._note(_added(vector, other, -1.0), False, left, right)
        # The side without unknown powers says more about what stands beside the sum.
        return other if any(label for label, _ in vector) else vector

    def _doubts(self, node: Node) -> bool:
        return self.doubt_numbers and any(
            isinstance(part, Number) and not is_counting(part.value) for part in walk(node)
        )

    def _power(self, base: Node, exponent: Node) -> Vector:
        inner = self.of(base)
        value = exponent.of if isinstance(exponent, Negate) else exponent
        if isinstance(value, Number):
            return _times(inner, -value.value if isinstance(exponent, Negate) else value.value)
        self._note(self.of(exponent), False, exponent, None)
        label = to_text(exponent)
        return {(f"{outer}·{label}" if outer else label, name): power for (outer, name), power in inner.items()}

    def _note(self, vector: Vector, soft: bool, left: Node, right: Node | None) -> None:
        parts: dict[str, Vector] = {}
        for (label, name), factor in vector.items():
            if abs(factor) > ROUNDING:
                parts.setdefault(label, {})[(PLAIN, name)] = factor
        known = {*self.coefficients, *self.doubted}
        free = [label for label, part in parts.items() if label and not any(name in known for _, name in part)]
        # A column to an unknown power gives its partner a dimension that no number tells.
        if free:
            return
        for part in parts.values():
            self.equations.append(Equation(part, soft, left, right))


def is_counting(value: float) -> bool:
    """Whether a bare number is one that formulas count with, as 2, ½ or π, and no constant that may have a unit."""
    return value in (math.pi, math.e) or (value <= MOST_COUNTED and value * 4 == math.floor(value * 4))


def _is_zero(node: Node) -> bool:
    return isinstance(node, Number) and node.value == 0


def _added(vector: Vector, other: Vector, factor: float) -> Vector:
    return {k: vector.get(k, 0.0) + factor * other.get(k, 0.0) for k in {**vector, **other}}


def _times(vector: Vector, factor: float) -> Vector:
    return {k: v * factor for k, v in vector.items()}


@dataclass(frozen=True)
class SolvedDimensions:
    """Exponents over the bases of every coefficient (None where the formula does not tell), and contradictions."""

    exponents: Mapping[str, Array | None]
    contradictions: tuple[Equation, ...]


def solve(dimensions: Dimensions, bases: Sequence[str]) -> SolvedDimensions:
    """Solve the equations one by one, leaving out those that contradict the ones before; soft ones come last."""
    unknown = {name: i for i, name in enumerate((*dimensions.coefficients, *dimensions.doubted))}
    m = len(unknown)
    table = np.zeros((0, m + len(bases)))
    bad = []
    for equation in sorted(dimensions.equations, key=lambda item: item.soft):
        row = np.zeros(m + len(bases))
        for (_, name), factor in equation.vector.items():
            row[unknown[name] if name in unknown else m + list(bases).index(name)] += factor
        longer = np.vstack([table, row])
        consistent = _rank(longer) == _rank(longer[:, :m])
        if consistent:
            table = longer
        elif not equation.soft:
            bad.append(equation)
    solution, *_ = np.linalg.lstsq(table[:, :m], -table[:, m:], rcond=None) if m else (np.zeros((0, 0)),)
    rank = _rank(table[:, :m])
    exponents: dict[str, Array | None] = {}
    for name in dimensions.coefficients:
        i = unknown[name]
        probe = np.vstack([table[:, :m], np.eye(m)[i]])
        exponents[name] = np.round(solution[i], 6) + 0.0 if _rank(probe) == rank else None
    return SolvedDimensions(exponents, tuple(bad))


def _rank(table: Array) -> int:
    return int(np.linalg.matrix_rank(table, tol=1e-9)) if table.size else 0
