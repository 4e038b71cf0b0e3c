"""Points that a curve goes through: in order, equal x averaged, within the range of numbers; and the gaps among them."""

from __future__ import annotations

from typing import Literal, TypeAlias

import numpy as np

from vettore.core.arrays import Array, check_range
from vettore.core.errors import DataError, Fault

# What a curve through points is beyond them.
Outside: TypeAlias = Literal["refuse", "constant", "linear", "continue"]
# Beyond this the cubes of distances, and slopes times them, leave the range of a double.
LARGEST_OF_CURVES = 1e60


def check_points(x: Array, y: Array) -> None:
    """Insist that powers of rising x, of their distances and of y stay within the range of numbers. Raises DataError."""
    if len(x) > 1:
        check_range(x - x[0], "x", LARGEST_OF_CURVES)
        steps = np.diff(x)
        close = int(np.argmin(steps))
        if steps[close] * LARGEST_OF_CURVES < x[-1] - x[0]:
            raise DataError(
                f"The x {x[close]:.6g} and {x[close + 1]:.6g} lie only {steps[close]:.3g} apart, so that slopes leave the "
                "range of numbers. Average their rows or set one aside.",
                Fault.OVERFLOW,
                column="x",
            )
    check_range(y, "y", LARGEST_OF_CURVES)


def sorted_points(x: Array, y: Array, sigma: Array | None) -> tuple[Array, Array, Array | None, int]:
    """Return points by rising x and how many rows repeat an x; equal x are averaged, by 1/σ² where σ is known."""
    if len(x) > 1 and np.all(x[1:] > x[:-1]):
        return x, y, sigma, 0
    places, which, counts = np.unique(x, return_inverse=True, return_counts=True)
    if sigma is None:
        return places, np.bincount(which, y, len(places)) / counts, None, int(np.sum(counts[counts > 1]))
    # Weights beside the smallest σ at the same x, so that no square leaves the range of numbers.
    smallest = np.full(len(places), np.inf)
    np.minimum.at(smallest, which, sigma)
    weights = (smallest[which] / sigma) ** 2
    total = np.bincount(which, weights, len(places))
    mean = np.bincount(which, weights * y, len(places)) / total
    return places, mean, smallest / np.sqrt(total), int(np.sum(counts[counts > 1]))


def wide_gaps(x: Array, times: float) -> list[tuple[float, float]]:
    """Return the steps of rising x, (n,), that are wider than so many usual ones; none among fewer than four points."""
    steps = np.diff(x)
    if len(steps) < 3:
        return []
    return [(float(x[i]), float(x[i + 1])) for i in np.flatnonzero(steps > times * np.median(steps))]
