"""How a curve through points came about: its pieces, and the differences or the banded system behind them.

One polynomial: Newton's divided differences, f[xᵢ … xₖ] = (f[xᵢ₊₁ … xₖ] − f[xᵢ … xₖ₋₁])/(xₖ − xᵢ). Splines: the
tridiagonal system of core.interpolate.slopes with its solution. Others: secants and the slopes chosen from them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.interpolation.interpolant import Interpolant
from vettore.core.interpolation.slopes import spline_system

SPLINES = frozenset({"cubic", "natural", "clamped"})


@dataclass(frozen=True, eq=False)
class Part:
    """A table of the working: rows of numbers (NaN where there is none) under headings."""

    title: str
    words: str
    headings: tuple[str, ...]
    rows: Array


def pieces(curve: Interpolant) -> Part:
    """Return the pieces: from, to, and the coefficients of 1, u, u² and u³ with u = x − from."""
    breaks, powers = curve.pieces.breaks, curve.pieces.powers
    rows = np.column_stack([breaks[:-1], breaks[1:], powers.T])
    # Where a step is drawn, pieces of no length hold nothing.
    rows = rows[rows[:, 1] > rows[:, 0]]
    used = [k for k in range(4) if k == 0 or np.any(rows[:, 2 + k] != 0)]
    names = ("1", "u", "u²", "u³")
    headings = ("from", "to", *(names[k] for k in used))
    return Part(
        "The pieces",
        "u is the distance from the left end of the piece.",
        headings,
        rows[:, [0, 1, *(2 + k for k in used)]],
    )


def working(curve: Interpolant) -> tuple[Part, ...]:
    """Return the working of a curve, its pieces last."""
    x, y, key = curve.x, curve.y, curve.method.key
    if key == "polynomial":
        return (divided_differences(x, y),)
    out = []
    if key in SPLINES and len(x) > 3:
        bands, right = spline_system(x, y, key, curve.end_slopes)
        below, above = np.append(np.nan, bands[2, :-1]), np.append(bands[0, 1:], np.nan)
        words = "Each row times the slopes m of a point and its neighbours is the right side."
        rows = np.column_stack([x, below, bands[1], above, right, curve.slope(x)])
        headings = ("x", "times m before", "times m", "times m after", "right side", "slope m")
        out.append(Part("The banded system and its solution", words, headings, rows))
    elif key in ("monotone", "local"):
        secants = np.append(np.diff(y) / np.diff(x), np.nan)
        words = "The slope of the curve at each point, chosen from the secants beside it."
        rows = np.column_stack([x, y, secants, curve.slope(x)])
        out.append(Part("Secants and slopes", words, ("x", "y", "secant to the next", "slope"), rows))
    elif key == "smoothing":
        words = f"Penalty λ = {curve.penalty:.6g}; what is left of each point is in the last column."
        level = curve(x)
        out.append(
            Part("The smoothed values", words, ("x", "y", "curve", "left"), np.column_stack([x, y, level, y - level]))
        )
    return (*out, pieces(curve))


def divided_differences(x: Sequence[float] | Array, y: Sequence[float] | Array) -> Part:
    """Return Newton's triangle: x, y, and the divided differences of rising order beginning at each x."""
    points, level = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    n = len(points)
    table = np.full((n, n + 1), np.nan)
    table[:, 0], table[:, 1] = points, level
    for order in range(1, n):
        level = np.diff(level) / (points[order:] - points[:-order])
        table[: n - order, order + 1] = level
    headings = ("x", "y", *(f"order {k}" for k in range(1, n)))
    words = "The first row holds the coefficients of 1, (x − x₀), (x − x₀)(x − x₁) and so on."
    return Part("Divided differences", words, headings, table)
