"""Of answers that fit equally, the customary one: positive widths, and like terms in rising order."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.levenberg import Reached, search_to_end
from vettore.core.fitting.separable import Separable

# Two answers are the same when their sums of squares are; exact data leave nothing but rounding.
SAME, ROUNDING = 1e-9, 1e-22


def canonical(problem: Separable, answer: Reached) -> Reached:
    """Return the customary one of the answers that sign flips and swaps of like terms lead to."""
    if not problem.model.like and not (answer.alpha < 0).any():
        return answer
    floor = answer.projected.squares
    allowed = SAME * floor + ROUNDING * float(problem.y @ problem.y)

    def same(alpha: Array) -> bool:
        if (alpha < problem.low).any() or (alpha > problem.high).any():
            return False
        there = problem.project(alpha)
        return there is not None and abs(there.squares - floor) <= allowed

    alpha = answer.alpha.copy()
    for k in np.flatnonzero(alpha < 0):
        flipped = alpha.copy()
        flipped[k] = -flipped[k]
        if same(flipped):
            alpha = flipped
    for like in problem.model.like:
        before = alpha.copy()
        ordered = sorted((before[list(places)] for places in like), key=lambda values: float(values[0]))
        for places, values in zip(like, ordered, strict=True):
            alpha[list(places)] = values
    if np.array_equal(alpha, answer.alpha) or not same(alpha):
        return answer
    again = search_to_end(problem, alpha)
    if again is None or again.projected.squares > floor + allowed:
        return answer
    return Reached(again.alpha, again.projected, answer.path)
