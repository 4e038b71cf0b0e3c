"""The area under a function to an asked error: pieces, the worst halved first, until the whole is settled.

Gauss–Kronrod pairs of 10 and 21 points (Kronrod 1965); errors as in QUADPACK (Piessens et al. 1983): the difference of
the pair, brought down where both agree well. A piece that keeps shrinking towards a border has a singularity there: it is
done by the double exponential substitution (Takahasi & Mori 1974), whose nodes crowd at the border without touching it.
What is left of its terms at the last node tells whether there is an area at all.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vettore.core.arrays import Array

Function = Callable[[Array], Array]
MOST_PIECES = 4_000
# Halvings of a piece at a border after which a singularity is taken to be there.
SHRINKS = 4
# Steps of the double exponential substitution: halved down to 1/64, over ±4.2 (±6 where the border is 0).
FINEST, REACH, REACH_AT_ZERO = 64, 4.2, 6.0
# Nearer to a border than this share of it, a function is continued by its power law.
NEAREST = 2.0**-44
EPS = float(np.finfo(np.float64).eps)
# The rest is not worth work when its error is below this share of what cannot be bettered.
LEFT_OVER = 0.1
# Shares of a piece at which a look is taken next to its ends; what stands at the first counts from this share of all on.
NEXT_TO, HIDDEN = np.array([2.0**-10, 2.0**-16, 2.0**-24, 2.0**-34]), 0.03
# A change next to an end counts from so many tolerances on: less is the slope of a function that was seen.
STEEP = 64.0
# How far the power law near a border may be from the function.
POWER_LAW = 1e-2
# Terms that fall more slowly than this from node to node are not known to end.
SLOWEST = 0.98
# Sums below this share of what they add up are rounding.
ROUNDING = 60 * EPS


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


@dataclass(frozen=True)
class Span:
    """A finite range of a function (perhaps one that was mapped to it), cut at ``edges``."""

    function: Function
    edges: Sequence[float]


@dataclass(frozen=True)
class ReachedArea:
    """The area with a bound of its error, the area of |f|, the number of pieces and whether the whole is settled."""

    area: float
    error: float
    size: float
    pieces: int
    settled: bool
    edges: tuple[float, ...]


@dataclass(frozen=True, order=True)
class _Piece:
    """A piece in the order of its error, the largest first; ``whole`` is the width that it began with.

    ``noise`` is what the rounding of x may do to its area, which no smaller piece betters.
    """

    order: float
    span: int
    low: float
    high: float
    value: float
    size: float
    whole: float
    final: bool = False
    noise: float = 0.0

    @property
    def error(self) -> float:
        return -self.order


def settle(spans: Sequence[Span], tolerance: float, fixed: tuple[float, float] = (0.0, 0.0)) -> ReachedArea:
    """Refine all pieces of some spans together until their errors are below ``tolerance`` of the whole area.

    ``fixed`` is the area and the error of a part that is known already.
    """
    waiting: list[_Piece] = []
    for number, span in enumerate(spans):
        fresh = _pieces(number, span.function, np.array(span.edges, dtype=np.float64), None)
        waiting += _looked_at_ends(span.function, fresh, tolerance)
    heapq.heapify(waiting)
    finished: list[_Piece] = []
    value, error, size = (math.fsum(getattr(piece, name) for piece in waiting) for name in ("value", "error", "size"))
    count = 0
    while waiting and len(waiting) + len(finished) < MOST_PIECES:
        if count % 64 == 63 or not math.isfinite(value + error):
            # Running sums gather rounding.
            every = (*waiting, *finished)
            value, error, size = (
                math.fsum(getattr(item, name) for item in every) for name in ("value", "error", "size")
            )
        count += 1
        goal = max(tolerance * abs(value + fixed[0]), ROUNDING * size)
        done = math.fsum(each.error for each in finished)
        if error <= goal or math.isinf(done) or (done > goal and error - done <= LEFT_OVER * done):
            # Settled; or a border at which the function has no area; or one that leaves more than all the rest.
            break
        worst = heapq.heappop(waiting)
        for new in _halved(worst, spans[worst.span], goal, tolerance):
            value, error, size = value + new.value, error + new.error, size + new.size
            if new.final:
                finished.append(new)
            else:
                heapq.heappush(waiting, new)
        value, error, size = value - worst.value, error - worst.error, size - worst.size
    every = (*waiting, *finished)
    value, error, size = (math.fsum(getattr(entry, name) for entry in every) for name in ("value", "error", "size"))
    area, error = value + fixed[0], error + fixed[1]
    settled = math.isfinite(error) and error <= 10 * max(tolerance * abs(area), ROUNDING * size)
    edges = sorted({part.low for part in every} | {part.high for part in every})
    error += math.fsum(part.noise for part in every)
    return ReachedArea(area, max(error, 4 * EPS * size), size, len(every), settled, tuple(edges))


def _pieces(number: int, f: Function, edges: Array, whole: float | None) -> list[_Piece]:
    """Return the pieces between neighbouring edges, all by one call of the function."""
    low, high = edges[:-1], edges[1:]
    middle, half = (low + high) / 2, (high - low) / 2
    values = f((middle[:, None] + half[:, None] * NODES).ravel()).reshape(len(half), len(NODES))
    with np.errstate(all="ignore"):
        kronrod, gauss = values @ KRONROD * half, values @ GAUSS * half
        size = np.abs(values) @ KRONROD * half
        # x(1 + ε) in the place of x changes the area by no more than ε|x| times the ups and downs of f.
        noise = EPS * np.maximum(np.abs(low), np.abs(high)) * np.abs(np.diff(values, axis=1)).sum(axis=1)
        mean = np.where(half > 0, kronrod / (2 * half), 0.0)
        about = np.abs(values - mean[:, None]) @ KRONROD * half
        error = np.abs(kronrod - gauss)
        error = np.where((about > 0) & (error > 0), about * np.minimum(1.0, (200 * error / about) ** 1.5), error)
    error = np.maximum(error, np.where(size > 1e-290, 50 * EPS * size, 0.0))
    error = np.where(np.isfinite(error) & np.isfinite(kronrod), error, math.inf)
    return [
        _Piece(-e, number, a, b, _known(v), _known(s), whole or b - a, noise=_known(r))
        for e, a, b, v, s, r in zip(
            *(part.tolist() for part in (error, low, high, kronrod, size, noise)), strict=True
        )
    ]


def _looked_at_ends(f: Function, pieces: list[_Piece], tolerance: float) -> list[_Piece]:
    """Return pieces with the error that they have where something stands next to an end that the rule has not seen.

    A function that falls off from a border within a thousandth of the piece is over before the first node; and what is
    level towards a border gives the same next to it and nearer still.
    """
    low, high = np.array([piece.low for piece in pieces]), np.array([item.high for item in pieces])
    away = (high - low)[:, None] * NEXT_TO
    with np.errstate(all="ignore"):
        values = np.stack(
            [f((edge[:, None] + way * away).ravel()).reshape(away.shape) for edge, way in ((low, 1), (high, -1))]
        )
        mass = np.abs(values[:, :, 0]) * away[:, 0]
        changes = np.abs(np.diff(values[:, :, 1:], axis=2)) * away[:, 1:-1]
    masses = np.max(np.where(np.isfinite(mass), mass, 0.0), axis=0).tolist()
    hidden = np.max(np.where(np.isfinite(changes), changes, 0.0), axis=(0, 2)).tolist()
    out = []
    for each, whole, change in zip(pieces, masses, hidden, strict=True):
        more = max(
            whole if whole > HIDDEN * each.size else 0.0, change if change > STEEP * tolerance * each.size else 0.0
        )
        out.append(replace(each, order=-max(each.error, more)) if more else each)
    return out


def _known(value: float) -> float:
    return value if math.isfinite(value) else 0.0


def _halved(worst: _Piece, span: Span, goal: float, tolerance: float) -> list[_Piece]:
    """Return what takes the place of a piece: its halves, or its area by the substitution at a border."""
    low, high = worst.low, worst.high
    left, right = low in span.edges, high in span.edges
    if (left or right) and high - low <= worst.whole / 2**SHRINKS * 1.0001:
        value, error, size = double_exponential(span.function, low, high, left, goal / 4)
        return [_Piece(-error, worst.span, low, high, value, size, worst.whole, True)]
    middle = (low + high) / 2
    if not low < middle < high or high - low <= 1e-13 * max(abs(low), abs(high), worst.whole):
        return [_Piece(worst.order, worst.span, low, high, worst.value, worst.size, worst.whole, True)]
    halves = _pieces(worst.span, span.function, np.array([low, middle, high]), worst.whole)
    if left or right:
        place = 0 if left else 1
        halves[place] = _looked_at_ends(span.function, [halves[place]], tolerance)[0]
    return halves


def double_exponential(
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
        array = np.zeros(len(s))
        numbers = distance >= nearest
        x = end + way * distance
        # The spacing of numbers moves x; the power law moves the value back.
        moved = np.abs(x - end)
        numbers &= moved > 0
        if numbers.any():
            array[numbers] = f(x[numbers]) * (distance[numbers] / moved[numbers]) ** exponent
        array[~numbers] = level * (distance[~numbers] / nearest) ** exponent if nearest > 0 else 0.0
        array = np.where(np.isfinite(array), array * weight, 0.0)
        values.update(zip(places, array.tolist(), strict=True))

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
    # The error squares at each halving, so that the last change is a safe bound of what is left between the nodes.
    near = sum(values[k] for k in values if k % step == 0 and span / (1 + _q(k)) < nearest) * step / FINEST
    return total, max(change, 50 * EPS * size) + _beyond(values, step) + POWER_LAW * abs(near), size


def _q(place: int) -> float:
    """Return e^{−π sinh s}, for the distance span/(1 + q) from the border."""
    return math.exp(min(-math.pi * math.sinh(place / FINEST), 700.0))


def _beyond(values: dict[int, float], step: int) -> float:
    """Return what the terms beyond the last node at the border may add up to; infinite where they do not fall."""
    ends = sorted(place for place in values if place % step == 0)
    # The border is where s goes to −∞.
    last, before = abs(values[ends[0]]), abs(values[ends[1]])
    if last == 0.0:
        return 0.0
    ratio = last / before if before > 0 else math.inf
    return last * ratio / (1 - ratio) * step / FINEST if ratio < SLOWEST else math.inf
