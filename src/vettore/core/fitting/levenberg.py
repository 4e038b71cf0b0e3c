"""Levenberg–Marquardt on the projected problem, within limits.

A step δ minimises ‖r − J δ‖² + λ‖D δ‖² (Levenberg 1944, Marquardt 1963). J is reduced to its R once for each
accepted point; the damped system is then solved by QR of a small stacked matrix. D holds the largest column norms
so far (Moré 1978). The first step is capped at ‖Dδ‖ ≤ ‖Dα‖, without which a far start may jump over a pole. λ falls
with the ratio of gained to promised squares (Nielsen 1999).

Limits: a coefficient at a limit that the gradient pushes against takes no part in the step; the others are cut off
at theirs (projection, Bertsekas 1982).
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.fitting.orthogonal import column_sizes, length, reduced, solve_upper, triangle
from vettore.core.fitting.record import Stop
from vettore.core.fitting.separable import Projected, Separable

FIRST_DAMPING = 1e-2
MOST_DAMPING = 1e16
MOST_STEPS = 300
# A relative fall of the sum of squares below this, or a step below STEP_ENDS, ends the search ...
FALL_ENDS = 1e-14
STEP_ENDS = 1e-12
# ... and so does a gradient this small beside the residuals: the polish does the rest in fewer steps.
GRADIENT_ENDS = 1e-5


class Reached(NamedTuple):
    """Where a search stands, and the way there."""

    alpha: Array
    projected: Projected
    path: tuple[Stop, ...]


def search(
    problem: Separable, alpha: Array, most: int = MOST_STEPS, ends: float = GRADIENT_ENDS, nearly: float = 0.0
) -> Iterator[Reached]:
    """Yield the state after every step, so that a caller may stop; nothing is yielded from a start without values.

    ``ends`` is the gradient beside the residuals at which the search is over; ``nearly`` is one at which it is over
    where the last step gained what it promised. (Far from an answer the gradient may be small because all is flat.)
    """
    alpha = _inside(problem, alpha)
    here = problem.project(alpha)
    if here is None:
        return
    damping, grow = FIRST_DAMPING, 2.0
    path = [Stop(here.squares, damping, here.c, alpha)]
    yield Reached(alpha, here, tuple(path))
    scale = np.zeros(len(alpha))
    floor = 1e-30 * float(problem.y @ problem.y)
    small, step, trusted = 0, 0, False
    while step < most:
        if not len(alpha) or here.squares <= floor:
            return
        free = free_of_limits(problem, alpha, here)
        scale = np.maximum(scale, column_sizes(here.root))
        root, slope, now = here.root, here.slope, alpha
        safe = scale if scale.all() else np.where(scale > 0, scale, 1.0)
        if free is not None:
            if not free.any():
                return
            root, slope = reduced(root[:, free], slope)
            now, safe = alpha[free], safe[free]
        steepness = float(slope @ slope)
        if steepness <= (max(ends, nearly) if trusted else ends) ** 2 * here.squares:
            return
        moved = None
        while moved is None and step < most:
            step += 1
            part = _damped_step(root, slope, damping, safe)
            if len(path) == 1:
                long, room = length(safe * part), length(safe * now)
                if room > 0 and long > room:
                    part = part * (room / long)
            if free is None:
                there_alpha = _inside(problem, alpha + part)
                delta = there_alpha - alpha
            else:
                there_alpha = alpha.copy()
                there_alpha[free] += part
                there_alpha = _inside(problem, there_alpha)
                delta = (there_alpha - alpha)[free]
            there = problem.project(there_alpha)
            if there is None or not there.squares < here.squares:
                tiny = np.all(np.abs(delta) <= STEP_ENDS * (np.abs(now) + STEP_ENDS))
                damping *= grow
                grow *= 2.0
                if damping > MOST_DAMPING or tiny:
                    return
                continue
            rest = slope - root @ delta
            moved = there_alpha, there, steepness - float(rest @ rest)
        if moved is None:
            return
        there_alpha, there, promised = moved
        gained = here.squares - there.squares
        ratio = gained / promised if promised > 0 else 0.0
        trusted = abs(ratio - 1.0) < 0.25
        fall = gained / here.squares
        alpha, here = there_alpha, there
        damping = max(damping * max(1 / 3, 1 - (2 * min(ratio, 1e3) - 1) ** 3), 1e-15)
        grow = 2.0
        path.append(Stop(here.squares, damping, here.c, alpha))
        yield Reached(alpha, here, tuple(path))
        small = small + 1 if fall < FALL_ENDS else 0
        if small >= 3 or here.squares == 0.0:
            return


def _inside(problem: Separable, alpha: Array) -> Array:
    return np.clip(alpha, problem.low, problem.high) if problem.limits else alpha


def free_of_limits(problem: Separable, alpha: Array, here: Projected) -> Mask | None:
    """Return which α are not held back by a limit that the gradient pushes against; None when all are free."""
    if not problem.limits:
        return None
    push = here.root.T @ here.slope
    free = ~(((alpha <= problem.low) & (push <= 0)) | ((alpha >= problem.high) & (push >= 0)))
    return None if free.all() else free


def _damped_step(root: Array, slope: Array, damping: float, scale: Array) -> Array:
    rows, q = root.shape
    if rows == q == 1:
        down = float(root[0, 0])
        return slope * (down / (down * down + damping * float(scale[0]) ** 2))
    stacked = np.zeros((q + 1, rows + q))
    stacked[:q, :rows] = (root / scale).T
    stacked[:q, rows:].flat[:: q + 1] = math.sqrt(damping)
    stacked[q, :rows] = slope
    whole = triangle(stacked)
    small = whole[:q, :q]
    if np.abs(small.diagonal()).min() <= 1e-300:
        return np.zeros(q)
    return np.asarray(solve_upper(small, whole[:q, q]) / scale, dtype=np.float64)


def search_to_end(
    problem: Separable, alpha: Array, most: int = MOST_STEPS, ends: float = GRADIENT_ENDS, nearly: float = 0.0
) -> Reached | None:
    """Return where a search ends, or None from a start without values."""
    reached = None
    for state in search(problem, alpha, most, ends, nearly):
        reached = state
    return reached
