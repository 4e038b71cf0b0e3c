"""Rules for points as polynomial pieces between them, so that limits may lie anywhere and areas always add up.

Trapezoid: straight pieces. Simpson: a parabola over each pair of strips, counted from the first point; with an odd
number of strips the last three share the cubic through their four points (the 3/8 rule on even spacing). On even
spacing both are exact for cubics; on uneven spacing a parabola is exact for degree 2. Spline: the not-a-knot spline.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.interpolation.piecewise import Pieces, hermite, straight
from vettore.core.interpolation.slopes import spline_slopes

RULES = {"trapezoid": "Trapezoid", "simpson": "Simpson", "spline": "Spline"}
# How many points to each side have a say in the area of a strip.
REACH = {"trapezoid": 1, "simpson": 3, "spline": 30}


def pieces_of(rule: str, x: Array, y: Array) -> Pieces:
    """Return the pieces of a rule through points of rising x (n ≥ 2)."""
    if rule == "trapezoid" or len(x) == 2:
        return straight(x, y)
    if rule == "spline":
        return hermite(x, y, spline_slopes(x, y, "cubic"))
    return _simpson(x, y)


def _simpson(x: Array, y: Array) -> Pieces:
    n = len(x)
    odd = (n - 1) % 2 == 1
    paired = n - 4 if odd else n - 1
    powers = np.zeros((4, n - 1))
    first = np.arange(0, paired, 2)
    if len(first):
        h0, h1 = x[first + 1] - x[first], x[first + 2] - x[first + 1]
        d0, d1 = (y[first + 1] - y[first]) / h0, (y[first + 2] - y[first + 1]) / h1
        bend = (d1 - d0) / (h0 + h1)
        powers[0, first], powers[1, first], powers[2, first] = y[first], d0 - bend * h0, bend
        powers[0, first + 1], powers[1, first + 1], powers[2, first + 1] = y[first + 1], d0 + bend * h0, bend
    if odd:
        _cubic_end(x[-4:], y[-4:], powers[:, -3:])
    return Pieces(x, powers)


def _cubic_end(x: Array, y: Array, into: Array) -> None:
    """Write the cubic through four points in powers about each of the first three (Newton's divided differences)."""
    table = y.astype(np.float64).copy()
    newton = [table[0]]
    for order in range(1, 4):
        table = np.diff(table) / (x[order:] - x[:-order])
        newton.append(table[0])
    for k in range(3):
        # Powers about x[k], by multiplying out ((c₃(x−x₂) + c₂)(x−x₁) + c₁)(x−x₀) + c₀.
        total = np.zeros(4)
        total[0] = newton[3]
        for j in (2, 1, 0):
            shift = x[k] - x[j]
            total = np.concatenate([[0.0], total[:-1]]) + shift * total
            total[0] += newton[j]
        into[:, k] = total
