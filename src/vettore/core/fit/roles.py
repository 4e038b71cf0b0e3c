"""What a nonlinear coefficient is, found from where it stands: its dimension in the data, and its role.

Arguments of functions and exponents are dimensionless, summands share a dimension: linear equations for the
exponents d in [coefficient] = Π [column]^d, solved by least squares. From dimension and place follow draws that make
sense for data of any scale.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, Number, names

TRIGONOMETRIC = frozenset({"sin", "cos", "tan"})
PLAIN, LOCATION, FREQUENCY, PHASE, EXPONENT, SHIFT = "plain", "location", "frequency", "phase", "exponent", "shift"
# How far outside the data a location may lie, in spans, and how often it is looked for there.
OUTSIDE_SHARE = 0.4
ROUND = 1e-6


@dataclass(frozen=True)
class Role:
    """A coefficient's role and its exponents over the data columns, shape (columns,)."""

    kind: str
    dimension: Array


def roles(tree: Node, nonlinear: Sequence[str], data: Sequence[str], coefficients: Sequence[str]) -> dict[str, Role]:
    """Return the role of each nonlinear coefficient."""
    found = _Dimensions(coefficients, data).solve(tree)
    kinds = dict.fromkeys(nonlinear, PLAIN)
    _walk(tree, "", frozenset(nonlinear), frozenset(data), kinds)
    return {name: Role(kinds[name], found[name]) for name in nonlinear}


def draw(role: Role, columns: Sequence[Array], count: int, rng: np.random.Generator) -> Array:
    """Return values of a coefficient that make sense for these columns, shape (count,)."""
    if role.kind == EXPONENT:
        return _signed(np.exp(rng.uniform(np.log(0.05), np.log(20), count)), rng, 0.25)
    if role.kind == PHASE:
        return rng.uniform(-np.pi, np.pi, count)
    if role.kind == LOCATION and len(columns):
        return _locations(columns[int(np.argmax(np.abs(role.dimension)))], count, rng)
    if not np.any(np.abs(role.dimension) > ROUND):
        size = 30.0 if role.kind == SHIFT else 100.0
        return _signed(np.exp(rng.uniform(-np.log(size), np.log(size), count)), rng, 0.5)
    out = np.ones(count)
    for column, exponent in zip(columns, role.dimension, strict=True):
        if abs(exponent) > ROUND:
            if role.kind == FREQUENCY and abs(exponent + 1) < ROUND:
                out = out * _frequencies(column, count, rng)
            else:
                out = out * _lengths(column, count, rng) ** exponent
    return _signed(out, rng, 0.25 if role.kind != FREQUENCY else 0.0)


def _signed(values: Array, rng: np.random.Generator, negative: float) -> Array:
    return np.where(rng.uniform(size=len(values)) < negative, -values, values)


def _lengths(column: Array, count: int, rng: np.random.Generator) -> Array:
    span = float(np.ptp(column)) or abs(float(column[0])) or 1.0
    steps = np.diff(np.unique(column))
    smallest = max(float(steps.min()) if len(steps) else span, span / 1000)
    largest = 10 * max(span, float(np.max(np.abs(column))))
    return np.exp(rng.uniform(np.log(smallest), np.log(largest), count))


def _locations(column: Array, count: int, rng: np.random.Generator) -> Array:
    low, high = float(column.min()), float(column.max())
    span = high - low or abs(low) or 1.0
    inside = rng.uniform(low - 0.1 * span, high + 0.1 * span, count)
    far = np.exp(rng.uniform(np.log(0.01), np.log(30), count)) * span
    outside = np.where(rng.uniform(size=count) < 0.5, low - far, high + far)
    return np.where(rng.uniform(size=count) < OUTSIDE_SHARE, outside, inside)


def _frequencies(column: Array, count: int, rng: np.random.Generator) -> Array:
    steps = np.diff(np.unique(column))
    span = float(np.ptp(column)) or 1.0
    usual = float(np.median(steps)) if len(steps) else span
    return 2 * np.pi * rng.uniform(0.25 / span, 0.5 / usual, count)


