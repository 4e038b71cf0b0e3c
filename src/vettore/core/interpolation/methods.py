"""The methods by name: what each is, what it promises, and how its pieces are built."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.interpolation import piecewise
from vettore.core.interpolation.piecewise import Pieces
from vettore.core.interpolation.slopes import local_slopes, monotone_slopes, spline_slopes


@dataclass(frozen=True)
class Method:
    """``reach`` is how many knots to each side have a say in a value (None: all); ``fewest`` points it needs."""

    key: str
    name: str
    use: str
    joins: str
    fewest: int
    reach: int | None
    build: Callable[[Array, Array, tuple[float, float]], Pieces] | None = None

    def __reduce__(self) -> tuple[Callable[[str], Method], tuple[str]]:
        """Sent or stored by its key."""
        return method_of, (self.key,)


def _nearest(x: Array, y: Array, _ends: tuple[float, float]) -> Pieces:
    # Half way between two points the one on the left counts.
    return piecewise.flat(np.concatenate([x[:1], (x[:-1] + x[1:]) / 2, x[-1:]]), y, left_open=True)


def _spline(ends: str) -> Callable[[Array, Array, tuple[float, float]], Pieces]:
    return lambda x, y, given: piecewise.hermite(x, y, spline_slopes(x, y, ends, given))


STEP = "jumps from level to level"
SMOOTH = "first and second derivative are continuous"
# Far knots lose their say in a C² spline by a factor of 3.7 for each knot between: after 30, below rounding.
SPLINE_REACH = 30

METHODS = {
    method.key: method
    for method in (
        Method(
            "previous",
            "Previous value",
            "Readings that hold until the next one: a setting, a counter.",
            STEP,
            1,
            1,
            lambda x, y, _: piecewise.flat(np.append(x, x[-1]), y),
        ),
        Method(
            "next",
            "Next value",
            "Readings that stand for the time before them.",
            STEP,
            1,
            1,
            lambda x, y, _: piecewise.flat(np.append(x[0], x), y, left_open=True),
        ),
        Method("nearest", "Nearest value", "The value of the closest point.", STEP, 1, 1, _nearest),
        Method(
            "linear",
            "Straight pieces",
            "The plain choice: no value leaves the range of its two neighbours.",
            "continuous, with corners at the points",
            2,
            1,
            lambda x, y, _: piecewise.straight(x, y),
        ),
        Method(
            "quadratic",
            "Parabola pieces",
            "Smooth curves from few points.",
            "the slope is continuous, the second derivative jumps midway between points",
            2,
            SPLINE_REACH,
            lambda x, y, _: piecewise.parabolas(x, y),
        ),
        Method(
            "cubic",
            "Cubic spline",
            "Smooth data without much noise; the first and last two pieces are one cubic (not-a-knot).",
            SMOOTH,
            2,
            SPLINE_REACH,
            _spline("cubic"),
        ),
        Method(
            "natural",
            "Natural spline",
            "Smooth data that run out straight at both ends.",
            SMOOTH,
            2,
            SPLINE_REACH,
            _spline("natural"),
        ),
        Method(
            "clamped",
            "Clamped spline",
            "Smooth data whose slope at both ends is known.",
            SMOOTH,
            2,
            SPLINE_REACH,
            _spline("clamped"),
        ),
        Method(
            "periodic",
            "Periodic spline",
            "One whole period: the end joins the beginning.",
            SMOOTH + ", also from end to beginning",
            3,
            None,
            _spline("periodic"),
        ),
        Method(
            "monotone",
            "Monotone cubic",
            "Never overshoots: rises where the points rise, and turns only at points.",
            "slope is continuous",
            2,
            3,
            lambda x, y, _: piecewise.hermite(x, y, monotone_slopes(x, y)),
        ),
        Method(
            "local",
            "Local cubic",
            "Smooth, yet a jump or an outlier is felt by its neighbours only.",
            "slope is continuous",
            2,
            4,
            lambda x, y, _: piecewise.hermite(x, y, local_slopes(x, y)),
        ),
        Method(
            "smoothing",
            "Smoothing spline",
            "Noisy data: does not pass through the points but between them.",
            SMOOTH,
            4,
            None,
        ),
        Method(
            "polynomial",
            "One polynomial",
            "A few points of a smooth function; more than about ten overshoot wildly.",
            "everything is continuous",
            1,
            None,
        ),
    )
}


def method_of(key: str) -> Method:
    """Return a method by its key."""
    return METHODS[key]
