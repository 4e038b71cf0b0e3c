"""Several models fitted to the same rows, side by side."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vettore.core.errors import DataError
from vettore.core.fit.result import FitResult


def akaike_weights(results: Sequence[FitResult]) -> tuple[float, ...]:
    """Return how the evidence is shared among the fits (Burnham & Anderson 2002); the weights add up to 1.

    All must rest on the same number of rows, since AICc compares nothing else. Raises DataError.
    """
    if len({result.n for result in results}) > 1:
        raise DataError("Fits can be compared only on the same rows.")
    criteria = [result.aicc for result in results]
    finite = [value for value in criteria if value < math.inf]
    if not finite:
        return tuple(1.0 / len(results) for _ in results)
    best = min(finite)
    if best == -math.inf:
        # Exact fits: the simplest of them carries all the weight.
        exact = [i for i, value in enumerate(criteria) if value == -math.inf]
        simplest = min(exact, key=lambda i: len(results[i].coefficients))
        return tuple(float(i == simplest) for i in range(len(results)))
    raw = [math.exp((best - value) / 2) if value < math.inf else 0.0 for value in criteria]
    return tuple(value / sum(raw) for value in raw)
