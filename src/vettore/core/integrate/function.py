"""The area under a function: a chosen number of strips, or as many as an error asks for.

Adaptive: Gauss–Kronrod pairs of 10 and 21 points (Kronrod 1965) on the piece with the largest error, halved until the
whole is settled; errors as in QUADPACK (Piessens et al. 1983): the difference of the pair, brought down where both
agree well. A half-line is mapped to 0 … 1 by x = a + (1 − t)/t. A piece that keeps shrinking towards an end of the
interval has a singularity there: it is done by the double exponential substitution (Takahasi & Mori 1974), whose nodes
crowd at the end without touching it.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import names

Function = Callable[[Array], Array]
RULES = {"left": 1, "right": 1, "midpoint": 2, "trapezoid": 2, "simpson": 4}
MOST_STRIPS = 10_000_000
MOST_PIECES = 2_000
# Halvings of the piece at an end after which a singularity is taken to be there.
SHRINKS = 4
TOLERANCE = 1e-9
# Steps of the double exponential substitution: halved down to 1/64, over ±4.2 (±6 where the end is 0).
FINEST, REACH, REACH_AT_ZERO = 64, 4.2, 6.0
# Nearer to an end than this share of it, a function is continued by its power law.
NEAREST = 2.0**-44
EPS = float(np.finfo(np.float64).eps)


def _mirrored(half: list[float]) -> Array:
    """Return weights of nodes on both sides from those of one side, the middle last."""
    return np.array([*half[:-1], *half[::-1]])


# The pair of 10 and 21 points, outermost first.
_X21 = [
    0.995657163025808080735527280689003,
    0.973906528517171720077964012084452,
    0.930157491355708226001207180059508,
    0.865063366688984510732096688423493,
    0.780817726586416897063717578345042,
    0.679409568299024406234327365114874,
    0.562757134668604683339000099272694,
    0.433395394129247190799265943165784,
    0.294392862701460198131126603103866,
    0.148874338981631210884826001129720,
    0.0,
]
_W21 = [
    0.011694638867371874278064396062192,
    0.032558162307964727478818972459390,
    0.054755896574351996031381300244580,
    0.075039674810919952767043140916190,
    0.093125454583697605535065465083366,
    0.109387158802297641899210590325805,
    0.123491976262065851077958109585166,
    0.134709217311473325928054001771707,
    0.142775938577060080797094273138717,
    0.147739104901338491374841515972068,
    0.149445554002916905664936468389821,
]
_W10 = [
    0.0,
    0.066671344308688137593568809893332,
    0.0,
    0.149451349150580593145863396657697,
    0.0,
    0.219086362515982043995534934228163,
    0.0,
    0.269266719309996355091226921569469,
    0.0,
    0.295524224714752870173815619188769,
    0.0,
]
NODES = np.array([-x for x in _X21[:-1]] + _X21[::-1])
KRONROD, GAUSS = _mirrored(_W21), _mirrored(_W10)


@dataclass(frozen=True, eq=False)
class FunctionArea:
    """``error`` is a bound that the method believes in; None for a fixed number of strips (see ``ladder``).

    ``edges`` are the borders of the strips or pieces, ``heights`` what the rule used there (fixed rules only).
    """

    area: float
    error: float | None
    strips: int
    evaluations: int
    settled: bool
    message: str
    edges: Array


def integrate_function(
    f: str | Callable[..., object],
    a: float,
    b: float,
    strips: int | None = None,
    rule: str = "trapezoid",
    tolerance: float = TOLERANCE,
) -> FunctionArea:
    """Return the integral of a function, or of a formula in x, from a to b; either may be infinite.

    With ``strips`` the rule left, right, midpoint, trapezoid or simpson is used as it stands; without, strips are added
    until the error is below ``tolerance`` of the area. Not getting there is a result with a message. Raises DataError or
    FormulaError.
    """
    a, b = float(a), float(b)
    if math.isnan(a) or math.isnan(b):
        raise DataError("A limit of the integral is no number.")
    if strips is not None:
        return _fixed(_counted(f), a, b, strips, rule)
    if not tolerance > 0:
        raise DataError(f"The error asked for must be above zero, but is {tolerance:g}.")
    counted = _counted(f)
    if a == b:
        return FunctionArea(0.0, 0.0, 0, 0, True, "Both limits are the same.", np.array([a, b]))
    if a > b:
        turned = _adaptive(counted, b, a, tolerance)
        return FunctionArea(
            -turned.area,
            turned.error,
            turned.strips,
            turned.evaluations,
            turned.settled,
            turned.message,
            turned.edges[::-1],
        )
    return _adaptive(counted, a, b, tolerance)


class _counted:
    """A function of arrays that counts its evaluations; callables that take single numbers are looped over."""

    def __init__(self, f: str | Callable[..., object]) -> None:
        self.count = 0
        if isinstance(f, str):
            read = read_formula(f, ("x", "y"))
            strange = [name for name in names(read.right) if name != "x"]
            if strange:
                raise DataError(f"{strange[0]} has no value here: the function may hold x and numbers only.")
            program = Program(read.right)
            self._call: Callable[[Array], object] = lambda x: program({"x": x} if "x" in program.inputs else {})
        else:
            self._call = f
        self._single = False

    def __call__(self, x: Array) -> Array:
        self.count += x.size
        with np.errstate(all="ignore"):
            if not self._single:
                try:
                    values = np.asarray(self._call(x), dtype=np.float64)
                    if values.shape in ((), x.shape):
                        return np.broadcast_to(values, x.shape).copy()
                except (TypeError, ValueError):
                    pass
                self._single = True
            return np.array([float(self._call(one)) for one in x.ravel().tolist()]).reshape(x.shape)  # type: ignore[arg-type]


def _fixed(f: _counted, a: float, b: float, strips: int, rule: str) -> FunctionArea:
    if rule not in RULES:
        raise DataError(f"There is no rule “{rule}”. The rules for functions are {', '.join(RULES)}.")
    if not (math.isfinite(a) and math.isfinite(b)):
        raise DataError("A fixed number of strips needs finite limits. Leave the number open instead.")
    if not 1 <= strips <= MOST_STRIPS:
        raise DataError(f"The number of strips must be between 1 and {MOST_STRIPS:,}, but is {strips:,}.")
    if rule == "simpson" and strips % 2:
        raise DataError(f"Simpson’s rule needs an even number of strips, but was given {strips}.")
    edges = np.linspace(a, b, strips + 1)
    h = (b - a) / strips
    at = {"left": edges[:-1], "right": edges[1:], "midpoint": (edges[:-1] + edges[1:]) / 2}.get(rule, edges)
    values = f(at)
    bad = np.flatnonzero(~np.isfinite(values))
    if len(bad):
        raise DataError(
            f"The function has no finite value at x = {at[bad[0]]:g}. Move the limit or leave strips open."
        )
    if rule == "trapezoid":
        area = h * (math.fsum(values) - (values[0] + values[-1]) / 2)
    elif rule == "simpson":
        area = h / 3 * (values[0] + values[-1] + 4 * math.fsum(values[1:-1:2]) + 2 * math.fsum(values[2:-1:2]))
    else:
        area = h * math.fsum(values)
    return FunctionArea(float(area), None, strips, f.count, True, f"{strips} strips by the {rule} rule.", edges)


@dataclass(frozen=True)
class Rung:
    """One rung of the ladder: the area with so many strips, its change from the rung before and what that tells.

    ``order`` is log₂ of the ratio of changes; ``extrapolated`` is Richardson's estimate of the limit.
    """

    strips: int
    area: float
    change: float | None
    order: float | None
    extrapolated: float | None


def ladder(
    f: str | Callable[..., object], a: float, b: float, rule: str, first: int = 2, rungs: int = 8
) -> tuple[Rung, ...]:
    """Return areas with strips doubled again and again. Raises DataError as integrate_function does."""
    counted = _counted(f)
    areas = [_fixed(counted, float(a), float(b), first * 2**k, rule).area for k in range(rungs)]
    return climb([first * 2**k for k in range(rungs)], areas, RULES[rule])


def climb(strips: list[int], areas: list[float], theory: int) -> tuple[Rung, ...]:
    """Return rungs with changes, observed orders, and Richardson's estimate by the order of theory."""
    out = []
    for k, (count, area) in enumerate(zip(strips, areas, strict=True)):
        change = area - areas[k - 1] if k else None
        before = areas[k - 1] - areas[k - 2] if k > 1 else None
        order = None
        noise = 8 * EPS * max(abs(area), 1e-300)
        if change is not None and before is not None and abs(change) > noise and abs(before) > noise:
            order = math.log2(abs(before / change))
        out.append(Rung(count, area, change, order, None if change is None else area + change / (2**theory - 1)))
    return tuple(out)


