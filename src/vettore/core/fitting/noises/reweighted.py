"""Fits whose weights follow from the curve itself: refitted with those of the fit before, until neither moves.

That is generalised least squares (Carroll & Ruppert 1988, §2.2): the weights count as given in each refit.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Status
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.solve import solve_request

# Refits, and by how many standard errors, and what share, the last may have moved.
MOST_REFITS, SETTLED, SAME_SHARE = 40, 1e-6, 1e-6
# The same for a first look at many models.
FEW_REFITS, NEARLY = 4, 1e-2


class Reweighted(NamedTuple):
    """The last refit, with what is said of the search and the rows from before it, and what its weights were told by."""

    result: FitResult
    share: float


def reweighted(
    problem: Problem, first: FitResult, sigma_of: Callable[[FitResult], tuple[Array, float]], known: bool = False
) -> Reweighted:
    """Return the refit whose rows are weighed by σ (n,) as ``sigma_of`` a fit, beside what that was told by.

    The σ are ``known`` as they are, or relative. Raises DataError.
    """
    looks = not problem.request.thorough
    most, near, same = (FEW_REFITS, NEARLY, NEARLY) if looks else (MOST_REFITS, SETTLED, SAME_SHARE)
    now, share, before, refits, moved = first, -1.0, -1.0, 0, np.inf
    while refits < most and not (moved < near and abs(share - before) < same):
        refits += 1
        before = share
        sigma, share = sigma_of(now)
        was = {name: now.coefficients[name].value for name in first.fitted_names}
        now = _refit(problem, now, sigma, known)
        moved = _moved(now, was)
    settled = refits < most or looks
    result = replace(
        now,
        own_remarks=first.own_remarks,
        status=now.status if settled else Status.NOT_CONVERGED,
        left_out=first.left_out,
        trace=replace(now.trace, search=first.search, iterations=first.iterations + now.iterations, beside=None),
    )
    return Reweighted(result, share)


def _moved(now: FitResult, was: dict[str, float]) -> float:
    """Return by how many standard errors the coefficients moved at most."""
    moves = [0.0]
    for name, value in was.items():
        error = now.coefficients[name].standard_error
        if error:
            moves.append(abs(now.coefficients[name].value - value) / error)
    return max(moves)


def _refit(problem: Problem, now: FitResult, sigma: Array, known: bool) -> FitResult:
    """Return the fit of the rows weighted by 1/σ², begun where it stands."""
    whole = np.full(len(now.rows_in_use), np.nan)
    whole[problem.chosen[0].in_use] = sigma
    start = {name: now.coefficients[name].value for name in now.trace.names if name in now.fitted_names}
    return solve_request(problem.request.refit(start=start, sigma=whole, absolute_sigma=known))
