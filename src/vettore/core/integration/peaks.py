"""Peaks of a trace: found by how far they stand out, each with its base line, height, width, area and share.

A top's prominence is its height above the higher of the two lowest points that separate it from something higher. Peaks
below a prominence of ``least`` are left out; by default that is seven times the scatter of the points, or 3 % of the
range where that is more. A peak reaches down to the lowest point between it and its neighbours, but no farther than
where the trace meets the line of its base; its base is the line between its ends.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError
from vettore.core.integration.sampled import Floor, between_edges, integrate, points_of, scatter

STANDS_OUT, SHARE_OF_RANGE = 7.0, 0.03
# A side ends where the trace has come down to this share of the peak's prominence above its foot.
FOOT = 0.005


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
        raise DataError(f"The least prominence must be above zero, but is {least:g}.")
    if len(points) < 5:
        return ()
    limit = least
    if limit is None:
        limit = max(STANDS_OUT * scatter(points, values), SHARE_OF_RANGE * float(np.ptp(values)))
    tops = _tops(values)
    found = [(top, *_prominence(values, top)) for top in tops]
    found = sorted((one for one in found if one[1] >= limit), key=lambda one: -one[1])[:most]
    found.sort()
    spans = []
    for place, (top, prominence, left, right) in enumerate(found):
        if place:
            left = max(left, found[place - 1][0] + int(np.argmin(values[found[place - 1][0] : top])))
        if place + 1 < len(found):
            right = min(right, top + int(np.argmin(values[top : found[place + 1][0]])))
        spans.append((*_feet(values, top, prominence, left, right), prominence))
    measured = [measure_peak(points, values, float(points[a]), float(points[b])) for a, b, _ in spans]
    total = sum(one.area for one in measured)
    out = []
    for one, (_, _, prominence) in zip(measured, spans, strict=True):
        share = one.area / total if total else 0.0
        out.append(replace(one, prominence=prominence, share=share))
    return tuple(out)


def measure_peak(
    x: Values, y: Values, start: float, end: float, floor: Floor = "ends", rule: str = "trapezoid"
) -> Peak:
    """Return the peak between two limits above a floor; its share is that of the whole, 1. Raises DataError.

    >>> from vettore import core
    >>> core.measure_peak(range(7), [0, 1, 4, 9, 4, 1, 0], 0, 6).area
    19.0
    """
    points, values, _, _ = points_of(x, y, None)
    start, end = min(start, end), max(start, end)
    area = integrate(points, values, rule, a=start, b=end, floor=floor)
    inside = np.flatnonzero((points >= start) & (points <= end))
    if not len(inside):
        raise DataError(f"There is no point between {start:g} and {end:g}.")
    base = between_edges(area.edges, area.floor_at_edges, points[inside])
    above = values[inside] - base
    top = int(np.argmax(above))
    position, height = _vertex(points[inside], above, top)
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


def _tops(y: Array) -> list[int]:
    """Return the places of local maxima; of a level top its middle."""
    change = np.flatnonzero(np.diff(y) != 0)
    tops = []
    starts = np.concatenate([[0], change + 1])
    ends = np.concatenate([change, [len(y) - 1]])
    levels = y[starts]
    for k in range(1, len(levels) - 1):
        if levels[k] > levels[k - 1] and levels[k] > levels[k + 1]:
            tops.append(int((starts[k] + ends[k]) // 2))
    return tops


def _prominence(y: Array, top: int) -> tuple[float, int, int]:
    """Return a top's prominence and the places of the lowest points on both sides before something higher."""
    higher_left = np.flatnonzero(y[:top] > y[top])
    first = int(higher_left[-1]) + 1 if len(higher_left) else 0
    higher_right = np.flatnonzero(y[top + 1 :] > y[top])
    last = top + 1 + int(higher_right[0]) if len(higher_right) else len(y)
    left = first + int(np.argmin(y[first : top + 1]))
    right = top + int(np.argmin(y[top:last]))
    return float(y[top] - max(y[left], y[right])), left, right


def _feet(y: Array, top: int, prominence: float, left: int, right: int) -> tuple[int, int]:
    """Return where the sides of a peak have come down to its foot."""

    def foot(side: range, lowest: float) -> int:
        for i in side:
            if y[i] <= lowest + FOOT * prominence:
                return i
        return side[-1] if len(side) else top

    return foot(range(top, left - 1, -1), float(y[left])), foot(range(top, right + 1), float(y[right]))


def _vertex(x: Array, y: Array, top: int) -> tuple[float, float]:
    """Return place and height of the parabola through a top and its neighbours."""
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
