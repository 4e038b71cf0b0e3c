"""The derivative of measured points: the slope of a local polynomial through each point and its neighbours.

Around every point a polynomial is fitted by least squares to the ``width`` nearest rows (Savitzky & Golay 1964, for any
spacing); its slope at the point is a weighted sum of their y, which also gives its standard error.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError, Fault
from vettore.core.integration.sampled import points_of, scatter
from vettore.core.remarks import Noted, Remark

BLOCK = 20_000


@dataclass(frozen=True, eq=False)
class Derivative(Noted):
    """Slopes at x (n,), with standard errors from the ± of the points or from their scatter (None for too few)."""

    x: Array
    slope: Array
    standard_error: Array | None
    remarks: tuple[Remark, ...]


def differentiate(x: Values, y: Values, width: int = 5, degree: int = 2, sigma: Values | None = None) -> Derivative:
    """Return the derivative of points (n,) by local polynomials over ``width`` rows. Raises DataError.

    >>> from vettore import core
    >>> core.differentiate([0, 1, 2, 3, 4], [0, 1, 4, 9, 16]).slope.round(6).tolist()
    [0.0, 2.0, 4.0, 6.0, 8.0]
    """
    points, values, spread, remarks = points_of(x, y, sigma)
    n = len(points)
    if degree < 1 or width <= degree:
        raise DataError(
            f"A local polynomial of degree {degree} needs at least {degree + 1} rows, but was given {width}.",
            Fault.TOO_FEW,
        )
    if width > n:
        raise DataError(f"A width of {width} rows is more than the {n} different x there are.", Fault.TOO_FEW)
    first = np.clip(np.arange(n) - width // 2, 0, n - width)
    slope, error = np.empty(n), np.empty(n)
    if spread is None and n >= 5:
        spread = np.full(n, scatter(points, values))
    for start in range(0, n, BLOCK):
        rows = slice(start, min(start + BLOCK, n))
        window = first[rows, None] + np.arange(width)
        reach = points[window] - points[rows, None]
        size = np.max(np.abs(reach), axis=1, keepdims=True)
        columns = (reach / size)[:, :, None] ** np.arange(degree + 1)
        q, r = np.linalg.qr(columns)
        unit = np.zeros((len(window), degree + 1, 1))
        unit[:, 1, 0] = 1.0
        # The slope is the coefficient of the first power: e₁ᵀ R⁻¹ Qᵀ y.
        row = np.linalg.solve(r.transpose(0, 2, 1), unit)
        weights = (q @ row)[:, :, 0] / size
        slope[rows] = np.sum(weights * values[window], axis=1)
        if spread is not None:
            error[rows] = np.sqrt(np.sum((weights * spread[window]) ** 2, axis=1))
    return Derivative(points, slope, error if spread is not None else None, remarks)
