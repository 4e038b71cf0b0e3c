"""A curve through points as an object: values, slopes, areas, crossings, their uncertainty, and its own doubts.

Uncertainty: every method but two is linear in y, so that with the shares wⱼ(x) of the points

    var y(x) = Σⱼ wⱼ(x)² σⱼ²

exactly. Shares are found by interpolating unit vectors over the knots that have a say; for the monotone and the local
method, which are not linear, they are differences for a small step of y, and areas are those of drawn sets of points
(JCGM 101).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import cached_property
from typing import get_args

import numpy as np

from vettore.core.arithmetic import chebyshev
from vettore.core.arrays import Array, Values, as_values, check_lengths, remarks_on
from vettore.core.curve import Curve, TurningPoint
from vettore.core.errors import DataError, Fault
from vettore.core.interpolation.barycentric import Barycentric
from vettore.core.interpolation.methods import METHODS, Method
from vettore.core.interpolation.moved import Moved
from vettore.core.interpolation.piecewise import Pieces, hermite, straight
from vettore.core.interpolation.points import Outside, check_points, sorted_points
from vettore.core.interpolation.slopes import check_periodic, spline_slopes
from vettore.core.interpolation.smoothing import Smoother
from vettore.core.pauses import pause
from vettore.core.remarks import Noted, Remark, RemarkKind

OUTSIDE: tuple[Outside, ...] = get_args(Outside)
# One polynomial through more points than this has no digit left.
MOST_POINTS_OF_A_POLYNOMIAL = 100
# Points left out, one at a time, to see how well they are predicted; of more, this many evenly chosen ones.
MOST_LEFT_OUT = 400
# Places looked at between two points for the swing.
BETWEEN = 16


class Interpolant(Noted, Curve):
    """Made by ``interpolate``. ``x`` and ``y`` are the points used, sorted, equal x averaged; ``sigma`` theirs or None."""

    degrees_of_freedom = 0
    row_sigma = None

    def __init__(
        self,
        method: Method,
        x: Array,
        y: Array,
        sigma: Array | None,
        end_slopes: tuple[float, float],
        penalty: float | None,
        outside: Outside,
        remarks: tuple[Remark, ...],
        left_out: tuple[int, ...],
    ) -> None:
        self.method, self.x, self.y, self.sigma = method, x, y, sigma
        self.end_slopes, self.outside, self.remarks, self.left_out = end_slopes, outside, remarks, left_out
        self.span = (float(x[0]), float(x[-1]))
        self.ends_at_span = outside == "refuse"
        self.penalty = penalty
        self.smoother: Smoother | None = None
        self._moved = Moved(self)
        self._polynomial: Barycentric | None = None
        if method.key == "polynomial":
            self._polynomial = Barycentric(x, y) if len(x) > 1 else None
            self._series = self._polynomial.series() if self._polynomial else (y.copy(), chebyshev.Scale(x[0], 1.0))
            self.pieces = (
                straight(x, y) if len(x) > 1 else Pieces(np.append(x, x), np.array([[y[0]], [0], [0], [0.0]]))
            )
        elif method.key == "smoothing":
            self.smoother = Smoother(x, np.ones(len(x)) if sigma is None else 1 / sigma**2)
            if penalty is None:
                self.penalty = self.smoother.best_penalty(y)
            assert self.penalty is not None
            knots, level = self.smoother.curve(y, self.penalty)
            self.pieces = hermite(knots, level, spline_slopes(knots, level, "natural"))
        else:
            assert method.build is not None
            self.pieces = method.build(x, y, end_slopes)

    def __call__(self, x: Array | float) -> Array:
        """Return y at x. Raises DataError for x outside the points unless that was asked for."""
        return self.derivative(np.asarray(x, dtype=np.float64), 0)

    def slope(self, x: Array | float) -> Array:
        """Return dy/dx at x."""
        return self.derivative(np.asarray(x, dtype=np.float64), 1)

    def bend(self, x: Array | float) -> Array:
        """Return the second derivative at x."""
        return self.derivative(np.asarray(x, dtype=np.float64), 2)

    def _inner(self, x: Array, order: int) -> Array:
        if self.method.key != "polynomial":
            return self.pieces.value(x, order)
        flat = x.ravel()
        if order == 0 and self._polynomial is not None:
            return self._polynomial(flat).reshape(x.shape)
        series, scale = self._series
        for _ in range(order):
            series = chebyshev.derivative(series) / scale.half
        return chebyshev.evaluate(series, scale.t(x))

    def derivative(self, x: Array, order: int) -> Array:
        """Return the curve (``order`` 0), its slope (1) or its second derivative (2) at x."""
        low, high = self.span
        beyond = (x < low) | (x > high)
        if self.outside == "continue" or not beyond.any():
            return self._inner(x, order)
        if self.outside == "refuse":
            first = float(x[beyond].ravel()[0]) if x.ndim else float(x)
            raise DataError(
                f"x = {first:g} lies outside the points, {low:g} to {high:g}. "
                "Ask for values inside, or choose how the curve goes on outside.",
                Fault.OUTSIDE_DATA,
            )
        near = np.clip(x, low, high)
        value = self._inner(near, order)
        if self.outside == "constant":
            return value if order == 0 else np.where(beyond, 0.0, value)
        steep = self._inner(near, 1)
        if order == 0:
            return np.where(beyond, value + steep * (x - near), value)
        return np.where(beyond, steep if order == 1 else 0.0, value)

    def area(self, a: float, b: float) -> float:
        """Return the exact integral from a to b. Raises DataError outside the points unless that was asked for."""
        if not (math.isfinite(a) and math.isfinite(b)):
            raise DataError("The area of a curve through points needs finite limits.", Fault.UNAVAILABLE)
        low, high = self.span
        inside_a, inside_b = min(max(a, low), high), min(max(b, low), high)
        if (inside_a != a or inside_b != b) and self.outside != "continue":
            self.derivative(np.array([a, b]), 0)
            return self._inner_area(inside_a, inside_b) - self._outside_area(a) + self._outside_area(b)
        return self._inner_area(a, b)

    def _inner_area(self, a: float, b: float) -> float:
        if self.method.key != "polynomial":
            return self.pieces.area(a, b)
        series, scale = self._series
        ends = chebyshev.evaluate(chebyshev.antiderivative(series), scale.t(np.array([a, b])))
        return float(ends[1] - ends[0]) * scale.half

    def _outside_area(self, limit: float) -> float:
        """Return the area from the nearer end to a limit outside, 0 for one inside."""
        low, high = self.span
        near = min(max(limit, low), high)
        reach = limit - near
        if reach == 0.0:
            return 0.0
        value = float(self._inner(np.array(near), 0))
        steep = float(self._inner(np.array(near), 1)) if self.outside == "linear" else 0.0
        return value * reach + steep * reach**2 / 2

    def crossings(self, y: float, a: float, b: float) -> Array:
        """Return every x in a … b (inside the points) at which the curve takes the value y."""
        return self._roots(y, a, b, 0)

    def _roots(self, y: float, a: float, b: float, order: int) -> Array:
        low, high = max(min(a, b), self.span[0]), min(max(a, b), self.span[1])
        if low > high:
            return np.empty(0)
        if self.method.key != "polynomial":
            return self.pieces.roots(y, low, high, order)
        series, scale = self._series
        for _ in range(order):
            series = chebyshev.derivative(series) / scale.half
        series = series.copy()
        series[0] -= y
        t = scale.t(np.array([low, high]))
        values = chebyshev.real_roots(series, float(t[0]), float(t[1]))
        return np.clip(values * scale.half + scale.middle, low, high)

    def turning_points(self, a: float, b: float) -> tuple[TurningPoint, ...]:
        """Return the tops and bottoms inside a … b; of a level stretch its ends are left out."""
        points = []
        tiny = 1e-6 * (self.span[1] - self.span[0])
        for x in self._roots(0.0, a, b, 1):
            sides = np.clip(np.array([x - tiny, x + tiny]), *self.span)
            before, after = self._inner(sides, 1)
            if before > 0 > after or before < 0 < after:
                points.append(TurningPoint(float(x), float(self(float(x))), "top" if before > 0 else "bottom"))
        return tuple(points)

    # Uncertainty from that of the points.

    def mean_error(self, x: Array) -> Array:
        """Return the standard error of the curve from the ± of the points; NaN where there is none."""
        return self._moved.error(x, 0)

    def slope_error(self, x: Array | float) -> Array:
        """Return the standard error of the slope."""
        return self._moved.error(np.asarray(x, dtype=np.float64), 1)

    def area_error(self, a: float, b: float) -> float | None:
        """Return the standard error of the area from a to b; None without ± of the points or for long series."""
        return self._moved.area_error(a, b)

    def with_points(self, x: Array, y: Array, sigma: Array | None) -> Interpolant:
        """Return a curve of the same kind through other points, level at its ends."""
        return Interpolant(self.method, x, y, sigma, (0.0, 0.0), self.penalty, self.outside, (), ())

    # What the method thinks of itself.

    def get_ready(self) -> Interpolant:
        """Work out what will be asked for as soon as the curve is shown, and return it."""
        _ = self.left_out_error, self.swing, self.swelling
        self._moved.get_ready()
        return self

    @cached_property
    def left_out_error(self) -> float | None:
        """Root mean square of the misses when each inner point is left out and predicted; None for too few points."""
        n = len(self.x)
        if n < max(self.method.fewest + 1, 4):
            return None
        if self.smoother is not None and self.penalty is not None:
            if n > MOST_LEFT_OUT * 10:
                return None
            rest = np.maximum(1 - self.smoother.leverage(self.penalty), 1e-12)
            misses = (self.y - self(self.x)) / rest
            return float(np.sqrt(np.mean(misses[1:-1] ** 2)))
        return _left_out_error(self)

    @cached_property
    def swing(self) -> float:
        """The farthest that the curve goes outside the interval of two neighbouring points, between them."""
        if len(self.x) < 2:
            return 0.0
        inner = np.linspace(0, 1, BETWEEN + 2)[1:-1]
        at = self.x[:-1, None] + np.diff(self.x)[:, None] * inner
        values = self._inner(at, 0)
        top = np.maximum(self.y[:-1], self.y[1:])[:, None]
        bottom = np.minimum(self.y[:-1], self.y[1:])[:, None]
        return float(max(np.max(values - top), np.max(bottom - values), 0.0))

    @property
    def swelling(self) -> float | None:
        """How many times larger than the errors of y those of one polynomial can be; None for other methods."""
        return self._polynomial.swelling if self._polynomial is not None else None


def _left_out_error(curve: Interpolant) -> float:
    """Return the root mean square of what the method misses of inner points (at most MOST_LEFT_OUT) when each is left out."""
    n, method = len(curve.x), curve.method
    periodic = method.key == "periodic"
    places = np.arange(1, n - 1)
    if len(places) > MOST_LEFT_OUT and not periodic:
        places = np.unique(np.linspace(1, n - 2, MOST_LEFT_OUT).round().astype(np.intp))
    # A periodic curve needs its ends; others are as they are through the points about.
    reach = n if method.reach is None or periodic else method.reach + 2
    ends = (0.0, 0.0) if periodic else curve.end_slopes
    outside: Outside = "refuse" if periodic else "continue"
    misses = []
    for j in places.tolist():
        pause()
        window = np.array([i for i in range(max(j - reach, 0), min(j + reach + 1, n)) if i != j])
        without = Interpolant(method, curve.x[window], curve.y[window], None, ends, None, outside, (), ())
        misses.append(float(without(curve.x[j])) - float(curve.y[j]))
    return float(np.sqrt(np.mean(np.square(misses))))


def _chosen(method: str, outside: str, penalty: float | None) -> Method:
    """Return the method that was asked for. Raises DataError."""
    if method not in METHODS:
        raise DataError(f"There is no method “{method}”. The methods are {', '.join(METHODS)}.", Fault.NO_SUCH_CHOICE)
    if outside not in OUTSIDE:
        raise DataError(
            f"Outside the points the curve can be {', '.join(OUTSIDE)}, not “{outside}”.", Fault.NO_SUCH_CHOICE
        )
    if penalty is not None and not penalty > 0:
        raise DataError(
            f"The penalty of the smoothing spline must be above zero, but is {penalty:g}.", Fault.OUT_OF_BOUNDS
        )
    return METHODS[method]


def _check_enough(chosen: Method, x: Array, y: Array) -> None:
    """Refuse too few points for a method, too many for one polynomial, and what no method can join. Raises DataError."""
    n = len(x)
    if n < chosen.fewest:
        raise DataError(
            f"{chosen.name} needs at least {chosen.fewest} different x, but there are {n}.", Fault.TOO_FEW
        )
    if chosen.key == "polynomial" and n > MOST_POINTS_OF_A_POLYNOMIAL:
        raise DataError(
            f"One polynomial through {n} points has no digit left. Use fewer than {MOST_POINTS_OF_A_POLYNOMIAL} points, "
            "or a spline.",
            Fault.OVERFLOW,
        )
    check_points(x, y)
    if chosen.key == "periodic":
        check_periodic(y)


def interpolate(
    x: Values,
    y: Values,
    method: str = "monotone",
    *,
    sigma: Values | None = None,
    end_slopes: tuple[float, float] = (0.0, 0.0),
    penalty: float | None = None,
    outside: Outside = "refuse",
) -> Interpolant:
    """Return a curve through points (n,), in any order; rows of equal x are averaged, which is said in ``notes``.

    ``method`` is one of previous, next, nearest, linear, quadratic, cubic, natural, clamped, periodic, monotone, local,
    smoothing, polynomial. ``sigma`` (n,) are standard deviations of y. ``end_slopes`` are those of the clamped spline,
    ``penalty`` is λ of the smoothing spline (None: by likelihood and robust cross-validation). ``outside`` says what lies
    beyond the points: refuse, constant, linear or continue. Rows without a number are left out and named. Raises
    DataError.

    >>> from vettore import core
    >>> curve = core.interpolate([0, 1, 2, 3], [0.0, 1.0, 4.0, 9.0], "cubic")
    >>> curve([1.5, 2.5]).round(6).tolist()
    [2.25, 6.25]
    """
    chosen = _chosen(method, outside, penalty)
    columns: Mapping[str, Array] = {"x": as_values(x, "x"), "y": as_values(y, "y")}
    if sigma is not None:
        columns = {**columns, "sigma": as_values(sigma, "sigma")}
    check_lengths(columns)
    good = np.all([np.isfinite(column) for column in columns.values()], axis=0)
    if sigma is not None and np.any(columns["sigma"][good] <= 0):
        raise DataError("The ± of y must be above zero in every row in use.", Fault.OUT_OF_BOUNDS)
    remarks = list(remarks_on({"x": x, "y": y}))
    numbers = tuple(int(i) + 1 for i in np.flatnonzero(~good))
    if numbers:
        remarks.append(Remark(RemarkKind.POINTS_WITHOUT_NUMBER, rows=numbers))
    points_x, points_y = columns["x"][good], columns["y"][good]
    points_sigma = columns["sigma"][good] if sigma is not None else None
    points_x, points_y, points_sigma, repeated = sorted_points(points_x, points_y, points_sigma)
    if repeated:
        remarks.append(Remark(RemarkKind.REPEATS_AVERAGED, figures=(repeated,)))
    _check_enough(chosen, points_x, points_y)
    return Interpolant(
        chosen, points_x, points_y, points_sigma, end_slopes, penalty, outside, tuple(remarks), numbers
    )
