"""One large fit: Gauss–Newton on all coefficients with the rows taken in blocks that stay in cache.

The answer of a thinned fit is at hand, and so is R of its Jacobian. In u, θ = θ₀ + R⁻¹u, the Gram matrix of the
whole is near a multiple of I, so that summing it up over blocks loses no digits; two or three passes reach the noise
floor. Each pass leaves residuals and leverage as well, so nothing of the size of the Jacobian is ever held.
"""

from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.levenberg import Reached
from vettore.core.fitting.polish import Polished, polish
from vettore.core.fitting.separable import Separable

BLOCK = 8192
# The exact functions of NumPy let other threads run; two share the blocks.
THREADS = 2
MOST_PASSES = 12
ENOUGH = 1e-11
# The leverage rests on the Gram matrix being I; this much may be missing.
NEAR_ONE = 1e-6
# A step is halved at most this often before the caller is left to search in full.
HALVINGS = 3


@dataclass
class _Sums:
    squares: float
    gradient: Array
    gram: Array


def refine(problem: Separable, reached: Reached, thinned: Separable) -> Polished | None:
    """Return the answer on all rows from one on a thinning, or None when plain steps do not lead there."""
    try:
        return _refine(problem, reached, thinned)
    except np.linalg.LinAlgError:
        # On all rows some coefficients cannot be told apart.
        return None


def _all(parts: list[_Sums]) -> _Sums:
    """Return the sums of all lanes."""
    return _Sums(
        math.fsum(one.squares for one in parts),
        np.sum([one.gradient for one in parts], axis=0),
        np.sum([one.gram for one in parts], axis=0),
    )


def _refine(problem: Separable, reached: Reached, thinned: Separable) -> Polished | None:
    near = polish(thinned, reached)
    if near.singular:
        return None
    p, theta = len(near.c), np.concatenate([near.c, near.alpha])
    inverse = near.inverse_root * np.sqrt(thinned.n / problem.n)
    residual, leverage = np.empty((2, problem.n))
    pieces = [slice(at, min(at + BLOCK, problem.n)) for at in range(0, problem.n, BLOCK)]
    blocks = [problem.on_rows(piece) for piece in pieces]

    def sums(at: Array, inverse: Array) -> _Sums:
        @np.errstate(all="ignore")
        def part(lane: int) -> _Sums:
            total = _Sums(0.0, np.zeros(len(at)), np.zeros((len(at), len(at))))
            for block, piece in zip(blocks[lane::THREADS], pieces[lane::THREADS], strict=True):
                r, rows = block.joint(at[p:], at[:p])
                residual[piece] = r
                basis = inverse.T @ rows
                np.einsum("ij,ij->j", basis, basis, out=leverage[piece])
                total.squares += float(r @ r)
                total.gradient += basis @ r
                total.gram += basis @ basis.T
            return total

        with ThreadPoolExecutor(THREADS) as pool:
            return _all(list(pool.map(part, range(THREADS))))

    here = sums(theta, inverse)
    for _ in range(MOST_PASSES):
        if not np.isfinite(here.squares) or not np.isfinite(here.gram).all():
            return None
        step = np.linalg.solve(here.gram, here.gradient)
        size = math.sqrt(max(float(here.gradient @ step), 0.0))
        if size <= ENOUGH * math.sqrt(here.squares) and np.allclose(here.gram, np.eye(len(theta)), atol=NEAR_ONE):
            break
        # The Gram matrix just summed gives R of the whole: from now on it is I.
        inverse_here = inverse @ np.linalg.inv(np.linalg.cholesky(here.gram)).T
        for halving in range(HALVINGS + 1):
            there_theta = theta + inverse @ step / 2**halving
            there = sums(there_theta, inverse_here)
            if there.squares <= here.squares * (1 + 1e-12):
                break
        else:
            return None
        theta, here, inverse = there_theta, there, inverse_here
    else:
        return None
    inverse, free = inverse @ np.linalg.inv(np.linalg.cholesky(here.gram)).T, np.ones(len(theta), dtype=np.bool_)
    relative = float(np.linalg.norm(here.gradient)) / np.sqrt(here.squares) if here.squares > 0 else 0.0
    return Polished(theta[:p], theta[p:], residual, leverage, inverse, relative, False, free)
