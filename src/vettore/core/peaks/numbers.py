"""The numbers of a peak: place and height of its top, full width at half maximum, area, each with its ±.

They follow from the coefficients of its formula; their ± from the covariance of these (delta method), so that what the
background leaves open is in them. Where no formula tells them they are found on the curve of the peak alone.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.peaks.shapes import PeakShape

# A top or a half is closed in upon by so many places at once, in rounds that leave its last digit; no half is farther away.
CUTS, ROUNDS, FAR = 65, 9, 1e6
# Nodes for an area that no formula tells.
NODES = 200_001
NUDGE = 1e-5
# Entries of a table of outlines.
TABLE = 801


class Outline(NamedTuple):
    """Of a shape of w = 1: where its top lies, how high it is, how wide at half of that, and its area."""

    place: float
    height: float
    width: float
    area: float


def outline(shape: PeakShape, extras: Sequence[float]) -> Outline:
    """Return the outline of a shape."""
    if shape.width is not None and shape.area is not None:
        return Outline(0.0, 1.0, shape.width(*extras), float(shape.area(*extras)))
    if extras:
        return Outline(*(float(column[0]) for column in outlines(shape, np.array([extras[0]]))))
    at = _halves(shape, np.zeros(1), np.ones(1), ())
    return Outline(0.0, 1.0, float(at[0]), _area(shape, shape.reach))


def outlines(shape: PeakShape, extra: Array) -> Array:
    """Return place, height, width and area (4, m) of a shape of w = 1 with other values of its one extra, (m,)."""
    top = _tops(shape, extra) if shape.key == "tailed" else np.zeros(len(extra))
    height = shape.unit(top, extra)
    assert shape.area is not None
    area = np.array([shape.area(value) for value in extra.tolist()])
    return np.array([top, height, _halves(shape, top, height, (extra,)), area])


def _tops(shape: PeakShape, extra: Array) -> Array:
    """Return the places of tops (m,): where slopes change their sign, since heights would lose half the digits."""
    reach = shape.reach + np.abs(extra)
    low, high = -reach, reach
    for _ in range(ROUNDS):
        u = low + np.linspace(0, 1, CUTS)[:, None] * (high - low)
        rising = shape.with_slopes(u, [np.broadcast_to(extra, u.shape)])[1][0] > 0
        last = CUTS - 1 - np.argmax(rising[::-1], axis=0)
        at = np.arange(len(extra))
        low, high = u[last, at], u[np.minimum(last + 1, CUTS - 1), at]
    return np.asarray((low + high) / 2)


def _halves(shape: PeakShape, top: Array, height: Array, extras: tuple[Array, ...]) -> Array:
    """Return the full widths at half maximum (m,)."""
    total = np.zeros(len(top))
    for side in (-1.0, 1.0):
        outer = np.ones(len(top))
        while ((above := shape.unit(top + side * outer, *extras) > height / 2) & (outer < FAR)).any():
            outer = np.where(above, 2 * outer, outer)
        inner = np.zeros(len(top))
        for _ in range(ROUNDS):
            steps = inner + np.linspace(0, 1, CUTS)[:, None] * (outer - inner)
            below = (
                shape.unit(top + side * steps, *(np.broadcast_to(extra, steps.shape) for extra in extras))
                <= height / 2
            )
            first = np.where(below.any(axis=0), np.argmax(below, axis=0), CUTS - 1)
            at = np.arange(len(top))
            inner, outer = steps[np.maximum(first - 1, 0), at], steps[first, at]
        total += (inner + outer) / 2
    return total


def _area(shape: PeakShape, reach: float) -> float:
    """Return the area of a shape of the user's own, over u = tan θ so that long feet count."""
    theta = np.linspace(-math.pi / 2, math.pi / 2, NODES)[1:-1]
    u = np.tan(theta) * reach / 4
    values = shape.unit(u) * (1 + np.tan(theta) ** 2) * reach / 4
    return float(np.nansum(values) * (theta[1] - theta[0]))


def numbers_of(shape: PeakShape, coefficients: Sequence[float]) -> Array:
    """Return place, height, width and area (4,) of a peak with height, place, width and extras as its coefficients."""
    return _numbers(coefficients, outline(shape, coefficients[3:]))


def slopes_of(shape: PeakShape, coefficients: Sequence[float]) -> Array:
    """Return the derivatives (4, 3 + extras) of the numbers by the coefficients."""
    extras = list(coefficients[3:])
    by = []
    for place, extra in enumerate(extras):
        low, high = max(extra - NUDGE, shape.extras[place].low), min(extra + NUDGE, shape.extras[place].high)
        ends = [outline(shape, [*extras[:place], value, *extras[place + 1 :]]) for value in (low, high)]
        by.append([(b - a) / (high - low) for a, b in zip(*ends, strict=True)])
    return _slopes(coefficients, outline(shape, extras), by)


def _numbers(coefficients: Sequence[float], of: Outline) -> Array:
    height, place, width = coefficients[:3]
    return np.array([place + width * of.place, height * of.height, width * of.width, height * width * of.area])


def _slopes(coefficients: Sequence[float], of: Outline, by: Sequence[Sequence[float]]) -> Array:
    height, _, width = coefficients[:3]
    rows = np.zeros((4, 3 + len(by)))
    rows[0, 1], rows[0, 2], rows[1, 0], rows[2, 2] = 1.0, of.place, of.height, of.width
    rows[3, 0], rows[3, 2] = width * of.area, height * of.area
    for place, change in enumerate(by):
        rows[:, 3 + place] = [width * change[0], height * change[1], width * change[2], height * width * change[3]]
    return rows


class Outlines:
    """The outlines of a shape, those that no formula tells from a table: near enough for ranges, and soon."""

    def __init__(self, shape: PeakShape) -> None:
        self._shape = shape
        self._table: tuple[Array, Array] | None = None
        if shape.extras and shape.width is None:
            extra = shape.extras[0]
            at = np.linspace(extra.low, extra.high, TABLE)
            self._table = at, outlines(shape, at)

    def _of(self, extras: Sequence[float]) -> tuple[Outline, list[list[float]]]:
        if self._table is None:
            return outline(self._shape, extras), []
        at, columns = self._table
        # Parabolas through the three nearest entries.
        step = float(at[1] - at[0])
        middle = min(max(round((extras[0] - float(at[0])) / step), 1), TABLE - 2)
        t = (extras[0] - float(at[middle])) / step
        a, b, c = (columns[:, middle + i] for i in (-1, 0, 1))
        first, second = (c - a) / 2, c - 2 * b + a
        return Outline(*(b + t * first + t * t * second / 2).tolist()), [((first + t * second) / step).tolist()]

    def numbers(self, coefficients: Sequence[float]) -> Array:
        """Return place, height, width and area (4,) of a peak."""
        return _numbers(coefficients, self._of(coefficients[3:])[0])

    def slopes(self, coefficients: Sequence[float]) -> Array:
        """Return their derivatives (4, 3 + extras)."""
        if self._table is None:
            return slopes_of(self._shape, coefficients)
        of, by = self._of(coefficients[3:])
        return _slopes(coefficients, of, by)
