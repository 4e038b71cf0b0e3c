"""Levenberg–Marquardt on the projected problem, within limits.

A step δ minimises ‖r − J δ‖² + λ‖D δ‖² (Levenberg 1944, Marquardt 1963). J is reduced to its R once for each
accepted point; the damped system is then solved by QR of a small stacked matrix. D holds the largest column norms
so far (Moré 1978). The first step is capped at ‖Dδ‖ ≤ ‖Dα‖, without which a far start may jump over a pole. λ falls
with the ratio of gained to promised squares (Nielsen 1999).

Limits: a coefficient at a limit that the gradient pushes against takes no part in the step; the others are cut off
at theirs (projection, Bertsekas 1982).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.fit.orthogonal import reduced, solve_upper
from vettore.core.fit.separable import Projected, Separable

FIRST_DAMPING = 1e-2
MOST_DAMPING = 1e16
MOST_STEPS = 300
# A relative fall of the sum of squares below this, or a step below STEP_ENDS, ends the search ...
FALL_ENDS = 1e-14
STEP_ENDS = 1e-12
# ... and so does a gradient this small beside the residuals: the polish does the rest in fewer steps.
GRADIENT_ENDS = 1e-5


@dataclass(frozen=True)
class Stop:
    """One accepted point of a search: sum of squares, damping, and all coefficients (c first, then α)."""

    squares: float
    damping: float
    values: Array


@dataclass(frozen=True)
class Reached:
    """Where a search stands, and the way there."""

    alpha: Array
    projected: Projected
    path: tuple[Stop, ...]


def search(
    problem: Separable, alpha: Array, most: int = MOST_STEPS, ends: float = GRADIENT_ENDS
) -> Iterator[Reached]:
    """Yield the state after every step, so that a caller may stop; nothing is yielded from a start without values.

    ``ends`` is the gradient beside the residuals at which the search is over.
    """
    alpha = np.clip(alpha, problem.low, problem.high)
    here = problem.project(alpha)
    if here is None:
        return
    damping, grow = FIRST_DAMPING, 2.0
    path = [_stop(here, alpha, damping)]
    yield Reached(alpha, here, tuple(path))
    scale = np.zeros(len(alpha))
    floor = 1e-30 * float(problem.y @ problem.y)
    small, step = 0, 0
    while step < most:
        free = free_of_limits(problem, alpha, here)
        if not free.any() or here.squares <= floor:
            return
        scale = np.maximum(scale, np.sqrt(np.einsum("ij,ij->j", here.jacobian, here.jacobian)))
        root, slope = reduced(here.jacobian if free.all() else here.jacobian[:, free], here.residual)
        if float(slope @ slope) <= ends**2 * here.squares:
            return
        safe = np.where(scale > 0, scale, 1.0)[free]
        moved = None
        while moved is None and step < most:
            step += 1
            part = _damped_step(root, slope, damping, safe)
            if len(path) == 1:
                length, room = float(np.linalg.norm(safe * part)), float(np.linalg.norm(safe * alpha[free]))
                if room > 0 and length > room:
                    part = part * (room / length)
            there_alpha = alpha.copy()
            there_alpha[free] += part
            there_alpha = np.clip(there_alpha, problem.low, problem.high)
            delta = (there_alpha - alpha)[free]
            there = problem.project(there_alpha)
            if there is None or not there.squares < here.squares:
                tiny = np.all(np.abs(delta) <= STEP_ENDS * (np.abs(alpha[free]) + STEP_ENDS))
                damping *= grow
                grow *= 2.0
                if damping > MOST_DAMPING or tiny:
                    return
                continue
            rest = slope - root @ delta
            promised = float(slope @ slope - rest @ rest)
            moved = there_alpha, there, promised
        if moved is None:
            return
        there_alpha, there, promised = moved
        gained = here.squares - there.squares
        ratio = gained / promised if promised > 0 else 0.0
        fall = gained / here.squares
        alpha, here = there_alpha, there
        damping = max(damping * max(1 / 3, 1 - (2 * min(ratio, 1e3) - 1) ** 3), 1e-15)
        grow = 2.0
        path.append(_stop(here, alpha, damping))
        yield Reached(alpha, here, tuple(path))
        small = small + 1 if fall < FALL_ENDS else 0
        if small >= 3 or here.squares == 0.0:
            return


def _stop(here: Projected, alpha: Array, damping: float) -> Stop:
    return Stop(here.squares, damping, np.concatenate([here.c, alpha]))


def free_of_limits(problem: Separable, alpha: Array, here: Projected) -> Mask:
    """Return which α are not held back by a limit that the gradient pushes against."""
    if not problem.limits:
        return np.ones(len(alpha), dtype=np.bool_)
    push = here.jacobian.T @ here.residual
    return ~(((alpha <= problem.low) & (push <= 0)) | ((alpha >= problem.high) & (push >= 0)))


def _damped_step(root: Array, slope: Array, damping: float, scale: Array) -> Array:
    rows, q = root.shape
    stacked = np.zeros((rows + q, q))
    stacked[:rows] = root / scale
    stacked[rows + np.arange(q), np.arange(q)] = np.sqrt(damping)
    small, turned = reduced(stacked, np.concatenate([slope, np.zeros(q)]))
    if np.abs(small.diagonal()).min() <= 1e-300:
        return np.zeros(q)
    return np.asarray(solve_upper(small, turned) / scale, dtype=np.float64)


def search_to_end(
    problem: Separable, alpha: Array, most: int = MOST_STEPS, ends: float = GRADIENT_ENDS
) -> Reached | None:
    """Return where a search ends, or None from a start without values."""
    reached = None
    for state in search(problem, alpha, most, ends):
        reached = state
    return reached