def _adaptive(f: _counted, a: float, b: float, tolerance: float) -> FunctionArea:
    pieces = _spans(f, a, b)
    area, error, size, count, ok = 0.0, 0.0, 0.0, 0, True
    edges: list[float] = [a, b]
    done = [_refine(g, low, high, tolerance) for g, low, high in pieces]
    for one in done:
        area, error, size, count, ok = area + one[0], error + one[1], size + one[2], count + one[3], ok and one[4]
    if len(pieces) == 1 and math.isfinite(a) and math.isfinite(b):
        edges = done[0][5]
    error = max(error, 4 * EPS * size)
    if not math.isfinite(area):
        raise DataError("The function has no finite value at some x between the limits.")
    if ok:
        message = f"Settled after {f.count} evaluations."
    else:
        message = f"Not settled after {f.count} evaluations; the area may not be finite."
    return FunctionArea(area, error, count, f.count, ok, message, np.array(edges))


def _spans(f: _counted, a: float, b: float) -> list[tuple[Function, float, float]]:
    """Return the integral as one or two over finite intervals."""
    if math.isfinite(a) and math.isfinite(b):
        return [(f, a, b)]
    if math.isfinite(a):
        return [(_half_line(f, a, 1.0), 0.0, 1.0)]
    if math.isfinite(b):
        return [(_half_line(f, b, -1.0), 0.0, 1.0)]

    def both(t: Array) -> Array:
        u = (1 - t) / t
        values = f(np.concatenate([u, -u]))
        return np.asarray((values[: len(u)] + values[len(u) :]) / (t * t))

    return [(both, 0.0, 1.0)]


