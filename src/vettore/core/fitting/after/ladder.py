"""The degree of a polynomial: what each misses of rows left out, and the simplest that does as well as the best.

With eᵢ = rᵢ/(1 − hᵢ) the miss of row i by the fit without it, E = mean eᵢ² and its standard error s/√n over the rows
(s the standard deviation of eᵢ²), the degree suggested is the lowest whose E lies within one standard error of the
least E (the one-standard-error rule, Breiman et al. 1984, §3.4.3).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.errors import DataError, Fault
from vettore.core.fitting.result import FitResult

# Leverage nearer to 1 than this leaves nothing to judge a row by.
ALONE = 1e-9


@dataclass(frozen=True)
class Rung:
    """A degree with its left-one-out error (None where a row decides the curve alone) and residual scatter."""

    degree: int
    left_one_out_error: float | None
    residual_sd: float | None


@dataclass(frozen=True)
class Ladder:
    """The rungs by degree; ``lowest`` has the least error, ``suggested`` is the simplest as good as it."""

    rungs: tuple[Rung, ...]
    suggested: int
    lowest: int
    allowed: float


def ladder(fits: Mapping[int, FitResult]) -> Ladder:
    """Return the ladder of polynomials fitted to the same rows, by degree. Raises DataError when none can be judged."""
    if len({result.n for result in fits.values()}) > 1:
        raise DataError("Degrees can be compared only on the same rows.", Fault.NOT_COMPARABLE)
    judged: dict[int, tuple[float, float]] = {}
    rungs = []
    for degree in sorted(fits):
        result = fits[degree]
        rest = 1.0 - result.leverage
        error = None
        if result.degrees_of_freedom >= 1 and float(rest.min()) > ALONE:
            weight = 1.0 if result.sigma is None else result.sigma
            squares = (result.residuals / weight / rest) ** 2
            mean = float(squares.mean())
            judged[degree] = mean, float(squares.std(ddof=1)) / math.sqrt(len(squares)) if len(squares) > 1 else 0.0
            error = math.sqrt(mean)
        rungs.append(Rung(degree, error, result.residual_sd))
    if not judged:
        raise DataError("There are too few rows to judge a degree by rows that are left out.", Fault.TOO_FEW)
    lowest = min(judged, key=lambda degree: (judged[degree][0], degree))
    allowed = sum(judged[lowest])
    # Rounding alone must not ask for a higher degree.
    y = next(iter(fits.values())).y
    allowed = max(allowed, (4 * np.finfo(np.float64).eps * float(np.max(np.abs(y)))) ** 2)
    suggested = min(degree for degree, (mean, _) in judged.items() if mean <= allowed)
    return Ladder(tuple(rungs), suggested, lowest, math.sqrt(allowed))
