"""Fits whose scatter is a known share of the curve: σ = p/100·|μ|, as of an instrument with so many per cent of its reading.

The rows are weighed by the curve, not by the measured y, which would give the most weight to those that came out too low.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.fitting.details import Growing
from vettore.core.fitting.noises.reweighted import reweighted
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Spread
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.solve import solve
from vettore.core.formula.tree import Name

# A curve that comes so near to 0, beside its largest value, would give one row all the weight.
NEAR_ZERO = 1e-6


def fit_percent(problem: Problem) -> FitResult:
    """Return the fit of rows that scatter by ``noise_size`` per cent of the curve. Raises DataError where that comes to 0."""
    if not isinstance(problem.read.left, Name):
        raise DataError(
            f"A ± in per cent is that of what was measured: write it, not {problem.read.left}, before the =.",
            Fault.UNAVAILABLE,
        )
    assert problem.request.noise_size is not None
    share = problem.request.noise_size / 100

    def sigma_of(fit: FitResult) -> tuple[Array, float]:
        height = np.abs(fit.fitted)
        low = height <= NEAR_ZERO * height.max()
        if low.any():
            rows = (np.flatnonzero(fit.rows_in_use)[low] + 1).tolist()
            raise DataError(
                f"A ± in per cent of the curve is none where the curve comes to 0, as in {name_rows(rows)}. Choose a scatter "
                "that grows with y, which has an even part as well, or set these rows aside.",
                Fault.BAD_ROWS,
            )
        return share * height, 0.0

    first = solve(problem)
    result = reweighted(problem, first, sigma_of, known=True).result
    return replace(result, details=Growing(problem.request.noise, Spread(0.0, share, None)))
