"""Losses that forgive outliers: Huber, Tukey and Cauchy, by iteratively reweighted least squares.

With u = r/(c·s) and s from the median of |r| (of the n − m + 1 largest, which corrects for fitted coefficients)

    Huber (1964)    w = min(1, 1/|u|)              c = 1.345
    Cauchy          w = 1/(1 + u²)                 c = 2.385
    Tukey (1974)    w = (1 − u²)² for |u| < 1      c = 4.685

each with 95 % efficiency for normal scatter. Tukey's loss has several minima: it starts from Huber's answer and keeps
its scale. Covariance after Huber (1981, §7.6): κ² s² [Σψ²/(n − m)] / mean(ψ')² · (JᵀJ)⁻¹, κ = 1 + (m/n)·var ψ'/mean² ψ'.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.search.levenberg import Reached, search_to_end
from vettore.core.fitting.search.separable import Separable

TUNED = {"huber": 1.345, "cauchy": 2.385, "tukey": 4.685}
MOST_ROUNDS, MOST_STEPS = 300, 50
SETTLED = 1e-11
# Median of |z| of a standard normal variable.
NORMAL_MEDIAN = 0.6744897501960817
# A row below this weight is named as weighted down.
WEIGHTED_DOWN = 0.5


@dataclass(frozen=True)
class Forgiven:
    """The answer with the weights of the loss (n,), the scale s, and what multiplies (JᵀJ)⁻¹ for the covariance."""

    reached: Reached
    problem: Separable
    weights: Array
    scale: float
    variance: float


def forgive(problem: Separable, start: Reached, loss: str, coefficients: int) -> Forgiven:
    """Return the answer under a loss from that of ordinary least squares."""
    floor = 1e-14 * float(np.max(np.abs(problem.y)))
    reached, scale = _iterate(problem, start, "huber" if loss == "tukey" else loss, coefficients, None, floor)
    if loss == "tukey":
        reached, scale = _iterate(problem, reached, loss, coefficients, scale, floor)
    residual = _residual(problem, reached)
    weights = _weights(residual / (scale * TUNED[loss]), loss)
    reweighted = problem.reweighted(_root(problem, weights))
    n, m = len(residual), coefficients
    u = residual / scale
    psi, bend = weights * u, _bend(u / TUNED[loss], loss)
    mean = float(np.mean(bend))
    factor = 1 + m / n * float(np.var(bend)) / mean**2 if mean > 0 else math.nan
    freedom = max(n - m, 1)
    variance = factor**2 * scale**2 * float(psi @ psi) / freedom / mean**2 if mean > 0 else math.nan
    return Forgiven(reached, reweighted, weights, scale, variance)


def _iterate(
    problem: Separable, start: Reached, loss: str, coefficients: int, scale: float | None, floor: float
) -> tuple[Reached, float]:
    reached, fixed = start, scale
    residual = _residual(problem, reached)
    value = fixed or _scale(residual, coefficients, floor)
    for _ in range(MOST_ROUNDS):
        weights = _weights(residual / (value * TUNED[loss]), loss)
        again = search_to_end(problem.reweighted(_root(problem, weights)), reached.alpha, MOST_STEPS)
        if again is None:
            break
        reached = again
        before, residual = residual, _residual(problem, reached)
        value = fixed or _scale(residual, coefficients, floor)
        if float(np.max(np.abs(residual - before))) <= SETTLED * value:
            break
    return reached, value


def _root(problem: Separable, weights: Array) -> Array:
    root = np.sqrt(weights)
    return root if problem.root_weights is None else root * problem.root_weights


def _residual(problem: Separable, reached: Reached) -> Array:
    return problem.joint(reached.alpha, reached.projected.c)[0]


def _scale(residual: Array, coefficients: int, floor: float) -> float:
    size = np.sort(np.abs(residual))[max(min(coefficients - 1, len(residual) - 1), 0) :]
    return max(float(np.median(size)) / NORMAL_MEDIAN, floor, 1e-300)


def _weights(u: Array, loss: str) -> Array:
    size = np.abs(u)
    if loss == "huber":
        return 1 / np.maximum(size, 1.0)
    if loss == "cauchy":
        return np.asarray(1 / (1 + u * u), dtype=np.float64)
    return np.where(size < 1, (1 - u * u) ** 2, 0.0)


def _bend(u: Array, loss: str) -> Array:
    """Return ψ'."""
    if loss == "huber":
        return (np.abs(u) <= 1).astype(np.float64)
    if loss == "cauchy":
        return np.asarray((1 - u * u) / (1 + u * u) ** 2, dtype=np.float64)
    return np.where(np.abs(u) < 1, (1 - u * u) * (1 - 5 * u * u), 0.0)
