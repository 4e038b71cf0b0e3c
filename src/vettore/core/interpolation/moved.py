"""What the ± of its points makes of a curve through them: each point is moved by itself, and the curve is made again."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Protocol

import numpy as np

from vettore.core.arrays import Array
from vettore.core.interpolation.methods import Method

# Share of the size of y by which a point is moved to see what it moves.
NUDGE = 1e-5
# Methods that are not linear in y; the ± of their areas is that of so many drawn sets of points.
NOT_LINEAR = ("monotone", "local")
DRAWN, DRAWN_SEED = 400, 3
# Points that are moved one at a time for the whole curve, whose moved ones are remembered, and for an area.
MOST_MOVED, MOST_OF_AN_AREA = 1000, 2000
# Knots to each side that are looked at for a smoothing or periodic spline over many points.
SMOOTH_REACH = 60
# Moved curves that are remembered beside places, and up to which they are made ahead.
MOST_REMEMBERED = 8000


class Movable(Protocol):
    """A curve through points (n,) that can be made again through others."""

    x: Array
    y: Array
    sigma: Array | None
    method: Method

    def with_points(self, x: Array, y: Array, sigma: Array | None) -> Movable:
        """Return the curve of the same method through other points."""
        ...

    def derivative(self, x: Array, order: int) -> Array:
        """Return the curve (``order`` 0) or a derivative at x."""
        ...

    def area(self, a: float, b: float) -> float:
        """Return the area from a to b."""
        ...


class Moved:
    """The curves that come of a curve when its points are moved, remembered."""

    def __init__(self, curve: Movable) -> None:
        self._curve, self._linear = curve, curve.method.key not in NOT_LINEAR
        self._windows: dict[int, Moved] = {}

    @cached_property
    def each(self) -> list[Movable]:
        """The curves with points moved one at a time."""
        return list(self._made())

    def _made(self) -> Iterator[Movable]:
        """Make the curves through unit vectors or, where a method is not linear, with points nudged one at a time."""
        curve = self._curve
        for place in range(len(curve.x)):
            y = np.zeros(len(curve.x)) if self._linear else curve.y.copy()
            y[place] = 1.0 if self._linear else y[place] + self._nudge
            yield curve.with_points(curve.x, y, curve.sigma)

    @property
    def _nudge(self) -> float:
        y = self._curve.y
        return NUDGE * (float(np.ptp(y)) or abs(float(y[0])) or 1.0)

    def error(self, x: Array, order: int) -> Array:
        """Return the standard error of the curve (``order`` 0) or its slope (1) at x; NaN without ± of the points."""
        curve = self._curve
        if curve.sigma is None:
            return np.full(x.shape, np.nan)
        flat = x.ravel()
        out = np.empty(flat.shape)
        if self._as_a_whole:
            return self._spread(flat, order).reshape(x.shape)
        places = np.clip(np.searchsorted(curve.x, flat, side="right") - 1, 0, len(curve.x) - 1)
        for place in np.unique(places).tolist():
            present = places == place
            out[present] = self._around(place)._spread(flat[present], order)
        return out.reshape(x.shape)

    @property
    def _as_a_whole(self) -> bool:
        """Whether every point is moved once for all places, not those about each place."""
        return len(self._curve.x) <= MOST_MOVED and (self._linear or self._curve.method.reach is None)

    @property
    def _reach(self) -> int:
        return self._curve.method.reach or SMOOTH_REACH

    def get_ready(self) -> None:
        """Make the curves ahead of the first question, where they are few enough to be remembered."""
        count = len(self._curve.x)
        if count * (1 if self._as_a_whole else 2 * self._reach + 2) <= MOST_REMEMBERED:
            self.error(self._curve.x, 0)

    def _spread(self, x: Array, order: int) -> Array:
        """Return the standard error at x (k,) when every point is moved."""
        assert self._curve.sigma is not None
        shares = np.array([moved.derivative(x, order) for moved in self.each])
        if not self._linear:
            shares = (shares - self._curve.derivative(x, order)) / self._nudge
        return np.asarray(np.sqrt(np.sum((shares * self._curve.sigma[:, None]) ** 2, axis=0)))

    def _around(self, place: int) -> Moved:
        """Return the curve through the points alone that a place follows."""
        if place in self._windows:
            return self._windows[place]
        curve, reach = self._curve, self._reach
        assert curve.sigma is not None
        window = slice(max(place - reach, 0), min(place + reach + 2, len(curve.x)))
        local = Moved(curve.with_points(curve.x[window], curve.y[window], curve.sigma[window]))
        if (len(self._windows) + 1) * (2 * reach + 2) <= MOST_REMEMBERED:
            self._windows[place] = local
        return local

    def area_error(self, a: float, b: float) -> float | None:
        """Return the standard error of the area from a to b; None without ± of the points or for long series."""
        curve = self._curve
        if curve.sigma is None or len(curve.x) > MOST_OF_AN_AREA:
            return None
        if not self._linear:
            # Their slopes have corners as functions of y, so that a derivative says little where two x lie close.
            drawn = np.random.default_rng(DRAWN_SEED).normal(curve.y, curve.sigma, (DRAWN, len(curve.y)))
            return float(np.std([curve.with_points(curve.x, y, curve.sigma).area(a, b) for y in drawn], ddof=1))
        each = self.each if self._as_a_whole else self._made()
        shares = np.array([moved.area(a, b) for moved in each])
        return float(np.sqrt(np.sum((shares * curve.sigma) ** 2)))
