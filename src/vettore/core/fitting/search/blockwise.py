"""One large fit: Gauss–Newton on all coefficients with the rows taken in blocks that stay in cache.

The answer of a thinned fit is at hand, and so is R of its Jacobian. In u, θ = θ₀ + R⁻¹u, the Gram matrix of the
whole is near a multiple of I, so that summing it up over blocks loses no digits; three passes reach the noise
floor. Each pass leaves residuals as well, so nothing of the size of the Jacobian is ever held.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

import numpy as np

from vettore.core.arrays import Array, finite
from vettore.core.fitting.linear.orthogonal import inverse_upper, length
from vettore.core.fitting.search.levenberg import Reached
from vettore.core.fitting.search.polish import Polished, corrected, from_search, leverage_of
from vettore.core.fitting.search.separable import Separable

# Eight lines of so many rows stay in a cache of 1 MB. (Two threads that share the blocks take longer than one: they
# wait for each other between operations that last microseconds.)
BLOCK = 8192
MOST_PASSES = 12
ENOUGH = 1e-11
# A step is halved at most this often before the caller is left to search in full.
HALVINGS = 3
# By so much the step after next may be longer than foreseen.
AS_GOOD_AS = 10.0


def refine(problem: Separable, reached: Reached, thinned: Separable) -> Polished | None:
    """Return the answer on all rows from one on a thinning, or None when plain steps do not lead there."""
    near = from_search(reached)
    if near is None:
        return None
    try:
        inverse = near.inverse * math.sqrt(thinned.n / problem.n)
        return _refined(_Blocks(problem, len(reached.projected.c)), near.theta, inverse)
    except np.linalg.LinAlgError:
        # On all rows some coefficients cannot be told apart.
        return None


class _Blocks:
    """A problem by blocks; ``residual`` (n,) is that of the last pass."""

    def __init__(self, problem: Separable, linear: int) -> None:
        self.residual = np.empty(problem.n)
        self.linear = linear
        self._pieces = [slice(at, min(at + BLOCK, problem.n)) for at in range(0, problem.n, BLOCK)]
        self._blocks = [problem.on_rows(piece) for piece in self._pieces]

    def rows(self, theta: Array) -> Iterator[tuple[slice, Array]]:
        """Yield blocks with the derivatives there, (m, rows), and in one line more the residual."""
        p = self.linear
        lines = np.empty((len(theta) + 1, BLOCK))
        for block, piece in zip(self._blocks, self._pieces, strict=True):
            part = lines[:, : block.n]
            block.joint_into(theta[p:], theta[:p], part[-1], part[:-1])
            yield piece, part

    @np.errstate(all="ignore")
    def gram(self, theta: Array, inverse: Array) -> Array:
        """Return [J R⁻¹, r]ᵀ[J R⁻¹, r], (m + 1, m + 1), at a place."""
        m = len(theta)
        left, right = np.zeros((m + 1, m + 1)), np.eye(m + 1)
        right[:m, :m] = inverse
        lines = np.empty((m + 1, BLOCK))
        for piece, part in self.rows(theta):
            there = lines[:, : part.shape[1]]
            np.matmul(inverse.T, part[:m], out=there[:m])
            self.residual[piece] = there[m] = part[m]
            # R⁻¹ from the right comes at the end: of two lots of few lines a product is had at half the price of one with
            # itself.
            left += there @ part.T
        return left @ right

    @np.errstate(all="ignore")
    def squares(self, theta: Array) -> float:
        """Return the sum of squares at a place."""
        p, total = self.linear, 0.0
        for block, piece in zip(self._blocks, self._pieces, strict=True):
            r = self.residual[piece]
            block.residual_into(theta[p:], theta[:p], r)
            total += float(r @ r)
        return total


def _refined(blocks: _Blocks, theta: Array, inverse: Array) -> Polished | None:
    p, m = blocks.linear, len(theta)
    values, last = blocks.gram(theta, inverse), None
    for _ in range(MOST_PASSES):
        if not finite(values):
            return None
        # The Gram matrix just summed gives R of the whole: in terms of that it is I, and its gradient the plain step.
        turned = inverse_upper(np.asarray(np.linalg.cholesky(values[:m, :m]).T)).T
        inverse, gradient, squares = inverse @ turned.T, turned @ values[m, :m], float(values[m, m])
        size = length(gradient)
        enough = ENOUGH * math.sqrt(squares)
        if size <= enough:
            break
        step = gradient
        if last is not None:
            before, moved = turned @ last[0], np.linalg.solve(turned.T, last[1])
            better = corrected(gradient, before, moved)
            step = gradient if better is None else better
            # Each step is to the one before as the next will be to it, give or take.
            left = AS_GOOD_AS * size * size / length(last[0])
            if left <= enough and blocks.squares(theta + inverse @ step) <= squares * (1 + 1e-12):
                theta, size = theta + inverse @ step, left
                break
        for halving in range(HALVINGS + 1):
            part = step / 2**halving
            there = blocks.gram(theta + inverse @ part, inverse)
            if there[m, m] <= squares * (1 + 1e-12):
                break
        else:
            return None
        theta, values, last = theta + inverse @ part, there, (gradient, part)
    else:
        return None
    relative = size / math.sqrt(squares) if squares > 0 else 0.0
    leverage = partial(_leverage, blocks, theta, inverse)
    free = np.ones(m, dtype=np.bool_)
    return Polished(theta[:p], theta[p:], blocks.residual, leverage, inverse, relative, False, free)


@np.errstate(all="ignore")
def _leverage(blocks: _Blocks, theta: Array, inverse: Array) -> Array:
    out = np.empty(len(blocks.residual))
    for piece, part in blocks.rows(theta):
        out[piece] = leverage_of(inverse, part[:-1])
    return out
