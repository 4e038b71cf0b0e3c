"""Least of a sum S whose gradient is −2 Jᵀr with a Jacobian and residuals of the rows at hand, by Levenberg's steps.

Problems of which JᵀJ is not half of the Hessian everywhere, but near it: distances in x and y, likelihoods of counts. The
steps end with Newton's, whose Hessian comes from differences of that gradient.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol, TypeVar

import numpy as np

from vettore.core.arrays import Array
from vettore.core.pauses import pause

MOST_STEPS, STILL = 200, 1e-11
MOST_POLISH = 12
# A direction in which the sum curves no more than by rounding has no least place.
FLAT = 1e-14
# After so many steps Newton's are tried, and again.
OFTEN = 20
# Step of the differences for the Hessian, in standard errors.
STEP = 1e-4
# Damping at first, and how it grows and shrinks.
DAMPING, GROWS, SHRINKS, MOST_DAMPING = 1e-4, 8.0, 0.2, 1e12


class At(Protocol):
    """A problem at some coefficients: residuals r (n,), Jacobian J (n, m), and S, infinite where it has no value."""

    @property
    def residual(self) -> Array: ...
    @property
    def jacobian(self) -> Array: ...
    @property
    def squares(self) -> float: ...


A = TypeVar("A", bound=At)


class ScoredProblem(Protocol[A]):
    """Gives everything at coefficients c; ``near`` is what it was at others near by."""

    def at(self, c: Array, near: A | None) -> A: ...


def least(
    problem: ScoredProblem[A],
    c: Array,
    free: tuple[str, ...],
    limits: Mapping[str, tuple[float, float]],
    still: float = STILL,
) -> tuple[Array, A, int]:
    """Return the coefficients with the least S near the first ones, the rows there, and how many steps it took.

    The search ends when it moves less than ``still`` of the standard errors; above STILL it is not polished.
    """
    low, high = (np.array([limits.get(name, (-np.inf, np.inf))[side] for name in free]) for side in (0, 1))
    at = problem.at(c, None)
    damping, steps = DAMPING, 0
    for steps in range(1, MOST_STEPS + 1):
        normal, down = at.jacobian.T @ at.jacobian, at.jacobian.T @ at.residual
        size = np.sqrt(np.diag(normal))
        scale = np.where(size > 0, size, 1.0)
        while True:
            pause()
            scaled = normal / np.outer(scale, scale) + damping * np.eye(len(c))
            if not np.isfinite(scaled).all():
                return c, at, steps
            step = np.linalg.lstsq(scaled, down / scale, rcond=None)[0] / scale
            tried = np.clip(c + step, low, high)
            new = problem.at(tried, at)
            if np.isfinite(new.squares) and new.squares <= at.squares * (1 + 1e-14):
                break
            damping *= GROWS
            if damping > MOST_DAMPING:
                return c, at, steps
        moved = np.abs(tried - c) * size
        c, at, damping = tried, new, damping * SHRINKS
        if np.all(moved <= still * max(np.sqrt(at.squares), 1e-300)):
            break
        if not limits and steps % OFTEN == 0:
            # Where JᵀJ is far from half of the Hessian the steps creep, and Newton's do not.
            c, at, ended = _polished(problem, c, at)
            if ended:
                return c, at, steps
    if not limits and still <= STILL:
        c, at, _ = _polished(problem, c, at)
    return c, at, steps


def _polished(problem: ScoredProblem[A], c: Array, at: A) -> tuple[Array, A, bool]:
    """Return the answer after Newton's steps with the Hessian of S, from differences of its gradient; whether they ended."""

    def gradient(c: Array) -> Array:
        there = problem.at(c, at)
        return np.asarray(-there.jacobian.T @ there.residual)

    for _ in range(MOST_POLISH):
        size = np.sqrt(np.diag(at.jacobian.T @ at.jacobian))
        if not np.all(size > 0):
            break
        scatter = np.sqrt(at.squares / max(len(at.residual) - len(c), 1)) or 1.0
        ahead = STEP * scatter / size
        rows = []
        for k, h in enumerate(ahead.tolist()):
            shift = np.zeros(len(c))
            shift[k] = h
            rows.append((gradient(c + shift) - gradient(c - shift)) / (2 * h))
        hessian = (np.array(rows) + np.array(rows).T) / 2
        scaled = hessian / np.outer(size, size)
        if not np.isfinite(scaled).all():
            break
        steepness = np.linalg.eigvalsh(scaled)
        if steepness[0] <= FLAT * steepness[-1]:
            break
        down = at.jacobian.T @ at.residual
        step = np.linalg.solve(scaled, down / size) / size
        new = problem.at(c + step, at)
        if not new.squares <= at.squares * (1 + 1e-13):
            break
        small = np.all(np.abs(step) * size <= 1e-13 * max(scatter, 1e-300))
        c, at = c + step, new
        if small:
            return c, at, True
    return c, at, False
