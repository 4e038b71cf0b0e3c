"""What a nonlinear coefficient is, found from where it stands: its dimension in the data, and its role.

Arguments of functions and exponents are dimensionless, summands share a dimension: linear equations for the
exponents d in [coefficient] = Π [column]^d, solved by least squares. From dimension and place follow draws that make
sense for data of any scale.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.coefficient_units import exponents_over
from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, names

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
    found = exponents_over(tree, tuple(coefficients), tuple(data))
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
