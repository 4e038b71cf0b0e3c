"""Where a function that has its least at the answer passes a level: walked outwards, then closed in upon.

The root of what is above the least goes nearly straight there, so that the rule of false position (the Illinois way) needs a
few steps where halving needs thirty; where a value is none, halving goes on.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from vettore.core.arrays import Array

# Steps outwards, each longer than the last, before a side counts as open.
MOST_STEPS, LONGER = 60, 1.6
CLOSING = 60
# How near to the level is near enough, as a share of the way to it.
NEAR = 1e-10


def side(
    least: Callable[[float, Array], tuple[float, Array]],
    middle: float,
    step: float,
    begin: Array,
    lowest: float,
    allowed: float,
    near: float = NEAR,
    most: int = MOST_STEPS,
) -> float | None:
    """Return the farthest value on the side of ``step`` whose least is no more than ``allowed``; None without a bound.

    ``lowest`` is the least at ``middle``.
    How ``near`` to the level is near enough is a share of the way to it; after ``most`` steps outwards a side counts as open.

    ``least(value, begin)`` gives the least at a value and where it is, from where it was nearby.
    """
    way = math.sqrt(max(allowed - lowest, 0.0))

    def above(squares: float) -> float:
        return math.sqrt(max(squares - lowest, 0.0)) - way

    inside, outside, length = middle, middle + step, step
    low, high, last = -way, math.inf, 0
    for _ in range(most):
        squares, there = least(outside, begin)
        if squares > allowed:
            high = above(squares)
            break
        inside, begin, low = outside, there, above(squares)
        length *= LONGER
        outside = outside + length
    else:
        return None
    for _ in range(CLOSING):
        straight = low < 0 < high < math.inf
        half = inside - low * (outside - inside) / (high - low) if straight else (inside + outside) / 2
        squares, there = least(half, begin)
        off = above(squares)
        if abs(off) <= near * way:
            return float(half)
        # An end that stays a second time counts for half, or it would stay for ever.
        if squares > allowed:
            outside, high, low = half, off, low / 2 if last > 0 else low
        else:
            inside, begin, low, high = half, there, off, high / 2 if last < 0 else high
        last = 1 if squares > allowed else -1
        if abs(outside - inside) <= 1e-9 * abs(step):
            break
    return float(inside)
