"""By how much every row counts, and what is made least."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array
from vettore.core.systems.problem import Predicted, SystemProblem

# Rates may be worked out so often for a run while far from an answer.
CALLS_FAR = 1500
# Beside the largest of a column, what its scatter is at least.
LEAST_SCATTER = 1e-14


def spreads(problem: SystemProblem, predicted: Predicted | None) -> tuple[Array, ...]:
    """Return the scatter of every row: known, or that of its column, about what is said or about its mean."""
    out = []
    for place, part in enumerate(problem.parts):
        if part.sigma is not None:
            out.append(part.sigma)
            continue
        size = float(np.abs(part.y).max(initial=0.0)) or 1.0
        rest = part.y - (part.y.mean() if predicted is None else predicted.values[place])
        scatter = max(math.sqrt(float(rest @ rest) / len(rest)), LEAST_SCATTER * size)
        out.append(np.full(len(part.y), scatter))
    return tuple(out)


def deviance(problem: SystemProblem, predicted: Predicted) -> float:
    """Return what is made least: squares where ± is known, n·ln of the squares of a column where not."""
    total = 0.0
    for part, value in zip(problem.parts, predicted.values, strict=True):
        if part.sigma is not None:
            total += float((((part.y - value) / part.sigma) ** 2).sum())
        else:
            size = float(np.abs(part.y).max(initial=0.0)) or 1.0
            rest = float(((part.y - value) ** 2).sum())
            total += len(part.y) * math.log(max(rest / len(part.y), (LEAST_SCATTER * size) ** 2))
    return total


def weighted(problem: SystemProblem, predicted: Predicted, sigmas: Sequence[Array]) -> tuple[Array, Array]:
    """Return residuals (n,) and slopes (n, m) over the scatter."""
    r = np.concatenate([(part.y - v) / s for part, v, s in zip(problem.parts, predicted.values, sigmas, strict=True)])
    table = np.concatenate([t / s[:, None] for t, s in zip(predicted.slopes, sigmas, strict=True)])
    return r, table
