"""Peaks of a trace: found by how far they stand out, each with its base line, height, width, area and share.

A top's prominence is its height above the higher of the two lowest points that separate it from something higher. Peaks
below a prominence of ``least`` are left out; by default that is seven times the scatter of the points, or 3 % of the
range where that is more. A peak reaches down to the lowest point between it and its neighbours, but no farther than
where the trace meets the line of its base; its base is the line between its ends.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError, Fault
from vettore.core.integration.sampled import Floor, between_edges, integrate, points_of, scatter

STANDS_OUT, SHARE_OF_RANGE = 7.0, 0.03
# A side ends where the trace has come down to this share of the peak's prominence above its foot.
FOOT = 0.005
# Of so many equal heights side by side no parabola tells the place of the top: a detector may have been at its end.
LEVEL = 3


@dataclass(frozen=True)
class Peak:
    """``start`` and ``end`` are the limits of the area; ``width`` is that at half height above the base."""

    position: float
    height: float
    prominence: float
    width: float
    start: float
    end: float
    area: float
    standard_error: float | None
    share: float


def find_peaks(x: Values, y: Values, least: float | None = None, most: int = 50) -> tuple[Peak, ...]:
    """Return the peaks of points (n,) by rising position, the ``most`` prominent ones. Raises DataError.

    >>> from vettore import core
    >>> y = [0, 1, 4, 9, 4, 1, 0, 0, 2, 5, 2, 0]
    >>> [peak.position for peak in core.find_peaks(range(12), y, least=2.0)]
    [3.0, 9.0]
    """
    points, values, _, _ = points_of(x, y, None)
    if least is not None and not least > 0:
        raise DataError(f"The least prominence must be above zero, but is {least:g}.", Fault.OUT_OF_BOUNDS)
    if len(points) < 5:
        return ()
    spread = scatter(points, values)
    limit = least
    if limit is None:
        limit = max(STANDS_OUT * spread, SHARE_OF_RANGE * float(np.ptp(values)))
    parts = sorted((facts for facts in _standing(values) if facts[1] >= limit), key=lambda item: -item[1])[:most]
    parts.sort()
    spans = []
    for place, (top, prominence, left, right) in enumerate(parts):
        if place:
            left = max(left, parts[place - 1][0] + int(np.argmin(values[parts[place - 1][0] : top])))
        if place + 1 < len(parts):
            right = min(right, top + int(np.argmin(values[top : parts[place + 1][0]])))
        spans.append((*_feet(values, top, prominence, left, right), prominence))
    measured = []
    for a, b, _ in spans:
        # Under straight lines nothing beyond the feet counts but the scatter, which is that of all points.
        part, known = slice(a, b + 1), np.full(b + 1 - a, spread) if spread > 0 else None
        measured.append(measure_peak(points[part], values[part], float(points[a]), float(points[b]), sigma=known))
    total = sum(peak.area for peak in measured)
    out = []
    for each, (_, _, prominence) in zip(measured, spans, strict=True):
        share = each.area / total if total else 0.0
        out.append(replace(each, prominence=prominence, share=share))
    return tuple(out)


def measure_peak(
    x: Values,
    y: Values,
    start: float,
    end: float,
    floor: Floor = "ends",
    rule: str = "trapezoid",
    sigma: Values | None = None,
) -> Peak:
    """Return the peak between two limits above a floor; its share is that of the whole, 1. Raises DataError.

    ``sigma`` are standard deviations of y, or else the scatter of the points tells them.

    >>> from vettore import core
    >>> core.measure_peak(range(7), [0, 1, 4, 9, 4, 1, 0], 0, 6).area
    19.0
    """
    points, values, spread, _ = points_of(x, y, sigma)
    start, end = min(start, end), max(start, end)
    area = integrate(points, values, rule, a=start, b=end, floor=floor, sigma=spread)
    inside = np.flatnonzero((points >= start) & (points <= end))
    if not len(inside):
        raise DataError(f"There is no point between {start:g} and {end:g}.", Fault.OUTSIDE_DATA)
    base = between_edges(area.edges, area.floor_at_edges, points[inside])
    above = values[inside] - base
    top = int(np.argmax(above))
    position, height = _vertex(points[inside], above, top, values[inside])
    return Peak(
        position,
        height,
        height,
        _width(points[inside], above, top, height),
        start,
        end,
        area.area,
        area.standard_error,
        1.0,
    )


def _standing(y: Array) -> list[tuple[int, float, int, int]]:
    """Return the place of each local maximum (of a level top its middle), its prominence, and its lowest points.

    These are the places of the lowest points on its left and its right before something higher, the first of equal ones.
    One pass from each side tells all of them.
    """
    change = np.flatnonzero(np.diff(y) != 0)
    starts, ends = np.concatenate([[0], change + 1]), np.concatenate([change, [len(y) - 1]])
    levels = y[starts]
    rises = np.diff(levels) > 0
    turns = np.concatenate([[0], np.flatnonzero(rises[1:] != rises[:-1]) + 1, [len(levels) - 1]])
    if len(turns) < 3:
        return []
    heights, lows = levels[turns].tolist(), starts[turns].tolist()
    # Turns are tops and valleys by turns; the ends of the trace are as high as something higher, but no tops.
    first_top = 0 if heights[0] > heights[1] else 1
    order = range(first_top, len(heights), 2)
    left = _lowest_before(order, heights, lows, -1)
    right = _lowest_before(reversed(order), heights, lows, 1)
    parts = []
    for k in order:
        if 0 < k < len(heights) - 1:
            top = int((starts[turns[k]] + ends[turns[k]]) // 2)
            parts.append((top, heights[k] - max(left[k][0], right[k][0]), left[k][1], right[k][1]))
    return parts


def _lowest_before(
    tops: Iterable[int], heights: Sequence[float], places: Sequence[int], valley: int
) -> dict[int, tuple[float, int]]:
    """Return the height and the place of the lowest valley between each of some tops and the last one that is higher.

    ``valley`` is the step from a top to the valley that was passed just before it.
    """
    lowest: dict[int, tuple[float, int]] = {}
    higher: list[tuple[float, float, int]] = []
    for top in tops:
        before = top + valley
        low, place = (heights[before], places[before]) if 0 <= before < len(heights) else (math.inf, -1)
        while higher and higher[-1][0] <= heights[top]:
            _, other, at = higher.pop()
            if other < low or (other == low and at < place):
                low, place = other, at
        lowest[top] = low, place
        higher.append((heights[top], low, place))
    return lowest


def _feet(y: Array, top: int, prominence: float, left: int, right: int) -> tuple[int, int]:
    """Return where the sides of a peak have come down to its foot."""

    def foot(side: range, lowest: float) -> int:
        for i in side:
            if y[i] <= lowest + FOOT * prominence:
                return i
        return side[-1] if len(side) else top

    return foot(range(top, left - 1, -1), float(y[left])), foot(range(top, right + 1), float(y[right]))


def _vertex(x: Array, y: Array, top: int, measured: Array) -> tuple[float, float]:
    """Return place and height of the parabola through a top and its neighbours; of a level one, as ``measured``, the middle."""
    other = np.flatnonzero(measured != measured[top])
    first, last = int(np.max(other[other < top], initial=-1)), int(np.min(other[other > top], initial=len(x)))
    if last - first - 1 >= LEVEL:
        return float((x[first + 1] + x[last - 1]) / 2), float((y[first + 1] + y[last - 1]) / 2)
    if not 0 < top < len(x) - 1:
        return float(x[top]), float(y[top])
    h0, h1 = x[top] - x[top - 1], x[top + 1] - x[top]
    d0, d1 = (y[top] - y[top - 1]) / h0, (y[top + 1] - y[top]) / h1
    bend = (d1 - d0) / (h0 + h1)
    if bend >= 0:
        return float(x[top]), float(y[top])
    slope = (d0 * h1 + d1 * h0) / (h0 + h1)
    shift = float(np.clip(-slope / (2 * bend), -h0, h1))
    return float(x[top] + shift), float(y[top] + slope * shift + bend * shift**2)


def _width(x: Array, y: Array, top: int, height: float) -> float:
    """Return the width at half height, by straight lines between points; a side that does not come down ends there."""
    half = height / 2
    left, right = float(x[0]), float(x[-1])
    for i in range(top, 0, -1):
        if y[i - 1] <= half < y[i]:
            left = float(x[i - 1] + (half - y[i - 1]) / (y[i] - y[i - 1]) * (x[i] - x[i - 1]))
            break
    for i in range(top, len(x) - 1):
        if y[i + 1] <= half < y[i]:
            right = float(x[i] + (y[i] - half) / (y[i] - y[i + 1]) * (x[i + 1] - x[i]))
            break
    return right - left
