"""The x that belongs to a y: read back off a curve, with what the curve and a measured y leave open (inverse prediction).

A y that was measured scatters as the rows do: with s the standard deviation of one measurement there, m measurements averaged
and u(x) the standard error of the curve f, to first order

    var x = (s²/m + u(x)²) / f′(x)².

The interval is not x ± t·that, which is wrong where the curve is nearly level, but all x that the y does not speak against,

    |f(x) − y| ≤ t·√(s(x)²/m + u(x)²),

as far as they hang together with the place where f(x) = y. For a straight line with even scatter this is Fieller's interval
(Fieller 1954; Draper & Smith 1998, §3.2). Near a flat end of a curve it may be open on one side, or on both. A y that is a
number and no measurement (a threshold, an agreed level) is *exact*: s = 0.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, Protocol

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import t_quantile

# Steps from the place outwards, each longer than the last, and the first as a share of its standard error.
STEPS, FIRST_STEP = 240, 1 / 64
# An end is closed in upon by so many places at once, in rounds that leave its last digit.
CUTS, ROUNDS = 64, 9

# The standard deviation of one measurement of y at x (n,).
Scatter = Callable[[Array], Array]


class Readable(Protocol):
    """What is needed of a curve to read off it."""

    degrees_of_freedom: float

    def __call__(self, x: Any) -> Any:
        """Return y at x."""

    def slope(self, x: Any) -> Any:
        """Return the slope at x."""

    def standard_error(self, x: Any) -> Any:
        """Return the standard error of the curve at x."""

    def value_spread(self, x: float) -> Array | None:
        """Return the spread of y at x (m,), whose square is its variance."""


def error_of(curve: Readable, x: float, own: float) -> float | None:
    """Return the standard error of an x read back from a y that scatters by ``own``; None where the curve is level."""
    slope, error = abs(float(curve.slope(x))), float(curve.standard_error(x))
    if not slope > 0 or not math.isfinite(error) or not math.isfinite(own):
        return None
    return math.hypot(error, own) / slope


def spread_of(curve: Readable, x: float, variance: float) -> tuple[Array | None, float]:
    """Return how an x read back varies: with the curve (m,), and by itself as a y of this variance does (a variance).

    None where the curve does not tell how it varies, or is level; then the variance of a measured y is unknown, too.
    """
    slope, shared = float(curve.slope(x)), curve.value_spread(x)
    if not slope:
        return None, math.nan if variance else 0.0
    return None if shared is None else -shared / slope, variance / slope**2


def interval_of(
    curve: Readable,
    x: float,
    y: float,
    scatter: Scatter | None,
    replicates: int,
    level: float,
    span: tuple[float, float],
    error: float | None,
) -> tuple[float | None, float | None]:
    """Return (low, high) of the x that a measured y does not speak against, within ``span``; None for an end that is open."""
    if curve.degrees_of_freedom < 1:
        return None, None
    reach = t_quantile(level, curve.degrees_of_freedom)

    def speaks_against(at: Array) -> Array:
        with np.errstate(all="ignore"):
            own = 0.0 if scatter is None else scatter(at) / math.sqrt(replicates)
            # Where the curve has no value nothing can be said for an x.
            return np.abs(curve(at) - y) - reach * np.hypot(curve.standard_error(at), own)

    ends = []
    for side in (-1.0, 1.0):
        room = (x - span[0]) if side < 0 else (span[1] - x)
        ends.append(_end(speaks_against, x, side, room, error))
    return ends[0], ends[1]


def _end(against: Callable[[Array], Array], x: float, side: float, room: float, error: float | None) -> float | None:
    """Return the nearest x on a side that is spoken against, to the last digit; None where there is none."""
    if not room > 0:
        return None
    first = FIRST_STEP * error if error is not None and math.isfinite(error) and error > 0 else 1e-6 * room
    first = min(first, room / 2)
    steps = np.geomspace(first, room, STEPS)
    values = against(x + side * steps)
    if math.isnan(float(against(np.array([x]))[0])):
        return None
    known = np.isfinite(values)
    out = np.flatnonzero(known & (values > 0))
    gaps = np.flatnonzero(~known)
    if not len(out) or (len(gaps) and gaps[0] < out[0]):
        return None
    inner = 0.0 if out[0] == 0 else float(steps[out[0] - 1])
    outer = float(steps[out[0]])
    for _ in range(ROUNDS):
        # Many places at once take hardly longer than one.
        between = np.linspace(inner, outer, CUTS + 1)
        first = int(np.argmax(against(x + side * between[1:]) > 0))
        inner, outer = float(between[first]), float(between[first + 1])
    return x + side * outer
