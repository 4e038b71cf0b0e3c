"""The area under measured points between two limits, above a floor, with its standard error.

Every rule is a weighted sum of y, A = Σ wⱼ yⱼ, so that var A = Σ wⱼ² σⱼ² exactly. Where no σ is given it is estimated
from divided differences of neighbouring points for the spacing at hand, which leave out all that a cubic can follow:

    εᵢ = Σₖ vᵢₖ yᵢ₊ₖ,   vᵢₖ = 1/Πⱼ₍≠ₖ₎ (xᵢ₊ₖ − xᵢ₊ⱼ), scaled to Σₖ vᵢₖ² = 1,   σ² = mean of εᵢ²

with five points each (four in short series). The line between two neighbours, which is often taken, holds the curvature of
the curve as well and makes the ± of an area several times too large.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values, as_values, check_lengths, remarks_on
from vettore.core.errors import DataError, Fault, a_number
from vettore.core.integration.rules import REACH, RULES, pieces_of
from vettore.core.integration.weights import spline_weights
from vettore.core.interpolation.piecewise import Pieces
from vettore.core.interpolation.points import check_points, sorted_points
from vettore.core.remarks import Noted, Remark, RemarkKind
from vettore.core.telling import Tells, short

# A level, "ends" (the line between the curve's ends), spans of base through which a line is fitted, or a curve.
Floor = float | str | Sequence[tuple[float, float]] | Callable[[Array], Array]
FEWEST_FOR_SCATTER, FEWEST_FOR_SPLINE = 5, 4
# From so many points on five are compared at a time, below four.
LONG_ENOUGH = 12
ROUNDING = 1e-13


@dataclass(frozen=True, eq=False, repr=False)
class SampledArea(Noted, Tells):
    """``edges`` (k + 1,) and ``strips`` (k,) tell the area strip by strip; ``running`` (k + 1,) adds them up from a.

    ``positive`` and ``negative`` are the parts above and below the floor. ``standard_error`` is from the ± of the points
    or, with ``error_from`` "scatter", from their scatter; None when neither can tell.
    """

    area: float
    standard_error: float | None
    error_from: str
    positive: float
    negative: float
    edges: Array
    heights: Array
    strips: Array
    running: Array
    rule: str
    a: float
    b: float
    floor_at_edges: Array
    remarks: tuple[Remark, ...]

    @property
    def mean_heights(self) -> Array:
        """The mean heights of the strips above the floor at their edges, (k,)."""
        net = self.heights - self.floor_at_edges
        return np.asarray((net[:-1] + net[1:]) / 2)

    def _line(self) -> str:
        error = "" if self.standard_error is None else f" ± {self.standard_error:.2g}"
        return f"area {short(self.area)}{error} from {short(self.a)} to {short(self.b)}, {self.rule}"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        edges = {"from": self.edges[:-1].tolist(), "to": self.edges[1:].tolist()}
        return {**edges, "area": self.strips.tolist(), "running area": self.running[1:].tolist()}

    def _facts(self) -> Mapping[str, Any]:
        return {**{name: value for name, value in asdict(self).items() if name != "remarks"}, "notes": self.notes}


def _error(points: Array, values: Array, spread: Array | None, weights: Array) -> tuple[float | None, str]:
    """Return the standard error of an area and what it comes from: the ± of y, or else the scatter of the points."""
    error_from: str = "sigma"
    if spread is None and len(points) >= FEWEST_FOR_SCATTER:
        spread, error_from = np.full(len(points), scatter(points, values)), "scatter"
    if spread is None:
        return None, ""
    return float(np.sqrt(np.sum((weights * spread) ** 2))), error_from


def integrate(
    x: Values,
    y: Values,
    rule: str = "trapezoid",
    *,
    a: float | None = None,
    b: float | None = None,
    floor: Floor = 0.0,
    sigma: Values | None = None,
) -> SampledArea:
    """Return the area under points (n,) from a to b (by default their whole range) above a floor.

    Rules are trapezoid, simpson and spline; limits may lie between points, in either order. ``floor`` is a level, "ends"
    for the line between the ends, a list of (from, to) spans through whose points a line is fitted, or a function of x.
    ``sigma`` (n,) are standard deviations of y. Rows without a number are left out; equal x are averaged. Raises
    DataError.

    >>> from vettore import core
    >>> core.integrate([0, 1, 2, 4], [0.0, 1.0, 1.5, 0.5]).area
    3.75
    """
    if rule not in RULES:
        raise DataError(
            f"There is no rule “{rule}”. The rules for points are {', '.join(RULES)}.", Fault.NO_SUCH_CHOICE
        )
    points, values, spread, remarks = points_of(x, y, sigma)
    start, end = _limits(points, a, b)
    if start > end:
        return _turned(integrate(points, values, rule, a=end, b=start, floor=floor, sigma=spread), remarks)
    base, base_weights = _floor(floor, points, values, start, end)
    pieces = pieces_of(rule, points, values)
    edges = np.concatenate([[start], points[(points > start) & (points < end)], [end]])
    strips = _strips(pieces, edges)
    under = _under_floor(base, floor, edges)
    net = strips - under
    heights = pieces.value(edges)
    weights = area_weights(rule, points, start, end) - base_weights
    error, error_from = _error(points, values, spread, weights)
    positive = _positive_part(pieces, base, floor, edges, net)
    total = float(math.fsum(net))
    # What differs in the rounding of the strips alone is all above, or all below.
    rounding = ROUNDING * math.fsum(np.abs(net))
    positive = total if abs(total - positive) <= rounding else 0.0 if abs(positive) <= rounding else positive
    running = np.concatenate([[0.0], np.cumsum(net)])
    above_and_below = (positive, min(total - positive, 0.0))
    drawn = (edges, heights, net, running)
    return SampledArea(total, error, error_from, *above_and_below, *drawn, rule, start, end, base(edges), remarks)


def _limits(points: Array, a: float | None, b: float | None) -> tuple[float, float]:
    """Return the limits, by default the ends of the points. Raises DataError for one outside them."""
    low, high = float(points[0]), float(points[-1])
    start = low if a is None else a_number(a, "The lower limit")
    end = high if b is None else a_number(b, "The upper limit")
    for limit in (start, end):
        if not low <= limit <= high:
            raise DataError(
                f"The limit {limit:g} lies outside the points, {low:g} to {high:g}. Nothing is known there.",
                Fault.OUTSIDE_DATA,
            )
    return start, end


def _turned(area: SampledArea, remarks: tuple[Remark, ...]) -> SampledArea:
    """Return an area with its limits the other way round."""
    strips = -area.strips[::-1]
    return SampledArea(
        -area.area,
        area.standard_error,
        area.error_from,
        -area.positive,
        -area.negative,
        area.edges[::-1],
        area.heights[::-1],
        strips,
        np.concatenate([[0.0], np.cumsum(strips)]),
        area.rule,
        area.b,
        area.a,
        area.floor_at_edges[::-1],
        remarks,
    )


def points_of(x: Values, y: Values, sigma: Values | None) -> tuple[Array, Array, Array | None, tuple[Remark, ...]]:
    """Return x, y and σ of the points in use by rising x, and what is to be said of the others. Raises DataError."""
    columns = {"x": as_values(x, "x"), "y": as_values(y, "y")}
    if sigma is not None:
        columns["sigma"] = as_values(sigma, "sigma")
    check_lengths(columns)
    good = np.all([np.isfinite(column) for column in columns.values()], axis=0)
    remarks = list(remarks_on({"x": x, "y": y}))
    if not good.all():
        remarks.append(Remark(RemarkKind.POINTS_WITHOUT_NUMBER, rows=tuple((np.flatnonzero(~good) + 1).tolist())))
    spread = columns["sigma"][good] if sigma is not None else None
    points, values, spread, repeated = sorted_points(columns["x"][good], columns["y"][good], spread)
    if repeated:
        remarks.append(Remark(RemarkKind.REPEATS_AVERAGED, figures=(repeated,)))
    if len(points) < 2:
        raise DataError(
            f"An area needs at least two different x, but there {'is one' if len(points) else 'are none'}.",
            Fault.TOO_FEW,
        )
    check_points(points, values)
    return points, values, spread, tuple(remarks)


def _strips(pieces: Pieces, edges: Array) -> Array:
    """Return the area between neighbouring edges, each inside one piece."""
    middles = (edges[1:] + edges[:-1]) / 2
    where = pieces.places(middles)
    powers = pieces.powers[:, where]
    left, right = edges[:-1] - pieces.breaks[where], edges[1:] - pieces.breaks[where]

    def upto(u: Array) -> Array:
        return np.asarray((((powers[3] / 4 * u + powers[2] / 3) * u + powers[1] / 2) * u + powers[0]) * u)

    return upto(right) - upto(left)


def _floor(floor: Floor, x: Array, y: Array, a: float, b: float) -> tuple[Callable[[Array], Array], Array]:
    """Return the floor as a function, and the weights with which its area depends on y."""
    none = np.zeros(len(x))
    if isinstance(floor, str):
        if floor != "ends":
            raise DataError(
                f"There is no baseline “{floor}”. Give a level, “ends”, spans of base, or a curve.",
                Fault.NO_SUCH_CHOICE,
            )
        shares = np.array([_linear_shares(x, limit) for limit in (a, b)])
        levels = shares @ y
        slope = (levels[1] - levels[0]) / (b - a) if b > a else 0.0
        return (lambda at: levels[0] + slope * (at - a)), shares.sum(axis=0) * (b - a) / 2
    if isinstance(floor, (int, float)):
        level = float(floor)
        return (lambda at: np.full(np.shape(at), level)), none
    if callable(floor):
        return (lambda at: np.asarray(floor(at), dtype=np.float64)), none
    inside = np.zeros(len(x), dtype=np.bool_)
    for low, high in floor:
        inside |= (x >= min(low, high)) & (x <= max(low, high))
    if inside.sum() < 2:
        raise DataError(
            "The spans of base hold fewer than two points; a line needs two. Make them wider.", Fault.TOO_FEW
        )
    t, z = x[inside], y[inside]
    middle = float(t.mean())
    squares = float(np.sum((t - middle) ** 2))
    slope, level = float(np.sum((t - middle) * (z - z.mean()))) / squares, float(z.mean())
    weights = none.copy()
    weights[inside] = (b - a) * (1 / len(t) + (t - middle) * ((a + b) / 2 - middle) / squares)
    return (lambda at: level + slope * (at - middle)), weights


def _under_floor(base: Callable[[Array], Array], floor: Floor, edges: Array) -> Array:
    """Return the area under the floor in every strip: exact for lines, by Gauss–Legendre of 5 points for curves."""
    size = np.diff(edges)
    if not callable(floor):
        at = base(edges)
        return np.asarray((at[1:] + at[:-1]) / 2 * size)
    nodes = np.array([-0.906179845938664, -0.5384693101056831, 0.0, 0.5384693101056831, 0.906179845938664])
    shares = np.array([0.23692688505618908, 0.47862867049936647, 0.5688888888888889])
    shares = np.concatenate([shares, shares[1::-1]])
    middles = (edges[1:] + edges[:-1]) / 2
    at = middles[:, None] + size[:, None] / 2 * nodes
    return np.asarray(base(at.ravel()).reshape(at.shape) @ shares * size / 2)


def _positive_part(pieces: Pieces, base: Callable[[Array], Array], floor: Floor, edges: Array, net: Array) -> float:
    """Return the area above the floor: strips are split where the curve crosses it."""
    if callable(floor):
        # Signs are told at the middles of finer strips.
        fine = np.unique(np.concatenate([np.linspace(item, two, 9) for item, two in itertools.pairwise(edges)]))
        parts = _strips(pieces, fine) - _under_floor(base, floor, fine)
        return float(np.sum(parts[parts > 0]))
    ends = np.array([edges[0], edges[-1]])
    levels = base(ends)
    slope = (levels[1] - levels[0]) / (ends[1] - ends[0]) if ends[1] > ends[0] else 0.0
    powers = pieces.powers.copy()
    powers[0] -= levels[0] + slope * (pieces.breaks[:-1] - ends[0])
    powers[1] -= slope
    above = Pieces(pieces.breaks, powers)
    corners = above.roots(0.0, float(ends[0]), float(ends[1]))
    if not len(corners):
        return math.fsum(net[net > 0])
    fine = np.unique(np.concatenate([edges, corners]))
    parts = _strips(above, fine)
    return float(np.sum(parts[parts > 0]))


def between_edges(edges: Array, levels: Array, at: Array) -> Array:
    """Return levels given at rising edges at places among them, along straight lines."""
    where = np.clip(np.searchsorted(edges, at, side="right") - 1, 0, len(edges) - 2)
    width = edges[where + 1] - edges[where]
    part = np.where(width > 0, (at - edges[where]) / np.where(width > 0, width, 1.0), 0.0)
    return np.asarray(levels[where] + part * (levels[where + 1] - levels[where]))


def _linear_shares(x: Array, at: float) -> Array:
    """Return what each point adds to the straight pieces at a place."""
    shares = np.zeros(len(x))
    i = int(np.clip(np.searchsorted(x, at, side="right") - 1, 0, len(x) - 2))
    part = (at - x[i]) / (x[i + 1] - x[i])
    shares[i], shares[i + 1] = 1 - part, part
    return shares


def area_weights(rule: str, x: Array, a: float, b: float) -> Array:
    """Return w (n,) with area = Σ w y, but for a spline from combs of unit vectors too far apart to feel each other."""
    n = len(x)
    if rule == "spline" and n >= FEWEST_FOR_SPLINE:
        return spline_weights(x, a, b)
    reach = REACH[rule]
    spacing = min(2 * reach + 2, n)
    edges = np.concatenate([[a], x[(x > a) & (x < b)], [b]])
    middles = (edges[1:] + edges[:-1]) / 2
    left = np.clip(np.searchsorted(x, middles, side="right") - 1, 0, n - 2)
    weights = np.zeros(n)
    for first in range(spacing):
        teeth = np.arange(first, n, spacing)
        y = np.zeros(n)
        y[teeth] = 1.0
        strips = _strips(pieces_of(rule, x, y), edges)
        nearest = np.clip(np.searchsorted(teeth, left + 0.5), 0, len(teeth) - 1)
        before = np.clip(nearest - 1, 0, len(teeth) - 1)
        closer = np.where(np.abs(teeth[before] - left - 0.5) < np.abs(teeth[nearest] - left - 0.5), before, nearest)
        weights += np.bincount(teeth[closer], strips, n)
    return weights


def scatter(x: Array, y: Array) -> float:
    """Return the standard deviation of y as told by divided differences of neighbouring points."""
    n = len(x)
    order = 4 if n >= LONG_ENOUGH else min(3, n - 2)
    count = n - order
    windows = np.stack([x[k : k + count] for k in range(order + 1)])
    # Beside the width of the window, so that no product leaves the range of numbers.
    width = windows[-1] - windows[0]
    weights = np.ones((order + 1, count))
    for k in range(order + 1):
        for j in range(order + 1):
            if j != k:
                weights[k] *= width / (windows[k] - windows[j])
    weights /= np.sqrt(np.sum(weights**2, axis=0))
    miss = np.sum(weights * np.stack([y[k : k + count] for k in range(order + 1)]), axis=0)
    return float(np.sqrt(np.mean(miss**2)))
