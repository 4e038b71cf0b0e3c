"""What every curve can do: give y, slope, area, crossings and turning points, with their uncertainty."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

from vettore.core.arithmetic import chebyshev, dyadic
from vettore.core.arithmetic.chebyshev import Scale
from vettore.core.arrays import Array
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.inverse import Scatter, error_of, interval_of

Of = Literal["mean", "new"]
# The standard deviation of a measurement at x: a number, values as many as x, or a function of x.
SigmaAt = float | Array | Callable[[Array], Array]


@dataclass(frozen=True)
class TurningPoint:
    """A top or a bottom of a curve."""

    x: float
    y: float
    kind: Literal["top", "bottom"]


@dataclass(frozen=True)
class Crossing:
    """An x at which a curve takes a given y. ``standard_error`` is None where the curve is level.

    ``low`` and ``high`` are the ends of its interval, None for one that is open, or where none is known.
    """

    x: float
    standard_error: float | None
    low: float | None = None
    high: float | None = None


class Curve(ABC):
    """Anything that gives y at x. ``span`` is the x range of the data it rests on."""

    span: tuple[float, float]
    # Infinite where the standard deviations of y are known.
    degrees_of_freedom: float
    # The standard deviation of one measurement of unit weight, and that of all rows beside it: None where rows differ.
    residual_sd: float | None = None
    row_sigma: float | None = 1.0
    # Whether the curve says nothing outside its span.
    ends_at_span: bool = False
    # How one measurement of y scatters at x, where the rows of a fit tell it.
    scatter: Scatter | None = None

    @abstractmethod
    def __call__(self, x: Array | float) -> Array:
        """Return y at x; same shape as x."""

    @abstractmethod
    def slope(self, x: Array | float) -> Array:
        """Return dy/dx at x; same shape as x."""

    @abstractmethod
    def area(self, a: float, b: float) -> float:
        """Return the integral of y from a to b; reversing the limits changes its sign."""

    @abstractmethod
    def crossings(self, y: float, a: float, b: float) -> Array:
        """Return every x in a … b at which the curve takes the value y, rising."""

    @abstractmethod
    def turning_points(self, a: float, b: float) -> tuple[TurningPoint, ...]:
        """Return the tops and bottoms inside a … b, by rising x."""

    @abstractmethod
    def mean_error(self, x: Array) -> Array:
        """Return the standard error of the curve at x; NaN where no uncertainty is known."""

    def standard_error(self, x: Array | float, of: Of = "mean", sigma: SigmaAt | None = None) -> Array:
        """Return the standard error of y at x: of the curve (``mean``) or of a new measurement (``new``).

        NaN where no uncertainty is known (no degrees of freedom). Where the rows have standard deviations of their own,
        that of a new measurement at x has to be given as ``sigma``. Raises DataError without it.
        """
        x = np.asarray(x, dtype=np.float64)
        if of == "mean":
            if sigma is not None:
                raise DataError('sigma is that of a new measurement; it goes with of="new".', Fault.NO_EFFECT)
            return self.mean_error(x)
        if of != "new":
            raise DataError(
                f'A band is of="mean", of the curve, or of="new", of a new measurement; {of!r} was given.',
                Fault.NO_SUCH_CHOICE,
            )
        spread = self._sigma_at(x, sigma)
        scatter = self.residual_sd if self.residual_sd is not None else math.nan
        return np.hypot(self.mean_error(x), scatter * spread)

    def _sigma_at(self, x: Array, sigma: SigmaAt | None) -> Array:
        if sigma is None and self.row_sigma is None:
            raise DataError(
                "Each row has a ± of its own, so that of a new measurement at x is not known. "
                "Give it as sigma: a number, as many values as x, or a function of x.",
                Fault.MISSING,
            )
        given = self.row_sigma if sigma is None else sigma(x) if callable(sigma) else sigma
        spread = np.asarray(given, dtype=np.float64)
        if spread.ndim and spread.shape != x.shape:
            raise DataError(
                f"sigma has the shape {spread.shape}, but x has {x.shape}. Give one value for each x.", Fault.LENGTHS
            )
        if not np.all(spread > 0):
            raise DataError("sigma must be above zero at every x.", Fault.OUT_OF_BOUNDS)
        return np.broadcast_to(spread, x.shape)

    @abstractmethod
    def slope_error(self, x: Array | float) -> Array:
        """Return the standard error of the slope at x; NaN where unknown."""

    @abstractmethod
    def area_error(self, a: float, b: float) -> float | None:
        """Return the standard error of the area from a to b; None where unknown."""

    # How numbers read from the curve vary together: each has a vector v (m,) with variance ‖v‖², and the covariance of
    # two numbers is the dot product of theirs. None where that is not known.

    def value_spread(self, x: float) -> Array | None:
        """Return the spread of y at x."""
        return None

    def slope_spread(self, x: float) -> Array | None:
        """Return the spread of the slope at x."""
        return None

    def area_spread(self, a: float, b: float) -> Array | None:
        """Return the spread of the area from a to b."""
        return None

    def coefficient_spread(self, name: str) -> Array | None:
        """Return the spread of a coefficient."""
        return None

    def band(
        self, x: Array | float, level: float = 0.95, of: Of = "mean", sigma: SigmaAt | None = None
    ) -> tuple[Array, Array]:
        """Return (low, high) of the band that holds the curve, or a new measurement, with ``level``.

        For ``sigma`` see standard_error.
        """
        check_level(level)
        error = self.standard_error(x, of, sigma)
        if self.degrees_of_freedom < 1:
            unknown = np.full_like(np.asarray(x, dtype=np.float64), np.nan)
            return unknown, unknown
        middle = self(x)
        reach = t_quantile(level, self.degrees_of_freedom) * error
        return middle - reach, middle + reach

    def crossings_with_error(
        self,
        y: float,
        a: float,
        b: float,
        *,
        exact: bool = False,
        replicates: int = 1,
        sigma: float | None = None,
        level: float = 0.95,
    ) -> tuple[Crossing, ...]:
        """Return every x in a … b at which the curve takes the value y, rising, with its standard error and interval.

        The y is a measured signal, the mean of ``replicates``, and scatters as the rows do, or by ``sigma`` each; of an
        ``exact`` one only the curve's own uncertainty counts, as it does for all where a curve is no fit. The interval holds
        with ``level``; see core/inverse.py. Raises DataError for numbers that make no sense.
        """
        check_level(level)
        if replicates != int(replicates) or replicates < 1:
            raise DataError(
                f"A signal is the mean of 1, 2, 3 … measurements; replicates is {replicates!r}.", Fault.OUT_OF_BOUNDS
            )
        if sigma is not None and not (sigma >= 0 and math.isfinite(sigma)):
            raise DataError(
                f"The standard deviation of a signal must be 0 or more; sigma is {sigma!r}.", Fault.OUT_OF_BOUNDS
            )
        scatter = None if exact else self.scatter if sigma is None else lambda x: np.full(np.shape(x), float(sigma))
        # An interval may end beyond where places are looked for.
        wide = self.span[1] - self.span[0]
        room = (min(a, b, self.span[0] - wide), max(a, b, self.span[1] + wide))
        places = []
        for x in self.crossings(y, a, b).tolist():
            own = 0.0 if scatter is None else float(scatter(np.array([x]))[0]) / math.sqrt(replicates)
            error = error_of(self, x, own)
            ends = interval_of(self, x, y, scatter, int(replicates), level, room, error)
            places.append(Crossing(x, error, *ends))
        return tuple(places)

    def is_beyond(self, x: float) -> bool:
        """Whether x lies outside the data that the curve rests on."""
        return not self.span[0] <= x <= self.span[1]


class PolynomialCurve(Curve):
    """A fitted polynomial, kept as a Chebyshev series over the span of its data.

    ``series`` has shape (degree + 1,); ``factor`` of shape (degree + 1, m) gives the covariance of the
    series as s²·factor·factorᵀ, with s the ``residual_sd``, the standard deviation of one measurement of unit
    weight (None where it cannot be known). ``powers`` are those of x by the names of their coefficients.
    """

    def __init__(
        self,
        series: Array,
        factor: Array,
        scale: Scale,
        span: tuple[float, float],
        residual_sd: float | None,
        degrees_of_freedom: float,
        row_sigma: float | None = 1.0,
        powers: Mapping[str, int] | None = None,
    ) -> None:
        self.series = series
        self.factor = factor
        self.scale = scale
        self.span = span
        self.residual_sd = residual_sd
        self.degrees_of_freedom = degrees_of_freedom
        self.row_sigma = row_sigma
        self.powers = dict(powers or {})

    def __call__(self, x: Array | float) -> Array:
        """Return y at x."""
        return chebyshev.evaluate(self.series, self.scale.t(np.asarray(x, dtype=np.float64)))

    def slope(self, x: Array | float) -> Array:
        """Return dy/dx at x."""
        t = self.scale.t(np.asarray(x, dtype=np.float64))
        return chebyshev.evaluate(chebyshev.derivative(self.series), t) / self.scale.half

    def area(self, a: float, b: float) -> float:
        """Return the exact integral from a to b."""
        t = self.scale.t(np.array([a, b], dtype=np.float64))
        ends = chebyshev.evaluate(chebyshev.antiderivative(self.series), t)
        return float(ends[1] - ends[0]) * self.scale.half

    def crossings(self, y: float, a: float, b: float) -> Array:
        """Return every x in a … b at which the polynomial takes the value y."""
        shifted = self.series.copy()
        shifted[0] -= y
        return self._roots(shifted, a, b)

    def turning_points(self, a: float, b: float) -> tuple[TurningPoint, ...]:
        """Return the tops and bottoms inside a … b."""
        slopes = chebyshev.derivative(self.series)
        bend = chebyshev.derivative(slopes)
        points = []
        for x in self._roots(slopes, a, b):
            bending = float(chebyshev.evaluate(bend, self.scale.t(np.array([x])))[0])
            if bending != 0.0:
                points.append(TurningPoint(float(x), float(self(float(x))), "top" if bending < 0 else "bottom"))
        return tuple(points)

    def mean_error(self, x: Array) -> Array:
        """Return the standard error of the curve at x."""
        if self.residual_sd is None:
            return np.full_like(x, np.nan)
        basis = chebyshev.columns(np.atleast_1d(self.scale.t(x)).ravel(), len(self.series))
        variance = np.sum((basis @ self.factor) ** 2, axis=1).reshape(x.shape)
        return np.asarray(self.residual_sd * np.sqrt(variance), dtype=np.float64)

    def slope_error(self, x: Array | float) -> Array:
        """Return the standard error of the slope at x."""
        x = np.asarray(x, dtype=np.float64)
        if self.residual_sd is None:
            return np.full_like(x, np.nan)
        rows = chebyshev.derivative(self.factor) / self.scale.half
        basis = chebyshev.columns(np.atleast_1d(self.scale.t(x)).ravel(), len(rows))
        return self.residual_sd * np.sqrt(np.sum((basis @ rows) ** 2, axis=1)).reshape(x.shape)

    def area_error(self, a: float, b: float) -> float | None:
        """Return the standard error of the area from a to b."""
        if self.residual_sd is None:
            return None
        rows = chebyshev.antiderivative(self.factor) * self.scale.half
        ends = chebyshev.columns(self.scale.t(np.array([a, b], dtype=np.float64)), len(rows))
        return self.residual_sd * float(np.linalg.norm((ends[1] - ends[0]) @ rows))

    def value_spread(self, x: float) -> Array | None:
        """Return the spread of y at x."""
        return self._spread(chebyshev.columns(np.atleast_1d(self.scale.t(np.array(x))), len(self.series))[0])

    def slope_spread(self, x: float) -> Array | None:
        """Return the spread of the slope at x."""
        if self.residual_sd is None:
            return None
        rows = chebyshev.derivative(self.factor) / self.scale.half
        basis = chebyshev.columns(np.atleast_1d(self.scale.t(np.array(x))), len(rows))[0]
        return np.asarray(self.residual_sd * (basis @ rows), dtype=np.float64)

    def area_spread(self, a: float, b: float) -> Array | None:
        """Return the spread of the area from a to b."""
        if self.residual_sd is None:
            return None
        rows = chebyshev.antiderivative(self.factor) * self.scale.half
        ends = chebyshev.columns(self.scale.t(np.array([a, b], dtype=np.float64)), len(rows))
        return np.asarray(self.residual_sd * ((ends[1] - ends[0]) @ rows), dtype=np.float64)

    def coefficient_spread(self, name: str) -> Array | None:
        """Return the spread of the coefficient ``a2`` of x² and the like."""
        power = self.powers[name]
        table, down = chebyshev.as_powers(self.scale, len(self.series))
        return self._spread(
            np.array([dyadic.rounded(row[power], down) if power < len(row) else 0.0 for row in table])
        )

    def _spread(self, weights: Array) -> Array | None:
        if self.residual_sd is None:
            return None
        return np.asarray(self.residual_sd * (weights @ self.factor), dtype=np.float64)

    def _roots(self, series: Array, a: float, b: float) -> Array:
        if not (np.isfinite(a) and np.isfinite(b)):
            raise DataError("A search for crossings needs finite limits.", Fault.UNAVAILABLE)
        ends = np.sort(np.array([a, b], dtype=np.float64))
        # The search runs on −1 … 1 in its own series where the span asked for is not the data's.
        t = self.scale.t(ends)
        values = chebyshev.real_roots(series, float(t[0]), float(t[1]))
        return np.clip(values * self.scale.half + self.scale.middle, ends[0], ends[1])