def _half_line(f: _counted, end: float, way: float) -> Function:
    def mapped(t: Array) -> Array:
        return np.asarray(f(end + way * (1 - t) / t) / (t * t))

    return mapped


def _pair(f: Function, low: float, high: float) -> tuple[float, float, float]:
    """Return (area, error, area of |f|) of one piece by the pair of rules."""
    middle, half = (low + high) / 2, (high - low) / 2
    values = f(middle + half * NODES)
    kronrod, gauss = float(KRONROD @ values) * half, float(GAUSS @ values) * half
    size = float(KRONROD @ np.abs(values)) * half
    mean = kronrod / (2 * half) if half else 0.0
    about = float(KRONROD @ np.abs(values - mean)) * half
    error = abs(kronrod - gauss)
    if about > 0 and error > 0:
        error = about * min(1.0, (200 * error / about) ** 1.5)
    return kronrod, max(error, 50 * EPS * size if size > 1e-290 else 0.0), size


def _refine(
    f: Function, low: float, high: float, tolerance: float
) -> tuple[float, float, float, int, bool, list[float]]:
    """Return (area, error, area of |f|, pieces, settled, edges) over a finite interval."""
    value, error, size = _pair(f, low, high)
    heap = [(-(error if math.isfinite(error) else math.inf), low, high, value, size)]
    finished: list[tuple[float, float, float, float, float]] = []
    smallest = (high - low) / 2**SHRINKS
    while len(heap) + len(finished) < MOST_PIECES:
        total = math.fsum([one[3] for one in (*heap, *finished)])
        errors = math.fsum([-one[0] for one in (*heap, *finished)])
        sizes = math.fsum([one[4] for one in (*heap, *finished)])
        goal = max(tolerance * abs(total), 60 * EPS * sizes)
        if errors <= goal or not heap:
            break
        worst, left, right, _, _ = heapq.heappop(heap)
        at_end = left == low or right == high
        if at_end and right - left <= smallest * 1.0001:
            done = _double_exponential(f, left, right, left == low, tolerance * abs(total) / 4)
            finished.append((-done[1], left, right, done[0], done[2]))
            continue
        middle = (left + right) / 2
        if not left < middle < right or right - left <= 1e-13 * max(abs(left), abs(right), high - low):
            finished.append((worst, left, right, *_pair(f, left, right)[::2]))
            continue
        for one, two in ((left, middle), (middle, right)):
            value, error, size = _pair(f, one, two)
            heapq.heappush(heap, (-(error if math.isfinite(error) else math.inf), one, two, value, size))
    everything = [*heap, *finished]
    total, errors = math.fsum([one[3] for one in everything]), math.fsum([-one[0] for one in everything])
    sizes = math.fsum([one[4] for one in everything])
    settled = math.isfinite(errors) and errors <= 10 * max(tolerance * abs(total), 60 * EPS * sizes)
    edges = sorted({one[1] for one in everything} | {one[2] for one in everything})
    return total, errors, sizes, len(everything), settled, edges


