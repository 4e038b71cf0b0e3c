"""What a plot shows, free of how it is drawn: marks, lines, bands, areas and flags over an x and a y."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TypeAlias

import numpy as np

from vettore.core.arrays import Array

CURVE_POINTS = 400
# x runs over at least so many times its smallest, and half of the rows crowd in this share of the axis: logarithmic.
DECADES, CROWDED = 1000.0, 0.05

Line: TypeAlias = Callable[[Array], Array]
Band: TypeAlias = Callable[[Array], tuple[Array, Array]]
NONE = np.empty(0)


@dataclass(frozen=True, eq=False)
class Marks:
    """Rows as marks: those in use with their ±, and those set aside, which are open. ``name`` stands in the legend.

    ``leads`` are places, x and y (n,), that lines lead the rows in use to.
    """

    name: str
    x: Array
    y: Array
    error: Array | None = None
    error_x: Array | None = None
    aside_x: Array = field(default_factory=lambda: NONE)
    aside_y: Array = field(default_factory=lambda: NONE)
    leads: tuple[Array, Array] | None = None

    def not_above_zero(self, axes: Sequence[str]) -> int:
        """Return how many rows, set aside or not, are not above 0 on some of the axes "x" and "y"."""
        if not axes:
            return 0
        values = {"x": (self.x, self.aside_x), "y": (self.y, self.aside_y)}
        return sum(int(np.any([values[axis][part] <= 0 for axis in axes], axis=0).sum()) for part in (0, 1))


@dataclass(frozen=True, eq=False)
class Drawn:
    """A line over a span of x, with its band where it has one."""

    name: str
    line: Line
    span: tuple[float, float]
    band: Band | None = None


@dataclass(frozen=True, eq=False)
class Filled:
    """An area between a line and its floor; ``number`` stands over its top, ``edged`` says that the floor is a line."""

    name: str
    x: Array
    top: Array
    floor: Array
    number: str = ""
    edged: bool = True


@dataclass(frozen=True)
class Flag:
    """A number that was read, at its place."""

    words: str
    x: float
    y: float


@dataclass(frozen=True, eq=False)
class Layer:
    """What is drawn in the colours of one series; ``places`` (x, y) are fitted values where there is no line over x."""

    marks: Marks | None = None
    drawn: Drawn | None = None
    places: tuple[Array, Array] | None = None
    places_name: str = ""
    filled: tuple[Filled, ...] = ()
    flags: tuple[Flag, ...] = ()


@dataclass(frozen=True, eq=False)
class Missed:
    """By how much the rows miss the curve, (n,), and how that is called."""

    x: Array
    by: Array
    called: str


@dataclass(frozen=True, eq=False)
class Plot:
    """Layers over the same axes, with the words of these; ``missed`` is drawn below."""

    layers: tuple[Layer, ...]
    x_title: str
    y_title: str
    missed: Missed | None = None

    @property
    def crowded(self) -> bool:
        """Whether x runs over decades and most rows would crowd at one end of a straight axis."""
        marks = self.layers[0].marks
        if marks is None or not len(marks.x):
            return False
        low, high = float(np.min(marks.x)), float(np.max(marks.x))
        if not 0 < low * DECADES <= high:
            return False
        return float(np.median((marks.x - low) / (high - low))) < CROWDED

    def reaches_above_zero(self, axis: int) -> bool:
        """Whether anything is drawn above 0 along x (0) or y (1)."""
        for layer in self.layers:
            if layer.marks is not None and np.any((layer.marks.x, layer.marks.y)[axis] > 0):
                return True
            if layer.drawn is not None:
                x = spread(layer.drawn.span, "linear")
                if np.any((x if axis == 0 else layer.drawn.line(x)) > 0):
                    return True
        return False


def spread(span: tuple[float, float], scale: str) -> Array:
    """Return the places at which a line is drawn: as far apart as they can be on a scale that is "log" or "reciprocal"."""
    low, high = span
    even = np.linspace(low, high, CURVE_POINTS)
    if scale == "log" and low > 0:
        return np.geomspace(low, high, CURVE_POINTS)
    if scale == "reciprocal" and high > 0:
        first = max(low, high / DECADES)
        turned = 1 / np.linspace(1 / first, 1 / high, CURVE_POINTS)
        # The ends to the last digit, and what lies below.
        turned[0], turned[-1] = first, high
        return np.concatenate([even[even < first], turned])
    return even


def line_table(drawn: Drawn, scale: str) -> str:
    """Return a drawn line with its band as CSV, in full digits, at the places at which it is drawn on a scale of x."""
    x = spread(drawn.span, scale)
    none = np.full(len(x), np.nan)
    low, high = (none, none) if drawn.band is None else drawn.band(x)
    return as_csv(("x", "curve", "band from", "band to"), (x, drawn.line(x), low, high))


def as_csv(names: Sequence[str], columns: Sequence[Array]) -> str:
    """Return columns as CSV in full digits; what is no number is blank."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(names)
    writer.writerows([_full(value) for value in row] for row in zip(*columns, strict=True))
    return out.getvalue()


def _full(value: float) -> str:
    return repr(float(value)) if np.isfinite(value) else ""
