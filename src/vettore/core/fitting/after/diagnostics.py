"""What single rows do to a fit: studentised residuals and Cook's distance.

    internally studentised   rᵢ / (s √(1 − hᵢ))
    externally studentised   tᵢ = rᵢ / (s₍ᵢ₎ √(1 − hᵢ)),   s₍ᵢ₎² = (S − rᵢ²/(1 − hᵢ)) / (n − m − 1)
    Cook's distance (1977)   Dᵢ = rᵢ² hᵢ / (m s² (1 − hᵢ)²)

Residuals carry √w. Exact for linear models, to first order for others.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.details import Correlated
from vettore.core.fitting.result import FitResult

# A row with all but this much of its own leverage decides the curve by itself; nothing can be said of it.
OWN = 1e-9


@dataclass(frozen=True, eq=False)
class Diagnostics:
    """One value per row in use; NaN where the row decides the curve alone."""

    studentised: Array
    cook: Array


def diagnostics(result: FitResult) -> Diagnostics | None:
    """Return the diagnostics, or None where there is no freedom to tell scatter."""
    n, freedom = result.n, result.degrees_of_freedom
    m = n - freedom
    if freedom < 2 or result.exact:
        return None
    r = weighted_residuals(result)
    rest = np.where(1 - result.leverage > OWN, 1 - result.leverage, np.nan)
    total = float(r @ r)
    variance = total / freedom
    without = np.maximum(total - r * r / rest, 0.0) / (freedom - 1)
    with np.errstate(divide="ignore", invalid="ignore"):
        studentised = r / np.sqrt(without * rest)
        cook = r * r * result.leverage / (m * variance * rest * rest)
    return Diagnostics(studentised, cook)


def weighted_residuals(result: FitResult) -> Array:
    """Return the residuals times √w, of correlated rows without what they have in common."""
    if isinstance(result.details, Correlated):
        return result.details.whitened
    return result.residuals if result.sigma is None else result.residuals / result.sigma