def _double_exponential(
    f: Function, low: float, high: float, singular_left: bool, goal: float
) -> tuple[float, float, float]:
    """Return (area, error, area of |f|) of a piece with a singularity at one end.

    With d the distance from that end, d = span/(1 + e^{−π sinh s}), and trapezoids in s. Where the end is not 0 the
    machine cannot tell x nearer than its spacing; below NEAREST of the end the function is continued by the power law
    that it follows there.
    """
    span, end = high - low, low if singular_left else high
    way = 1.0 if singular_left else -1.0
    nearest = NEAREST * abs(end)
    level, exponent = 0.0, 0.0
    if nearest > 0:
        two = f(end + way * nearest * np.array([1.0, 4.0]))
        if np.isfinite(two).all() and two[0] * two[1] > 0:
            level, exponent = float(two[0]), math.log(two[1] / two[0]) / math.log(4.0)
    values: dict[int, float] = {}

    def at(places: list[int]) -> None:
        s = np.array(places) / FINEST
        with np.errstate(over="ignore"):
            q = np.exp(-np.pi * np.sinh(s))
            weight = np.pi * np.cosh(s) / ((1 + 1 / q) * (1 + q)) * span
        distance = span / (1 + q)
        found = np.zeros(len(s))
        told = distance >= nearest
        x = end + way * distance
        # The spacing of numbers moves x; the power law moves the value back.
        moved = np.abs(x - end)
        told &= moved > 0
        if told.any():
            found[told] = f(x[told]) * (distance[told] / moved[told]) ** exponent
        found[~told] = level * (distance[~told] / nearest) ** exponent if nearest > 0 else 0.0
        found = np.where(np.isfinite(found), found * weight, 0.0)
        values.update(zip(places, found.tolist(), strict=True))

    edge = int((REACH if nearest > 0 else REACH_AT_ZERO) * FINEST)
    total, change, size, step = math.nan, math.inf, 0.0, FINEST
    while step > 1:
        step //= 2
        at([k for k in range(-(edge // step) * step, edge + 1, step) if k not in values])
        before, total = total, math.fsum(values.values()) * step / FINEST
        size = math.fsum(map(abs, values.values())) * step / FINEST
        change = abs(total - before) if math.isfinite(before) else math.inf
        if step <= FINEST // 8 and (change <= goal or change <= 1e-14 * size):
            break
    # The error squares at each halving, so that the last change is a safe bound of what is left.
    return total, max(change, 50 * EPS * size), size