def _walk(node: Node, inside: str, wanted: frozenset[str], data: frozenset[str], kinds: dict[str, str]) -> None:
    """Give kinds by place: what stands alone beside data in a sum, in an exponent, in a wave."""
    match node:
        case Call(function, arguments):
            within = "wave" if function in TRIGONOMETRIC else "function"
            for argument in arguments:
                if within == "wave" and not isinstance(argument, Name):
                    for name in names(argument):
                        if name in wanted:
                            kinds[name] = FREQUENCY
                _walk(argument, within, wanted, data, kinds)
        case Binary("+" | "-", left, right):
            for part, other in ((left, right), (right, left)):
                lone = part.of if isinstance(part, Negate) else part
                if isinstance(lone, Name) and lone.name in wanted and set(names(other)) & data:
                    beside_data = isinstance(other, Name) or (isinstance(other, Binary) and other.sign in "+-")
                    if beside_data:
                        kinds[lone.name] = LOCATION
                    else:
                        kinds[lone.name] = PHASE if inside == "wave" else SHIFT if inside else PLAIN
                else:
                    _walk(part, inside, wanted, data, kinds)
        case Binary("^", base, exponent):
            for name in names(exponent):
                if name in wanted and not set(names(exponent)) & data:
                    kinds[name] = EXPONENT
            _walk(base, inside, wanted, data, kinds)
            _walk(exponent, "function", wanted, data, kinds)
        case Binary(_, left, right):
            _walk(left, inside, wanted, data, kinds)
            _walk(right, inside, wanted, data, kinds)
        case Negate(of):
            _walk(of, inside, wanted, data, kinds)
        case _:
            return


class _Dimensions:
    """Collects the equations. A dimension is a pair: exponents of unknowns (coefficients and fresh ones), of data."""

    def __init__(self, coefficients: Sequence[str], data: Sequence[str]) -> None:
        self.unknown = {name: i for i, name in enumerate(coefficients)}
        self.data = {name: i for i, name in enumerate(data)}
        self.equations: list[tuple[Mapping[int, float], Array]] = []
        self.fresh = len(coefficients)

    def solve(self, tree: Node) -> dict[str, Array]:
        """Return the exponents of every coefficient over the data."""
        self._of(tree)
        width = len(self.data)
        if not self.equations or not width:
            return {name: np.zeros(width) for name in self.unknown}
        a = np.zeros((len(self.equations), self.fresh))
        b = np.zeros((len(self.equations), width))
        for i, (unknown, known) in enumerate(self.equations):
            for j, factor in unknown.items():
                a[i, j] = factor
            b[i] = -known
        found = np.round(np.linalg.lstsq(a, b, rcond=None)[0], 6)
        return {name: found[i] for name, i in self.unknown.items()}

    def _none(self) -> tuple[dict[int, float], Array]:
        return {}, np.zeros(len(self.data))

    def _equal(self, one: tuple[Mapping[int, float], Array], other: tuple[Mapping[int, float], Array]) -> None:
        difference = {k: one[0].get(k, 0.0) - other[0].get(k, 0.0) for k in {*one[0], *other[0]}}
        if any(difference.values()):
            self.equations.append((difference, one[1] - other[1]))

    def _of(self, node: Node) -> tuple[dict[int, float], Array]:
        match node:
            case Name(name) if name in self.data:
                known = np.zeros(len(self.data))
                known[self.data[name]] = 1.0
                return {}, known
            case Name(name):
                if name not in self.unknown:
                    # A held coefficient has a dimension, too, though nobody asks for it.
                    self.unknown[name] = self.fresh
                    self.fresh += 1
                return {self.unknown[name]: 1.0}, np.zeros(len(self.data))
            case Negate(of):
                return self._of(of)
            case Binary("+" | "-", left, right):
                one, other = self._of(left), self._of(right)
                # A bare number beside something takes its dimension, or every 1 + x would be refused.
                if isinstance(right, Number) or isinstance(left, Number):
                    self._equal(other if isinstance(left, Number) else one, self._none())
                    return self._none()
                self._equal(one, other)
                return one
            case Binary("*" | "/" as sign, left, right):
                one, other = self._of(left), self._of(right)
                way = 1.0 if sign == "*" else -1.0
                mixed = {k: one[0].get(k, 0.0) + way * other[0].get(k, 0.0) for k in {*one[0], *other[0]}}
                return mixed, one[1] + way * other[1]
            case Binary("^", base, exponent):
                inner = self._of(base)
                value = exponent.of if isinstance(exponent, Negate) else exponent
                if isinstance(value, Number):
                    power = -value.value if isinstance(exponent, Negate) else value.value
                    return {k: v * power for k, v in inner[0].items()}, inner[1] * power
                self._equal(self._of(exponent), self._none())
                self.fresh += 1
                return {self.fresh - 1: 1.0}, np.zeros(len(self.data))
            case Call("sqrt" | "cbrt" as function, (of,)):
                inner, power = self._of(of), 0.5 if function == "sqrt" else 1 / 3
                return {k: v * power for k, v in inner[0].items()}, inner[1] * power
            case Call("abs" | "min" | "max" as function, arguments):
                parts = [self._of(argument) for argument in arguments]
                for part in parts[1:]:
                    self._equal(parts[0], part)
                return parts[0]
            case Call("if", (_, a, b)):
                one = self._of(a)
                self._equal(one, self._of(b))
                return one
            case Call(_, arguments):
                for argument in arguments:
                    self._equal(self._of(argument), self._none())
                return self._none()
            case _:
                return self._none()
