"""By how much every row counts, and what is made least.

Columns that err each by itself have scatters of their own, known, or told by the rows: Σ nⱼ ln Sⱼ is made least. Where the
errors of a row's columns go together, it is n ln |RᵀR| of the residuals R (n, q), the determinant criterion (Box & Draper
1965; Bates & Watts 1988, ch. 4): with V = RᵀR/n and V = L Lᵀ rows are weighed by L⁻¹, by turns with steps.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.systems.problem import Predicted, SystemProblem

# Rates may be worked out so often for a run while far from an answer.
CALLS_FAR = 1500
# Beside the largest of a column, what its scatter is at least.
LEAST_SCATTER = 1e-14


class Scatter(NamedTuple):
    """The scatter of every row by column, (n,) each; ``whitener`` (q, q) makes errors that go together of size 1 and apart."""

    sigmas: tuple[Array, ...]
    whitener: Array | None = None

    def times(self, factors: tuple[float, ...]) -> Scatter:
        """Return the scatter with that of each column larger by a factor."""
        return Scatter(tuple(sigma * by for sigma, by in zip(self.sigmas, factors, strict=True)))

    def is_like(self, other: Scatter, share: float) -> bool:
        """Whether another one is the same but for a share of it."""
        pairs = [*zip(self.sigmas, other.sigmas, strict=True)]
        if self.whitener is not None and other.whitener is not None:
            pairs.append((self.whitener, other.whitener))
        return all(np.allclose(a, b, rtol=share, atol=share * float(np.abs(a).max(initial=0.0))) for a, b in pairs)


def spreads(problem: SystemProblem, predicted: Predicted | None) -> Scatter:
    """Return the scatter of every row: known, or that of its column, about what is said or about its mean."""
    out = []
    for place, part in enumerate(problem.parts):
        if part.sigma is not None:
            out.append(part.sigma)
            continue
        rest = part.y - (part.y.mean() if predicted is None else predicted.values[place])
        scatter = max(math.sqrt(float(rest @ rest) / len(rest)), _least(part.y))
        out.append(np.full(len(part.y), scatter))
    if not problem.together or predicted is None:
        return Scatter(tuple(out))
    factor = np.linalg.cholesky(_spread_together(problem, predicted))
    return Scatter(tuple(out), np.linalg.inv(factor))


def _least(y: Array) -> float:
    return LEAST_SCATTER * (float(np.abs(y).max(initial=0.0)) or 1.0)


def _spread_together(problem: SystemProblem, predicted: Predicted) -> Array:
    """Return how the errors of the columns go together, (q, q), each at least of the size of rounding."""
    rest = _residuals(problem, predicted)
    floor = np.array([_least(part.y) for part in problem.parts])
    return np.asarray(rest.T @ rest / len(rest) + np.diag(floor**2))


def _residuals(problem: SystemProblem, predicted: Predicted) -> Array:
    pairs = zip(problem.parts, predicted.values, strict=True)
    return np.column_stack([part.y - value for part, value in pairs])


def deviance(problem: SystemProblem, predicted: Predicted) -> float:
    """Return what is made least: squares of known scatters, n·ln of a column's squares or of their determinant of others."""
    if problem.together:
        return len(problem.parts[0].y) * float(np.linalg.slogdet(_spread_together(problem, predicted))[1])
    total = 0.0
    for part, value in zip(problem.parts, predicted.values, strict=True):
        if part.sigma is not None:
            total += float((((part.y - value) / part.sigma) ** 2).sum())
        else:
            rest = float(((part.y - value) ** 2).sum())
            total += len(part.y) * math.log(max(rest / len(part.y), _least(part.y) ** 2))
    return total


def squares_of(problem: SystemProblem, predicted: Predicted, scatter: Scatter) -> float:
    """Return the squares of the residuals over the scatter."""
    with np.errstate(over="ignore"):
        if scatter.whitener is not None:
            return float(((_residuals(problem, predicted) @ scatter.whitener.T) ** 2).sum())
        pairs = zip(problem.parts, predicted.values, scatter.sigmas, strict=True)
        return sum(float((((part.y - value) / sigma) ** 2).sum()) for part, value, sigma in pairs)


def weighted(problem: SystemProblem, predicted: Predicted, scatter: Scatter) -> tuple[Array, Array]:
    """Return residuals (n,) and slopes (n, m) over the scatter."""
    if scatter.whitener is not None:
        slopes = np.stack(predicted.slopes, axis=1)
        table = np.einsum("ij,njm->nim", scatter.whitener, slopes)
        return (_residuals(problem, predicted) @ scatter.whitener.T).ravel(), table.reshape(-1, slopes.shape[2])
    pairs = zip(problem.parts, predicted.values, scatter.sigmas, strict=True)
    r = np.concatenate([(part.y - value) / sigma for part, value, sigma in pairs])
    table = np.concatenate([t / s[:, None] for t, s in zip(predicted.slopes, scatter.sigmas, strict=True)])
    return r, table
