"""Levenberg–Marquardt on the projected problem, and a Newton polish of all coefficients together.

A step δ minimises ‖r − J δ‖² + λ‖D δ‖² (Levenberg 1944, Marquardt 1963), solved by QR of the stacked system; D holds
the largest column norms so far (Moré 1978). The first step is capped at ‖Dδ‖ ≤ ‖Dα‖, without which a far start may
jump over a pole. λ falls with the ratio of gained to promised squares (Nielsen 1999).

Polish: with J = Q R of the column-scaled Jacobian the coefficients move in u, θ = θ₀ + R⁻¹u, where the Gauss–Newton
Hessian is I; the true one comes by central differences of the gradient −Qᵀr. A step is kept while ‖Qᵀr‖ falls.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fit.separable import Projected, Separable

FIRST_DAMPING = 1e-2
MOST_DAMPING = 1e16
MOST_STEPS = 300
# A relative fall of the sum of squares below this, or a step below STEP_ENDS, ends the search.
FALL_ENDS = 1e-14
STEP_ENDS = 1e-12
# The gradient Qᵀr relative to r below which an answer counts as reached.
CONVERGED = 1e-6
MOST_POLISH = 30
GRADIENT_ENDS = 2e-16
# What is tried in a polishing step; a plain step must bring the gradient down by this factor to be kept.
TRIES = (("plain", 1.0), ("newton", 1.0), ("newton", 0.5), ("newton", 0.1))
PLAIN_GAINS = 0.1


@dataclass(frozen=True)
class Reached:
    """Where a search ended."""

    alpha: Array
    projected: Projected
    steps: int


def search(problem: Separable, alpha: Array, most: int = MOST_STEPS) -> Iterator[Reached]:
    """Yield the state after every step, so that a caller may stop; nothing is yielded from a start without values."""
    here = problem.project(alpha)
    if here is None:
        return
    yield Reached(alpha, here, 0)
    damping, grow = FIRST_DAMPING, 2.0
    scale = np.linalg.norm(here.jacobian, axis=0)
    first, small = True, 0
    for step in range(1, most + 1):
        scale = np.maximum(scale, np.linalg.norm(here.jacobian, axis=0))
        safe = np.where(scale > 0, scale, 1.0)
        delta = _damped_step(here, damping, safe)
        if first:
            length, room = float(np.linalg.norm(safe * delta)), float(np.linalg.norm(safe * alpha))
            if room > 0 and length > room:
                delta = delta * (room / length)
        there = problem.project(alpha + delta)
        promised = here.squares - float(np.sum((here.residual - here.jacobian @ delta) ** 2))
        if there is None or not there.squares < here.squares:
            tiny = np.all(np.abs(delta) <= STEP_ENDS * (np.abs(alpha) + STEP_ENDS))
            damping *= grow
            grow *= 2.0
            if damping > MOST_DAMPING or tiny:
                return
            continue
        ratio = (here.squares - there.squares) / promised if promised > 0 else 0.0
        fall = (here.squares - there.squares) / here.squares if here.squares > 0 else 0.0
        alpha, here, first = alpha + delta, there, False
        damping = max(damping * max(1 / 3, 1 - (2 * ratio - 1) ** 3), 1e-15)
        grow = 2.0
        yield Reached(alpha, here, step)
        small = small + 1 if fall < FALL_ENDS else 0
        if small >= 3 or here.squares == 0.0:
            return


def _damped_step(here: Projected, damping: float, scale: Array) -> Array:
    q = len(scale)
    stacked = np.vstack([here.jacobian / scale, np.sqrt(damping) * np.eye(q)])
    target = np.concatenate([here.residual, np.zeros(q)])
    basis, root = np.linalg.qr(stacked)
    diagonal = np.abs(np.diag(root))
    if diagonal.min() <= 1e-300:
        return np.zeros(q)
    return np.asarray(np.linalg.solve(root, basis.T @ target) / scale, dtype=np.float64)


def search_to_end(problem: Separable, alpha: Array, most: int = MOST_STEPS) -> Reached | None:
    """Return where a search ends, or None from a start without values."""
    reached = None
    for state in search(problem, alpha, most):
        reached = state
    return reached


@dataclass(frozen=True)
class Polished:
    """The answer for all coefficients (c first, then α), with R⁻¹ of the joint Jacobian."""

    c: Array
    alpha: Array
    residual: Array
    jacobian: Array
    inverse_root: Array
    gradient: float
    singular: bool


def polish(problem: Separable, alpha: Array, c: Array) -> Polished:
    """Drive the gradient to the noise floor of the arithmetic."""
    theta, p = np.concatenate([c, alpha]), len(c)

    def state(at: Array) -> tuple[Array, Array]:
        return problem.joint(at[p:], at[:p])

    residual, jacobian = state(theta)
    inverse, basis, singular = _root(jacobian)
    gradient = basis.T @ residual
    for _ in range(MOST_POLISH):
        size = float(np.linalg.norm(gradient))
        if size <= GRADIENT_ENDS * float(np.linalg.norm(residual)) or singular:
            break
        best, newton = None, None
        for kind, shrink in TRIES:
            # Near an answer with small residuals the plain Gauss–Newton step does, at a fraction of the cost.
            if kind == "newton" and newton is None:
                newton = _newton(state, theta, inverse, basis, residual, gradient)
            way = gradient if newton is None else newton
            there = theta + shrink * (inverse @ way)
            r, j = state(there)
            if not (np.isfinite(r).all() and np.isfinite(j).all()):
                continue
            other_inverse, other_basis, other_singular = _root(j)
            g = other_basis.T @ r
            level = float(r @ r) <= float(residual @ residual) * (1 + 1e-12)
            enough = size * (PLAIN_GAINS if kind == "plain" else 1.0)
            if not other_singular and level and float(np.linalg.norm(g)) < enough:
                best = (there, r, j, other_inverse, other_basis, g)
                break
        if best is None:
            break
        theta, residual, jacobian, inverse, basis, gradient = best
    length = float(np.linalg.norm(residual))
    relative = float(np.linalg.norm(gradient)) / length if length > 0 else 0.0
    return Polished(theta[:p], theta[p:], residual, jacobian, inverse, relative, singular)


def _root(jacobian: Array) -> tuple[Array, Array, bool]:
    """Return R⁻¹ of the Jacobian, its orthonormal basis, and whether it is singular."""
    norms = np.linalg.norm(jacobian, axis=0)
    safe = np.where(norms > 0, norms, 1.0)
    basis, root = np.linalg.qr(jacobian / safe)
    diagonal = np.abs(np.diag(root))
    if not len(diagonal) or diagonal.min() <= 1e-13 * diagonal.max() or (norms == 0).any():
        return np.linalg.pinv(jacobian / safe)[:, : jacobian.shape[1]] / safe[:, None], basis, True
    return np.asarray(np.linalg.solve(root, np.eye(len(root))) / safe[:, None], dtype=np.float64), basis, False


def _newton(state, theta: Array, inverse: Array, basis: Array, residual: Array, gradient: Array) -> Array:  # type: ignore[no-untyped-def]
    """Return the Newton step in u; Gauss–Newton where the Hessian is indefinite or cannot be had."""
    m = len(theta)
    width = 1e-4 * max(float(np.linalg.norm(residual)), 1e-12 * float(np.linalg.norm(basis)))
    hessian = np.empty((m, m))
    for k in range(m):
        move = inverse[:, k] * width
        (r1, j1), (r0, j0) = state(theta + move), state(theta - move)
        hessian[:, k] = -(inverse.T @ (j1.T @ r1 - j0.T @ r0)) / (2 * width)
    hessian = (hessian + hessian.T) / 2
    if not np.isfinite(hessian).all():
        return gradient
    sizes, directions = np.linalg.eigh(hessian)
    if sizes.min() <= 0.05 * max(sizes.max(), 0.0):
        return gradient
    return np.asarray(directions @ ((directions.T @ gradient) / sizes), dtype=np.float64)
