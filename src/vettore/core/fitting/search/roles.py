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
from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, Number, names, walk

TRIGONOMETRIC = frozenset({"sin", "cos", "tan"})
PLAIN, LOCATION, FREQUENCY, PHASE, EXPONENT, SHIFT = "plain", "location", "frequency", "phase", "exponent", "shift"
# How far outside the data a location may lie, in spans, and how often it is looked for there.
OUTSIDE_SHARE = 0.4
ROUND = 1e-6
# Draws where a curve misses most, and how near to a row.
GUIDED_SHARE, NEAR_SHARE = 0.5, 0.01
# Lines of the periodogram for each that rows can tell apart, lines at most, rows it is taken from at most.
OVERSAMPLED, MOST_LINES, MOST_LOOKED_AT = 4, 1500, 400
# The share of steps that are closer than those that limit frequencies, and how much beyond the usual these may be.
CLOSE, MOST_FASTER = 0.1, 6


@dataclass(frozen=True)
class Role:
    """A coefficient's role and its exponents over the data columns, shape (columns,).

    One of a wave that is written with 2π is in ``turns``, not in radians.
    """

    kind: str
    dimension: Array
    turns: bool = False

    @property
    def rate(self) -> float:
        """For a frequency −1, for a period 1; 0 for what is neither."""
        powers = [float(exponent) for exponent in self.dimension if abs(exponent) > ROUND]
        return powers[0] if self.kind == FREQUENCY and len(powers) == 1 and abs(abs(powers[0]) - 1) < ROUND else 0.0


def roles(tree: Node, nonlinear: Sequence[str], data: Sequence[str], coefficients: Sequence[str]) -> dict[str, Role]:
    """Return the role of each nonlinear coefficient."""
    values = exponents_over(tree, tuple(coefficients), tuple(data))
    kinds = dict.fromkeys(nonlinear, PLAIN)
    _walk(tree, "", frozenset(nonlinear), frozenset(data), kinds)
    turning = _in_turns(tree)
    return {name: Role(kinds[name], values[name], name in turning) for name in nonlinear}


def _in_turns(tree: Node) -> set[str]:
    """Return the names inside waves that are written with π."""
    waves = [node for node in walk(tree) if isinstance(node, Call) and node.function in TRIGONOMETRIC]
    with_pi = [
        node for node in waves if any(isinstance(number, Number) and number.value == np.pi for number in walk(node))
    ]
    return {name for node in with_pi for name in names(node)}


def draw(
    role: Role, columns: Sequence[Array], count: int, rng: np.random.Generator, rest: Array | None = None
) -> Array:
    """Return values of a coefficient that make sense for these columns, shape (count,).

    Half of the places and frequencies are drawn where ``rest`` (n,), what a curve has left of y, is large.
    """
    guided = None if rest is None or not len(columns) else _guided(role, columns, count, rng, rest)
    if guided is not None:
        return np.where(rng.uniform(size=count) < GUIDED_SHARE, guided, draw(role, columns, count, rng))
    if role.kind == EXPONENT:
        return _signed(np.exp(rng.uniform(np.log(0.05), np.log(20), count)), rng, 0.25)
    if role.kind == PHASE:
        return rng.uniform(-np.pi, np.pi, count)
    if role.kind == LOCATION and len(columns):
        return _locations(columns[int(np.argmax(np.abs(role.dimension)))], count, rng)
    if not np.any(np.abs(role.dimension) > ROUND):
        size = 30.0 if role.kind == SHIFT else 100.0
        return _signed(np.exp(rng.uniform(-np.log(size), np.log(size), count)), rng, 0.5)
    if role.rate:
        return _rated(role, _frequencies(columns[int(np.argmax(np.abs(role.dimension)))], count, rng))
    out = np.ones(count)
    for column, exponent in zip(columns, role.dimension, strict=True):
        if abs(exponent) > ROUND:
            out = out * _lengths(column, count, rng) ** exponent
    return _signed(out, rng, 0.25 if role.kind != FREQUENCY else 0.0)


def _guided(role: Role, columns: Sequence[Array], count: int, rng: np.random.Generator, rest: Array) -> Array | None:
    """Return draws where rows are missed most, or of the frequencies that they have most of; None for other roles."""
    size = rest * rest
    if not np.isfinite(size).all() or not size.any():
        return None
    column = columns[int(np.argmax(np.abs(role.dimension)))]
    if role.kind == LOCATION:
        picked = column[rng.choice(len(column), count, p=size / size.sum())]
        return picked + rng.normal(size=count) * NEAR_SHARE * (float(np.ptp(column)) or 1.0)
    return _rated(role, _strong_frequencies(column, rest, count, rng)) if role.rate else None


def _rated(role: Role, angular: Array) -> Array:
    """Return angular frequencies as the coefficient counts them: in radians or turns, or as periods."""
    rate = angular / (2 * np.pi) if role.turns else angular
    return rate if role.rate < 0 else 1 / rate


def _strong_frequencies(column: Array, rest: Array, count: int, rng: np.random.Generator) -> Array:
    """Return angular frequencies drawn by the power that the rows have there (the periodogram of uneven rows)."""
    span, fastest = float(np.ptp(column)) or 1.0, _fastest(column)
    step = max(1, len(column) // MOST_LOOKED_AT)
    x, r = column[::step] - column[0], rest[::step] - rest.mean()
    lines = int(min(max(OVERSAMPLED * span * fastest, 16), MOST_LINES))
    grid = 2 * np.pi * np.linspace(0.25 / span, fastest, lines)
    power = np.abs(np.exp(1j * np.outer(grid, x)) @ r) ** 4
    if not np.isfinite(power).all() or not power.any():
        return 2 * np.pi * rng.uniform(0.25 / span, fastest, count)
    width = float(grid[1] - grid[0])
    return np.maximum(
        grid[rng.choice(lines, count, p=power / power.sum())] + rng.normal(size=count) * width, width / 8
    )


def _signed(values: Array, rng: np.random.Generator, negative: float) -> Array:
    return np.where(rng.uniform(size=len(values)) < negative, -values, values)


def _lengths(column: Array, count: int, rng: np.random.Generator) -> Array:
    span = float(np.ptp(column)) or abs(float(column[0])) or 1.0
    steps = np.diff(np.unique(column))
    smallest = max(float(steps.min()) if len(steps) else span, span / 1000)
    above = np.abs(column[column != 0])
    if len(above) and float(above.min()) < span / 1000:
        # Rows over decades have something to tell in each of them.
        smallest = float(above.min()) / 3
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
    highest = np.where(rng.uniform(size=count) < 0.5, 0.5 / usual, _fastest(column))
    return 2 * np.pi * rng.uniform(0.25 / span, highest)


def _fastest(column: Array) -> float:
    """Return the highest frequency, in turns, that uneven rows may tell: more than evenly spread ones."""
    steps = np.diff(np.unique(column))
    if not len(steps):
        return 1.0
    usual, close = float(np.median(steps)), float(np.quantile(steps, CLOSE))
    return 0.5 / max(close, usual / MOST_FASTER)


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
