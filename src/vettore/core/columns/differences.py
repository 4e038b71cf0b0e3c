"""Slopes of measured points from each point and its neighbours.

Through a point and its neighbours on each side runs one parabola; its slope at the point is
(h₁² (y₂ − y) + h₂² (y − y₁)) / (h₁ h₂ (h₁ + h₂)), with h₁, h₂ the steps to the left and right.
At the ends it is the slope of the end parabola there.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array


def slope_through_neighbours(x: Array, y: Array) -> Array:
    """Return dy/dx at every row, shape (n,), in any order of x. Rows of equal x share their mean y's slope.

    Rows without a number in x or y, and all rows when fewer than two different x are left, are NaN.
    """
    slope = np.full(len(x), np.nan)
    good = np.isfinite(x) & np.isfinite(y)
    places, which, counts = np.unique(x[good], return_inverse=True, return_counts=True)
    if len(places) < 2:
        return slope
    mean = np.bincount(which, y[good]) / counts
    steps = np.diff(places)
    rises = np.diff(mean) / steps
    if len(places) == 2:
        values = np.full(2, rises[0])
    else:
        left, right = steps[:-1], steps[1:]
        inner = (right * rises[:-1] + left * rises[1:]) / (left + right)
        first = rises[0] + (rises[0] - rises[1]) * steps[0] / (steps[0] + steps[1])
        last = rises[-1] + (rises[-1] - rises[-2]) * steps[-1] / (steps[-1] + steps[-2])
        values = np.concatenate([[first], inner, [last]])
    slope[good] = values[which]
    return slope
