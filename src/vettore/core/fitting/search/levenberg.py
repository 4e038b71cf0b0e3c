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
from vettore.core.fitting.linear.orthogonal import column_sizes, length, reduced, solve_upper, triangle
from vettore.core.fitting.record import Stop
from vettore.core.fitting.search.separable import Projected, Separable

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


def _no_longer_than(part: Array, now: Array, scale: Array) -> Array:
    """Return a first step that is no longer than the way from 0: a start is of the right size more often than not."""
    long, room = length(scale * part), length(scale * now)
    return part * (room / long) if room > 0 and long > room else part


def _moved(problem: Separable, alpha: Array, part: Array, free: Mask | None) -> tuple[Array, Array]:
    """Return where a step of the free coefficients leads within the limits, and the step that is left of it."""
    if free is None:
        there = _inside(problem, alpha + part)
        return there, there - alpha
    there = alpha.copy()
    there[free] += part
    there = _inside(problem, there)
    return there, (there - alpha)[free]


class _Damping:
    """How far the steps of a search are held back, after Nielsen: less where a step did what it promised."""

    def __init__(self) -> None:
        self.value, self._grow = FIRST_DAMPING, 2.0

    def refuse(self) -> bool:
        """A step did not lower the sum of squares; whether a shorter one is worth a try."""
        self.value *= self._grow
        self._grow *= 2.0
        return self.value <= MOST_DAMPING

    def take(self, ratio: float) -> None:
        """A step gained so much of what it promised."""
        self.value = max(self.value * max(1 / 3, 1 - (2 * min(ratio, 1e3) - 1) ** 3), 1e-15)
        self._grow = 2.0


class _Frame(NamedTuple):
    """The problem about a place, for the coefficients that may move: R, Rᵀr, their values and sizes, and which they are."""

    root: Array
    slope: Array
    now: Array
    scale: Array
    free: Mask | None


def _frame(problem: Separable, alpha: Array, projected: Projected, scale: Array) -> _Frame | None:
    """Return the frame at a place; None where every coefficient is held by a limit."""
    free = free_of_limits(problem, alpha, projected)
    safe = scale if scale.all() else np.where(scale > 0, scale, 1.0)
    if free is None:
        return _Frame(projected.root, projected.slope, alpha, safe, None)
    if not free.any():
        return None
    return _Frame(*reduced(projected.root[:, free], projected.slope), alpha[free], safe[free], free)


def search(
    problem: Separable, alpha: Array, most: int = MOST_STEPS, ends: float = GRADIENT_ENDS, nearly: float = 0.0
) -> Iterator[Reached]:
    """Yield the state after every step, so that a caller may stop; nothing is yielded from a start without values.

    ``ends`` is the gradient beside the residuals at which the search is over; ``nearly`` is one at which it is over
    where the last step gained what it promised. (Far from an answer the gradient may be small because all is flat.)
    """
    alpha = _inside(problem, alpha)
    projected = problem.project(alpha)
    if projected is None:
        return
    damping = _Damping()
    path = [Stop(projected.squares, damping.value, projected.c, alpha)]
    yield Reached(alpha, projected, tuple(path))
    scale = np.zeros(len(alpha))
    floor = 1e-30 * float(problem.y @ problem.y)
    small, step, trusted = 0, 0, False
    while step < most and len(alpha) and projected.squares > floor:
        scale = np.maximum(scale, column_sizes(projected.root))
        frame = _frame(problem, alpha, projected, scale)
        if frame is None:
            return
        steepness = float(frame.slope @ frame.slope)
        if steepness <= (max(ends, nearly) if trusted else ends) ** 2 * projected.squares:
            return
        tried = _first_that_falls(problem, alpha, projected, frame, damping, (len(path) == 1, most - step))
        if tried is None:
            return
        there_alpha, there, delta, taken = tried
        step += taken
        rest = frame.slope - frame.root @ delta
        gained, promised = projected.squares - there.squares, steepness - float(rest @ rest)
        ratio = gained / promised if promised > 0 else 0.0
        trusted = abs(ratio - 1.0) < 0.25
        small = small + 1 if gained / projected.squares < FALL_ENDS else 0
        alpha, projected = there_alpha, there
        damping.take(ratio)
        path.append(Stop(projected.squares, damping.value, projected.c, alpha))
        yield Reached(alpha, projected, tuple(path))
        if small >= 3 or projected.squares == 0.0:
            return


def _first_that_falls(
    problem: Separable, alpha: Array, projected: Projected, frame: _Frame, damping: _Damping, how: tuple[bool, int]
) -> tuple[Array, Projected, Array, int] | None:
    """Return the first step, ever more damped, that lowers the sum of squares: where it leads, and how many were tried.

    ``how`` says whether it is the first of the search, and how many may be tried. None where no step does.
    """
    first, most = how
    for taken in range(1, most + 1):
        part = _damped_step(frame.root, frame.slope, damping.value, frame.scale)
        if first:
            part = _no_longer_than(part, frame.now, frame.scale)
        there_alpha, delta = _moved(problem, alpha, part, frame.free)
        there = problem.project(there_alpha)
        if there is not None and there.squares < projected.squares:
            return there_alpha, there, delta, taken
        tiny = np.all(np.abs(delta) <= STEP_ENDS * (np.abs(frame.now) + STEP_ENDS))
        if not damping.refuse() or tiny:
            return None
    return None


def _inside(problem: Separable, alpha: Array) -> Array:
    return np.clip(alpha, problem.low, problem.high) if problem.limits else alpha


def free_of_limits(problem: Separable, alpha: Array, projected: Projected) -> Mask | None:
    """Return which α are not held back by a limit that the gradient pushes against; None when all are free."""
    if not problem.limits:
        return None
    push = projected.root.T @ projected.slope
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
