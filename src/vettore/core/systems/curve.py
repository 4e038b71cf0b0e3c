"""What a system says of one measured column, or of one state, as a curve over the column that runs."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np

from vettore.core.arrays import Array
from vettore.core.curve import Curve, TurningPoint
from vettore.core.formula.evaluate import number_of
from vettore.core.integration.adaptive import KRONROD, NODES
from vettore.core.systems.motion import Motion
from vettore.core.systems.shown import Shown

# Places at which crossings and turns are looked for, panels of an area, and most steps to a crossing.
LOOKS, PANELS, STEPS = 2001, 32, 60
TOLERANCE = 1e-10


class SystemCurve(Curve):
    """``covariance`` is that of the free coefficients (m, m), None where it is not known."""

    def __init__(
        self,
        shown: Shown,
        values: Mapping[str, float],
        motion: Motion | None,
        columns: Mapping[str, Callable[[float], float]],
        span: tuple[float, float],
        covariance: Array | None,
        scatter: float | None,
        freedom: float,
    ) -> None:
        self.shown, self.values, self.motion, self.columns = shown, dict(values), motion, dict(columns)
        self.span, self.covariance = span, covariance
        self.residual_sd, self.degrees_of_freedom = scatter, freedom
        if scatter is not None:
            self.scatter = lambda x: np.full(np.shape(x), scatter)

    def _at(self, shown: Shown, x: Array | float, slopes: bool = False) -> tuple[Array, Array]:
        """Return an expression at x, and its slopes by the coefficients (n, m); NaN before the states begin."""
        x = np.asarray(x, dtype=np.float64)
        flat = x.ravel()
        value, table = np.full(len(flat), np.nan), np.full((len(flat), len(shown.free)), np.nan)
        good = np.isfinite(flat)
        if self.motion is not None:
            good &= flat >= shown.system.start
        if good.any():
            times, places = np.unique(flat[good], return_inverse=True)
            run = self.motion.run(self.values, times, TOLERANCE, slopes) if self.motion is not None else None
            if self.motion is None or run is not None:
                columns = {name: np.array([at(t) for t in times.tolist()]) for name, at in self.columns.items()}
                by = self.motion.free if self.motion is not None else ()
                values, tables = shown.at(self.values, times, columns, run, by)
                value[good] = values[places]
                if tables is not None:
                    table[good] = tables[places]
        return value.reshape(x.shape), table

    def __call__(self, x: Array | float) -> Array:
        """Return y at x; NaN before the states begin."""
        return self._at(self.shown, x)[0]

    def slope(self, x: Array | float) -> Array:
        """Return dy/dx at x."""
        return self._at(self.shown.moving, x)[0]

    def mean_error(self, x: Array) -> Array:
        """Return the standard error of the curve at x."""
        return self._error(self.shown, x)

    def slope_error(self, x: Array | float) -> Array:
        """Return the standard error of the slope at x."""
        return self._error(self.shown.moving, x)

    def _error(self, shown: Shown, x: Array | float) -> Array:
        x = np.asarray(x, dtype=np.float64)
        if self.covariance is None:
            return np.full(x.shape, np.nan)
        table = self._at(shown, x, slopes=True)[1]
        return np.sqrt(np.maximum(np.einsum("nj,jk,nk->n", table, self.covariance, table), 0.0)).reshape(x.shape)

    def _panels(self, a: float, b: float) -> tuple[Array, Array]:
        """Return nodes and weights of Gauss and Kronrod from a to b, in panels that end where states jump."""
        edges = np.linspace(a, b, PANELS + 1)
        jumps = [float(at) for at in self._jumps() if a < at < b]
        edges = np.unique([*edges, *jumps])
        middle, half = (edges[1:] + edges[:-1]) / 2, np.diff(edges) / 2
        return (middle[:, None] + half[:, None] * NODES).ravel(), (half[:, None] * KRONROD).ravel()

    def _jumps(self) -> list[float]:
        return [number_of(jump.at, self.values) for jump in self.shown.system.jumps]

    def area(self, a: float, b: float) -> float:
        """Return the integral of y from a to b."""
        if a > b:
            return -self.area(b, a)
        x, weights = self._panels(a, b)
        return float(weights @ self(x))

    def area_error(self, a: float, b: float) -> float | None:
        """Return the standard error of the area from a to b."""
        if self.covariance is None:
            return None
        x, weights = self._panels(min(a, b), max(a, b))
        slopes = weights @ self._at(self.shown, x, slopes=True)[1]
        return math.sqrt(max(float(slopes @ self.covariance @ slopes), 0.0))

    def crossings(self, y: float, a: float, b: float) -> Array:
        """Return every x in a … b at which the curve takes the value y, rising."""
        return self._zeros(lambda x: self(x) - y, a, b)

    def turning_points(self, a: float, b: float) -> tuple[TurningPoint, ...]:
        """Return the tops and bottoms inside a … b, by rising x."""
        places = self._zeros(self.slope, a, b)
        if not len(places):
            return ()
        step = (abs(b - a) or 1.0) * 1e-6
        before = self.slope(places - step)
        heights = self(places)
        return tuple(
            TurningPoint(x, y, "top" if rising > 0 else "bottom")
            for x, y, rising in zip(places.tolist(), heights.tolist(), before.tolist(), strict=True)
        )

    @staticmethod
    def _zeros(function: Callable[[Array], Array], a: float, b: float) -> Array:
        """Return where a function changes its sign, all brackets halved and shortened together (Illinois)."""
        x = np.linspace(min(a, b), max(a, b), LOOKS)
        f = function(x)
        with np.errstate(invalid="ignore"):
            change = np.flatnonzero(np.sign(f[1:]) * np.sign(f[:-1]) < 0)
        exact = x[f == 0.0]
        low, high, f_low, f_high = x[change], x[change + 1], f[change], f[change + 1]
        for step in range(STEPS):
            if not len(low) or np.all(high - low <= 4e-16 * np.maximum(np.abs(low), np.abs(high))):
                break
            middle = (low * f_high - high * f_low) / (f_high - f_low) if step % 3 else (low + high) / 2
            middle = np.clip(middle, low, high)
            f_middle = function(middle)
            right = np.sign(f_middle) == np.sign(f_low)
            low, f_low = np.where(right, middle, low), np.where(right, f_middle, f_low)
            high, f_high = np.where(right, high, middle), np.where(right, f_high, f_middle)
            if np.all(f_middle == 0.0):
                low = high = middle
        return np.unique([*exact, *((low + high) / 2)])
