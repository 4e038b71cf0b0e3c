"""What a formula tells of itself: where in x something happens, and over what width.

An adaptive rule believes what it sees at its first points, and a peak between them is never looked at. A formula is more
than values, though: its tree names its places. Looked for are

    affine arguments (x − c)/w, as in exp(−((x − 300)/5)²):     c, c ± w, c ± 8w, c ± 64w …
    polynomials: their roots z as Re z ± |Im z|, and their turning points with the width over which they change by 1
    other arguments, bases and denominators: their zeros and turning points, by signs on a grid and bisection; what lies
        inside them is looked for first and stands on the grid, which gets finer until it finds no more
    if, max, min, abs, sign: where they switch;  denominators, logarithms, powers: their zeros, where the area may end

and the frequencies of sines and cosines.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, FormulaError
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.tree import (
    Binary,
    Both,
    Call,
    Compare,
    Either,
    Negate,
    Node,
    Not,
    Number,
    children,
    names,
    walk,
)
from vettore.core.polynomials.roots import find_roots

X = "x"
# Pieces end a width beside a centre, and so many times farther again and again: slow tails stay next to their peak.
FARTHER = 8.0
# A tail to infinity begins so many widths from the last centre.
TAIL = 8.0
# Wider features than this share of the range are seen by the first points of the rule.
NARROW = 1 / 16
HIGHEST_DEGREE = 8
GRID, BISECTIONS, MOST_FINER = 2049, 80, 5
# Points of a grid for half a period of an oscillation, and places of a grid in all.
OF_HALF_PERIOD, MOST_LOOKED_AT = 8, 65_537
# How far to the sides of a corner its slopes are taken, beside the spacing of the grid.
BESIDE = 1e-3
# How far a grid over an infinite range goes, on a scale that grows as sinh.
FAR = 1e8
MOST_PLACES, MOST_FARTHER = 600, 40
WAVES = frozenset({"sin", "cos"})
SWITCHES = frozenset({"abs", "sign", "min", "max", "if"})


@dataclass
class Places:
    """``borders`` are where pieces have to end whatever their width; ``features`` are (centre, width).

    ``frequencies`` are those of sines and cosines in radians by x; ``unseen`` says that there may be more borders.
    """

    borders: set[float] = field(default_factory=set)
    features: set[tuple[float, float]] = field(default_factory=set)
    frequencies: set[float] = field(default_factory=set)
    unseen: bool = False

    def reach(self) -> tuple[float, float] | None:
        """Return the range outside which nothing happens by itself; None where no place is known."""
        ends = [(c - TAIL * w, c + TAIL * w) for c, w in self.features] + [(c, c) for c in self.borders]
        if not ends:
            return None
        return min(low for low, _ in ends), max(high for _, high in ends)

    def edges(self, low: float, high: float) -> list[float]:
        """Return the borders of pieces over a finite range, its ends among them."""
        values = {c for c in self.borders if low < c < high}
        for c, w in self.features:
            if w < NARROW * (high - low):
                count = 1 + math.ceil(math.log((high - low) / w, FARTHER))
                reaches = (0.0, *(w * FARTHER**k for k in range(min(count, MOST_FARTHER))))
                values |= {at for reach in reaches for at in (c - reach, c + reach) if low < at < high}
        values = set(sorted(values)[:MOST_PLACES])
        # Points closer than rounding are one.
        near = 1e-13 * max(abs(low), abs(high))
        out = [low]
        for at in sorted(values):
            if at - out[-1] > near and high - at > near:
                out.append(at)
        return [*out, high]


def places_of(tree: Node, low: float, high: float) -> Places:
    """Return the places that a formula in x names on a range, which may be infinite."""
    places = Places()
    grid = _grid(low, high)
    with np.errstate(all="ignore"):
        parts = list(_parts(tree))
        # What lies inside comes after what it lies in.
        for node, kind in reversed(parts):
            _note(places, node, kind, grid)
        if len(places.borders) > MOST_PLACES:
            places.unseen = True
        for node, kind in parts:
            if kind == "argument" and places.borders:
                _note_corners(places, node, grid)
    return places


def _note_corners(places: Places, node: Node, grid: Array) -> None:
    """Note over what width an argument changes by 1 beside the places where something in it switches."""
    if X not in names(node) or not any(isinstance(part, Call) and part.function in SWITCHES for part in walk(node)):
        return
    try:
        slope = derivative(node, X)
    except FormulaError:
        return
    beside = BESIDE * float(np.min(np.diff(grid)))
    for at in list(places.borders)[:MOST_PLACES]:
        steep = max(abs(_value(slope, at + step)) for step in (-beside, beside))
        if 0 < steep < math.inf:
            places.features.add((at, 1 / steep))


def _parts(node: Node) -> Iterator[tuple[Node, str]]:
    """Yield the parts of a tree where something may happen, and what they are there."""
    match node:
        case Call("if", (condition, a, b)):
            for difference in _differences(condition):
                yield difference, "switch"
                yield from _parts(difference)
            yield from _parts(a)
            yield from _parts(b)
            return
        case Call("min" | "max", arguments):
            for i, number in enumerate(arguments):
                for other in arguments[:i]:
                    yield Binary("-", number, other), "switch"
        case Call("abs" | "sign", (inner,)):
            yield inner, "switch"
        case Call("sin" | "cos", (inner,)):
            yield inner, "wave"
        case Call("tan", (inner,)):
            yield Call("cos", (inner,)), "switch"
        case Call("ln" | "log10" | "log2" | "sqrt" | "cbrt" | "gamma" | "lgamma", (inner,)):
            yield inner, "border"
        case Call(_, arguments):
            for argument in arguments:
                yield argument, "argument"
        case Binary("/", _, below):
            yield below, "border"
        case Binary("^", base, exponent):
            whole = isinstance(exponent, Number) and exponent.value == int(exponent.value)
            yield base, "argument" if whole else "border"
            yield exponent, "argument"
    for part in children(node):
        yield from _parts(part)


def _differences(condition: Node) -> Iterator[Node]:
    match condition:
        case Compare(_, left, right):
            yield Binary("-", left, right)
        case Both(left, right) | Either(left, right):
            yield from _differences(left)
            yield from _differences(right)
        case Not(inner):
            yield from _differences(inner)


def _note(places: Places, node: Node, kind: str, grid: Array) -> None:
    if X not in names(node):
        return
    try:
        _note_part(places, node, kind, grid)
    except (FormulaError, DataError):
        # A part without a derivative, or whose zeros leave the range of numbers, tells no place.
        places.unseen |= kind == "switch"


def _note_part(places: Places, node: Node, kind: str, grid: Array) -> None:
    values = _polynomial(node)
    if values is None:
        _note_by_looking(places, node, kind, grid)
        return
    if kind == "wave" and len(values) == 2:
        places.frequencies.add(abs(values[1]))
        return
    centres: list[tuple[float, float]] = []
    crossed: list[float] = []
    for root in find_roots(values):
        z = root.value
        width = 1 / abs(values[1]) if len(values) == 2 else abs(z.imag)
        centres.append((z.real, width))
        if root.is_real and kind in ("switch", "border"):
            crossed.append(z.real)
    places.borders |= set(crossed)
    if len(crossed) > 1:
        # Multiplied out, a polynomial has lost digits of roots that lie close; as it stands it has them.
        middles = np.diff(np.sort(crossed)) / 2 + np.sort(crossed)[:-1]
        ends = (min(float(grid[0]), min(crossed) - 1), max(float(grid[-1]), max(crossed) + 1))
        exact = _zeros(node, np.unique([ends[0], *middles, ends[1]]))
        if len(exact) == len(crossed):
            places.borders -= set(crossed)
            places.borders |= set(exact)
    if len(values) > 2:
        slope = tuple(k * value for k, value in enumerate(values))[1:]
        bend = tuple(k * value for k, value in enumerate(slope))[1:]
        for turn in find_roots(slope):
            steep = abs(sum(value * turn.value**k for k, value in enumerate(bend)))
            if steep > 0:
                centres.append((turn.value.real, math.sqrt(2 / steep)))
    places.features |= {(c, w) for c, w in centres if math.isfinite(c) and 0 < w < math.inf}


def _polynomial(node: Node) -> tuple[float, ...] | None:
    """Return the coefficients of a part that is a polynomial of low degree in x, or None."""
    if any(isinstance(part, Call) and X in names(part) for part in walk(node)):
        # Piece by piece a derivative may vanish where the function is no polynomial, as that of |x|.
        return None
    out: list[float] = []
    factorial = 1.0
    for power in range(HIGHEST_DEGREE + 1):
        value = _value(node, 0.0)
        if not math.isfinite(value):
            return None
        out.append(value / factorial)
        if X not in names(node):
            while len(out) > 1 and out[-1] == 0.0:
                out.pop()
            return tuple(out) if len(out) > 1 else None
        node = derivative(node, X)
        factorial *= power + 1
    return None


def _value(node: Node, at: float) -> float:
    program = Program(node)
    return float(program({X: np.float64(at)} if X in program.inputs else {}))


def _note_by_looking(places: Places, node: Node, kind: str, grid: Array) -> None:
    """Find zeros and turning points of a part on a grid."""
    if kind == "wave":
        return
    slope = derivative(node, X)
    bend = derivative(slope, X)
    beside = BESIDE * float(np.min(np.diff(grid)))
    grid = _with_known(grid, places)
    turns, sure = _zeros_on(slope, grid)
    # Between two grid points a part may turn and cross zero twice.
    zeros, all_found = _zeros_on(node, np.unique([*grid, *turns]))
    if kind == "switch":
        places.unseen |= not (sure and all_found)
    for kinds, values in ((("switch", "border"), zeros), ((), turns)):
        for at in values[:MOST_PLACES]:
            if kind in kinds:
                places.borders.add(at)
            # At a corner the slope is that of its sides.
            steep = max(abs(_value(slope, at + step)) for step in (-beside, 0.0, beside))
            curved = abs(_value(bend, at))
            widths = [1 / steep if steep else math.inf, math.sqrt(2 / curved) if curved else math.inf]
            width = min((w for w in widths if 0 < w < math.inf), default=0.0)
            if width and math.isfinite(at):
                places.features.add((at, width))


def _with_known(grid: Array, places: Places) -> Array:
    """Return a grid with the places that are known, as fine as what is known to oscillate asks for."""
    low, high = float(grid[0]), float(grid[-1])
    if places.frequencies and (high - low) < FAR:
        count = (high - low) * max(places.frequencies) / math.pi * OF_HALF_PERIOD
        if count > len(grid):
            grid = np.linspace(low, high, int(min(count, MOST_LOOKED_AT)) + 1)
    of_features = [c + share * w for c, w in places.features for share in (0.0, -1.0, -0.5, 0.5, 1.0)]
    known = np.array([*places.borders, *of_features])
    return np.unique(np.concatenate([grid, known[(known > low) & (known < high)]]))


def _zeros_on(node: Node, grid: Array) -> tuple[list[float], bool]:
    """Return the zeros that a grid shows when it is made finer until they are no more, and whether that came to an end."""
    values = _zeros(node, grid)
    for _ in range(MOST_FINER):
        if len(grid) > MOST_LOOKED_AT:
            return values, False
        grid = np.unique(np.concatenate([grid, grid[:-1] / 2 + grid[1:] / 2]))
        finer = _zeros(node, grid)
        if len(finer) == len(values):
            return finer, True
        values = finer
    return values, False


def _zeros(node: Node, grid: Array) -> list[float]:
    program = Program(node)
    if X not in program.inputs:
        return []
    y = np.broadcast_to(np.asarray(program({X: grid}), dtype=np.float64), grid.shape)
    exact = grid[y == 0.0].tolist() if np.count_nonzero(y == 0.0) < len(grid) / 8 else []
    starts = np.flatnonzero(np.isfinite(y[:-1]) & np.isfinite(y[1:]) & (np.sign(y[:-1]) * np.sign(y[1:]) < 0))
    low, high = grid[starts], grid[starts + 1]
    rising = y[starts] < 0
    for _ in range(BISECTIONS):
        middle = low / 2 + high / 2
        below = (np.asarray(program({X: middle})) < 0) == rising
        low, high = np.where(below, middle, low), np.where(below, high, middle)
    return [*exact, *high.tolist()]


def _grid(low: float, high: float) -> Array:
    if math.isfinite(low) and math.isfinite(high):
        return np.linspace(low, high, GRID)
    reach = np.sinh(np.linspace(0.0, math.asinh(FAR), GRID // 2))
    if math.isfinite(low):
        return low + reach
    if math.isfinite(high):
        return np.asarray((high - reach)[::-1])
    return np.concatenate([-reach[::-1], reach[1:]])


def is_zero(tree: Node) -> bool:
    """Whether a formula is the number 0."""
    return (isinstance(tree, Number) and tree.value == 0) or (isinstance(tree, Negate) and is_zero(tree.of))
