"""A Newton polish of all coefficients together, down to the noise floor of the arithmetic.

With J = Q R of the column-scaled Jacobian the coefficients move in u, θ = θ₀ + R⁻¹u, where the Gauss–Newton Hessian
is I; the true one comes by central differences of the gradient −Qᵀr. A step is kept while ‖Qᵀr‖ falls.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array, Mask, finite
from vettore.core.fitting.linear.orthogonal import column_sizes, inverse_upper, length, told_apart, triangle
from vettore.core.fitting.search.levenberg import Reached, free_of_limits
from vettore.core.fitting.search.separable import Separable

# The gradient Qᵀr relative to r below which an answer counts as reached.
CONVERGED = 1e-6
MOST_STEPS = 30
# ... and at which nothing is left to gain: a coefficient is then off by this share of its standard error. Where
# residuals are small beside y, the rounding of y leaves more.
GRADIENT_ENDS, ROUNDING_ENDS = 1e-12, 4e-16
# A step without the true Hessian must bring the gradient down by this factor to be kept.
PLAIN_GAINS = 0.1
# Parts of a Newton step that are tried.
NEWTON_PARTS = (1.0, 0.5, 0.1)
# How much longer than the plain step one corrected by the last may be.
MOST_CORRECTED = 2.0
# R with a smaller diagonal than this share of its largest says that coefficients cannot be told apart.
SINGULAR = 1e-13
ROUNDING = 8 * np.finfo(np.float64).eps


@dataclass(frozen=True)
class Polished:
    """The answer for all coefficients (c first, then α); arrays over coefficients cover the free ones only.

    ``free`` (p + q,) marks those not at a limit; ``inverse_root`` is R⁻¹ of the joint Jacobian, ``leverage`` works out
    that of the rows (n,).
    """

    c: Array
    alpha: Array
    residual: Array
    leverage: Callable[[], Array]
    inverse_root: Array
    gradient: float
    singular: bool
    free: Mask


class _Point(NamedTuple):
    """Where the polish stands: R⁻¹, the gradient Qᵀr, and what they were taken from, if that is at hand.

    ``moved`` is the step in u that led here, ``before`` the gradient that it started from. Where ``older``, R⁻¹ is that of
    a point before, which is near enough for a step.
    """

    theta: Array
    squares: float
    inverse: Array
    gradient: Array
    singular: bool
    residual: Array | None = None
    rows: Array | None = None
    moved: Array | None = None
    before: Array | None = None
    older: bool = False

    @property
    def size(self) -> float:
        return length(self.gradient)


State = Callable[[Array], tuple[Array, Array]]


def polish(problem: Separable, reached: Reached) -> Polished:
    """Drive the gradient of where a search ended to the noise floor."""
    alpha, c = reached.alpha, reached.projected.c
    p = len(c)
    free = np.ones(p + len(alpha), dtype=np.bool_)
    held_back = free_of_limits(problem, alpha, reached.projected)
    if held_back is not None:
        free[p:] = held_back
    whole = np.concatenate([c, alpha])

    def state(at: Array) -> tuple[Array, Array]:
        full = at
        if held_back is not None:
            full = whole.copy()
            full[free] = at
        residual, rows = problem.joint(full[p:], full[:p])
        return residual, rows if held_back is None else rows[free]

    point = (from_search(reached) if held_back is None else None) or _point(whole[free], *state(whole[free]))
    y_size = length(problem.y)
    for _ in range(MOST_STEPS):
        enough = max(ROUNDING_ENDS * y_size, GRADIENT_ENDS * math.sqrt(point.squares))
        if point.singular or not len(point.theta) or point.size <= enough:
            if not point.older:
                break
            point = _renewed(point)
            continue
        better = _step(state, y_size, point)
        if better is None or not _within(problem, better.theta, whole, free, p):
            if not point.older:
                break
            better = _renewed(point)
        point = better
    if point.residual is None or point.rows is None:
        point = _point(point.theta, *state(point.theta))
    elif point.older:
        point = _renewed(point)
    assert point.residual is not None
    assert point.rows is not None
    whole[free] = point.theta
    size = length(point.residual)
    relative = point.size / size if size > 0 else 0.0
    leverage = partial(leverage_of, point.inverse, point.rows)
    return Polished(whole[:p], whole[p:], point.residual, leverage, point.inverse, relative, point.singular, free)


def leverage_of(inverse: Array, rows: Array) -> Array:
    """Return the leverage (n,) from R⁻¹ and the transpose of the Jacobian (m, n)."""
    basis = inverse.T @ rows
    return np.asarray(np.einsum("ij,ij->j", basis, basis), dtype=np.float64)


def from_search(reached: Reached) -> _Point | None:
    """Return the point from the R that the search left, where there is one of full rank."""
    projected = reached.projected
    p, m = len(projected.c), len(projected.c) + len(reached.alpha)
    if projected.whole is None or len(projected.whole) < m or not told_apart(projected.whole[:m, :m], SINGULAR):
        return None
    gradient = np.zeros(m)
    gradient[p:] = projected.slope
    theta = np.concatenate([projected.c, reached.alpha])
    return _Point(theta, projected.squares, inverse_upper(projected.whole[:m, :m]), gradient, False)


def _point(theta: Array, residual: Array, rows: Array) -> _Point:
    return _Point(theta, float(residual @ residual), *root_of(rows, residual), residual, rows)


def _renewed(point: _Point) -> _Point:
    """Return the point with its own R⁻¹, and no past."""
    assert point.residual is not None
    assert point.rows is not None
    return _point(point.theta, point.residual, point.rows)


def _within(problem: Separable, theta: Array, whole: Array, free: Mask, p: int) -> bool:
    if not problem.limits:
        return True
    full = whole.copy()
    full[free] = theta
    return bool(np.all((full[p:] >= problem.low) & (full[p:] <= problem.high)))


def _step(state: State, y_size: float, point: _Point) -> _Point | None:
    """Return a better point, or None."""
    # A residual is known to the rounding of y, not of itself.
    level = point.squares * (1 + 1e-12) + 2 * ROUNDING * y_size * math.sqrt(point.squares)
    for way, gains in _ways(state, point):
        theta = point.theta + point.inverse @ way
        residual, rows = state(theta)
        squares = float(residual @ residual)
        if not squares <= level:
            continue
        if gains < 1.0:
            # The search's own gradient has no part along Φ: it tells little of the Hessian.
            moved, before = (way, point.gradient) if point.residual is not None else (None, None)
            gradient = point.inverse.T @ (rows @ residual)
            there = _Point(theta, squares, point.inverse, gradient, False, residual, rows, moved, before, True)
        else:
            there = _point(theta, residual, rows)
        if not there.singular and there.size < point.size * gains:
            return there
    return None


def _ways(state: State, point: _Point) -> Iterator[tuple[Array, float]]:
    """Yield steps in u with what each must bring the gradient down to, the cheapest first."""
    step = (
        None if point.moved is None or point.before is None else corrected(point.gradient, point.before, point.moved)
    )
    if step is not None:
        yield step, PLAIN_GAINS
    # Near an answer with small residuals the plain Gauss–Newton step does, at a fraction of the cost.
    yield point.gradient, PLAIN_GAINS
    if point.older:
        return
    newton = _newton(state, point)
    for part in NEWTON_PARTS:
        yield part * newton, 1.0


def corrected(gradient: Array, before: Array, moved: Array) -> Array | None:
    """Return the plain step, the gradient, corrected by what the last one left over, or None.

    The last step s (``moved``) brought the gradient down from ``before`` by H s; the nearest I + vvᵀ/(vᵀs) that tells this of
    H has v = H s − s (symmetric rank one, Broyden 1967).
    """
    v = before - gradient - moved
    bottom = float(v @ moved) + float(v @ v)
    if bottom == 0.0:
        return None
    step: Array = gradient - v * (float(v @ gradient) / bottom)
    return step if length(step) <= MOST_CORRECTED * length(gradient) else None


def root_of(rows: Array, residual: Array) -> tuple[Array, Array, bool]:
    """Return R⁻¹ of a Jacobian, the gradient Qᵀr (m,), and whether it is singular (then of fewer columns).

    ``rows`` (m, n) holds the transpose of the Jacobian; where it is not finite, neither are R⁻¹ and gradient.
    """
    m = len(rows)
    whole = triangle(np.concatenate([rows, residual[None]]))
    root = whole[:m, :m]
    if not finite(whole):
        return np.full((m, m), np.nan), np.full(m, np.nan), False
    if len(root) < m or not told_apart(root, SINGULAR):
        # In the directions that the rows tell of; the others have no say in gradient or leverage.
        norms = column_sizes(root)
        norms = np.where(norms > 0, norms, 1.0)
        u, sizes, v = np.linalg.svd((rows / norms[:, None]).T, full_matrices=False)
        answer = sizes > SINGULAR * sizes.max(initial=0.0)
        return v[answer].T / sizes[answer] / norms[:, None], u[:, answer].T @ residual, True
    return inverse_upper(root), whole[:m, m], False


def _newton(state: State, point: _Point) -> Array:
    """Return the Newton step in u; Gauss–Newton where the Hessian is indefinite or cannot be had."""
    m, gradient = len(point.theta), point.gradient
    width = 1e-4 * max(math.sqrt(point.squares), 1e-12 * math.sqrt(m))
    hessian = np.empty((m, m))
    for k in range(m):
        move = point.inverse[:, k] * width
        (r1, rows1), (r0, rows0) = state(point.theta + move), state(point.theta - move)
        hessian[:, k] = -(point.inverse.T @ (rows1 @ r1 - rows0 @ r0)) / (2 * width)
    hessian = (hessian + hessian.T) / 2
    if not np.isfinite(hessian).all():
        return gradient
    sizes, directions = np.linalg.eigh(hessian)
    if sizes.min() <= 0.05 * max(sizes.max(), 0.0):
        return gradient
    return np.asarray(directions @ ((directions.T @ gradient) / sizes), dtype=np.float64)
