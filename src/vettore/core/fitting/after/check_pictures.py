"""The small picture that a check's sentence rests on, as points, a line and levels.

Residuals are studentised internally, e = √w r/(s√(1 − h)); normal quantiles are Φ⁻¹((i − 3/8)/(n + 1/4)) (Blom 1958).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.after.checks import Kind
from vettore.core.fitting.after.diagnostics import diagnostics, weighted_residuals
from vettore.core.fitting.result import FitResult

# A leverage nearer to 1 than this leaves no residual to be scaled.
ALONE = 1e-9


@dataclass(frozen=True, eq=False)
class Picture:
    """Points (n,) by row in use, the titles of the axes, a line through (x, y) ends, and level lines of y."""

    x: Array
    y: Array
    x_title: str
    y_title: str
    line: tuple[tuple[float, float], tuple[float, float]] | None = None
    levels: tuple[float, ...] = (0.0,)
    # Whether neighbours are joined, to show how they follow each other.
    joined: bool = False


# The checks that rest on something that can be drawn.
PICTURED = frozenset(
    {Kind.PATTERN, Kind.TREND, Kind.SPREAD, Kind.NORMAL, Kind.OUTLIERS, Kind.INFLUENCE, Kind.LACK_OF_FIT}
)


def has_picture(kind: Kind, result: FitResult) -> bool:
    """Whether a check of a fit has a picture."""
    is_wanted = result.degrees_of_freedom >= 2 and not result.exact
    return kind in PICTURED and is_wanted and result.residual_sd is not None and len(result.x) > 0


def picture(kind: Kind, result: FitResult) -> Picture | None:
    """Return the picture of a check, or None for one that has none."""
    answer = diagnostics(result)
    if answer is None or result.residual_sd is None or not len(result.x):
        return None
    rest = np.where(result.leverage < 1 - ALONE, 1 - result.leverage, np.nan)
    scatter = float(np.sqrt(np.sum(weighted_residuals(result) ** 2) / result.degrees_of_freedom))
    even = weighted_residuals(result) / (scatter * np.sqrt(rest))
    match kind:
        case Kind.PATTERN | Kind.TREND:
            place = np.empty(result.n)
            place[np.argsort(result.x, kind="stable")] = np.arange(1, result.n + 1)
            return Picture(place, even, "order along x", "residual / its s", joined=True)
        case Kind.SPREAD:
            return Picture(result.fitted, even, "fitted value", "residual / its s", levels=(-2.0, 0.0, 2.0))
        case Kind.NORMAL:
            return _normal(even)
        case Kind.OUTLIERS | Kind.INFLUENCE:
            return Picture(
                result.leverage, answer.studentised, "leverage", "studentised residual", levels=(-3.0, 0.0, 3.0)
            )
        case Kind.LACK_OF_FIT:
            return Picture(result.x, even, "x", "residual / its s", levels=(-2.0, 0.0, 2.0))
        case _:
            return None


def _normal(even: Array) -> Picture:
    from scipy.special import ndtri

    n = len(even)
    known = np.where(np.isfinite(even), even, 0.0)
    place = np.empty(n)
    place[np.argsort(known, kind="stable")] = np.arange(1, n + 1)
    quantiles = ndtri((place - 0.375) / (n + 0.25))
    reach = float(np.abs(quantiles).max())
    return Picture(
        quantiles, known, "normal quantile", "residual / its s", ((-reach, -reach), (reach, reach)), levels=()
    )
