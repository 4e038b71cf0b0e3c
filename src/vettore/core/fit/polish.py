"""A Newton polish of all coefficients together, down to the noise floor of the arithmetic.

With J = Q R of the column-scaled Jacobian the coefficients move in u, θ = θ₀ + R⁻¹u, where the Gauss–Newton Hessian
is I; the true one comes by central differences of the gradient −Qᵀr. A step is kept while ‖Qᵀr‖ falls.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.fit.levenberg import Reached, free_of_limits
from vettore.core.fit.orthogonal import inverse_upper, reduced
from vettore.core.fit.separable import Separable

# The gradient Qᵀr relative to r below which an answer counts as reached.
CONVERGED = 1e-6
MOST_STEPS = 30
# ... and the noise that the rounding of y leaves in it.
GRADIENT_ENDS = 4e-16
# What is tried in a step; a plain step must bring the gradient down by this factor to be kept.
TRIES = (("plain", 1.0), ("newton", 1.0), ("newton", 0.5), ("newton", 0.1))
PLAIN_GAINS = 0.1
# R with a smaller diagonal than this share of its largest says that coefficients cannot be told apart.
SINGULAR = 1e-13
ROUNDING = 8 * np.finfo(np.float64).eps


@dataclass(frozen=True)
class Polished:
    """The answer for all coefficients (c first, then α); arrays over coefficients cover the free ones only.

    ``free`` (p + q,) marks those not at a limit; ``inverse_root`` is R⁻¹ of the joint Jacobian, ``leverage`` (n,).
    """

    c: Array
    alpha: Array
    residual: Array
    leverage: Array
    inverse_root: Array
    gradient: float
    singular: bool
    free: Mask


State = Callable[[Array], tuple[Array, Array]]


def polish(problem: Separable, reached: Reached) -> Polished:
    """Drive the gradient of where a search ended to the noise floor."""
    alpha, c = reached.alpha, reached.projected.c
    p = len(c)
    free = np.concatenate([np.ones(p, dtype=np.bool_), free_of_limits(problem, alpha, reached.projected)])
    whole = np.concatenate([c, alpha])

    def state(at: Array) -> tuple[Array, Array]:
        full = whole.copy()
        full[free] = at
        residual, jacobian = problem.joint(full[p:], full[:p])
        return residual, jacobian if free.all() else jacobian[:, free]

    theta, y_size = whole[free], float(np.linalg.norm(problem.y))
    residual, jacobian = state(theta)
    inverse, gradient, singular = root_of(jacobian, residual)
    for _ in range(MOST_STEPS):
        size = float(np.linalg.norm(gradient))
        if singular or not len(theta) or size <= GRADIENT_ENDS * max(y_size, float(np.linalg.norm(residual))):
            break
        better = _step(state, y_size, theta, residual, inverse, gradient, size)
        if better is None or not _within(problem, better[0], whole, free, p):
            break
        theta, residual, jacobian, inverse, gradient = better
    whole[free] = theta
    length = float(np.linalg.norm(residual))
    relative = float(np.linalg.norm(gradient)) / length if length > 0 else 0.0
    basis = jacobian @ inverse
    leverage = np.einsum("ij,ij->i", basis, basis)
    return Polished(whole[:p], whole[p:], residual, leverage, inverse, relative, singular, free)


def _within(problem: Separable, theta: Array, whole: Array, free: Mask, p: int) -> bool:
    if not problem.limits:
        return True
    full = whole.copy()
    full[free] = theta
    return bool(np.all((full[p:] >= problem.low) & (full[p:] <= problem.high)))


def _step(
    state: State,
    y_size: float,
    theta: Array,
    residual: Array,
    inverse: Array,
    gradient: Array,
    size: float,
) -> tuple[Array, Array, Array, Array, Array] | None:
    """Return a better (θ, residual, Jacobian, R⁻¹, gradient), or None."""
    newton = None
    squares = float(residual @ residual)
    # A residual is known to the rounding of y, not of itself.
    level = squares + 2 * ROUNDING * y_size * np.sqrt(squares) + squares * 1e-12
    for kind, shrink in TRIES:
        # Near an answer with small residuals the plain Gauss–Newton step does, at a fraction of the cost.
        if kind == "newton" and newton is None:
            newton = _newton(state, theta, inverse, residual, gradient)
        way = gradient if newton is None else newton
        there = theta + shrink * (inverse @ way)
        r, j = state(there)
        here = float(r @ r)
        if not here <= level or not np.isfinite(j).all():
            continue
        other_inverse, g, singular = root_of(j, r)
        enough = size * (PLAIN_GAINS if kind == "plain" else 1.0)
        if not singular and float(np.linalg.norm(g)) < enough:
            return there, r, j, other_inverse, g
    return None


def root_of(jacobian: Array, residual: Array) -> tuple[Array, Array, bool]:
    """Return R⁻¹ of a Jacobian (n, m), the gradient Qᵀr (m,), and whether it is singular (then of fewer columns)."""
    norms = np.sqrt(np.einsum("ij,ij->j", jacobian, jacobian))
    safe = np.where(norms > 0, norms, 1.0)
    scaled = jacobian / safe
    root, gradient = reduced(scaled, residual)
    diagonal = np.abs(root.diagonal())
    m = jacobian.shape[1]
    if len(diagonal) < m or (m and diagonal.min() <= SINGULAR * diagonal.max()) or (norms == 0).any():
        # In the directions that the rows tell of; the others have no say in gradient or leverage.
        u, sizes, v = np.linalg.svd(scaled, full_matrices=False)
        told = sizes > SINGULAR * sizes.max(initial=0.0)
        return v[told].T / sizes[told] / safe[:, None], u[:, told].T @ residual, True
    return inverse_upper(root) / safe[:, None], gradient, False


def _newton(state: State, theta: Array, inverse: Array, residual: Array, gradient: Array) -> Array:
    """Return the Newton step in u; Gauss–Newton where the Hessian is indefinite or cannot be had."""
    m = len(theta)
    width = 1e-4 * max(float(np.linalg.norm(residual)), 1e-12 * np.sqrt(m))
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
