"""What an area is taken above: a level, the line between its ends, other points, a curve, spans of base, a formula."""

from __future__ import annotations

from typing import TypeAlias

import msgspec


class Baseline(msgspec.Struct, frozen=True, tag_field="by"):
    """The kinds of baselines; a new one is a class here and its entry in ``study/areas.py`` and ``words/areas.py``."""

    def refers_to(self) -> tuple[str, ...]:
        """Return the ids of the parts that the baseline is made from."""
        return ()


class Level(Baseline, frozen=True, tag="level"):
    """A level of y."""

    value: float = 0.0


class BetweenEnds(Baseline, frozen=True, tag="ends"):
    """The line between the points at the limits."""


class PointsOf(Baseline, frozen=True, tag="points"):
    """The points of another series, joined as they are on the Interpolate page."""

    series: str

    def refers_to(self) -> tuple[str, ...]:
        """The series."""
        return (self.series,)


class CurveOf(Baseline, frozen=True, tag="curve"):
    """A fitted curve."""

    curve: str

    def refers_to(self) -> tuple[str, ...]:
        """The fit."""
        return (self.curve,)


class Spans(Baseline, frozen=True, tag="spans"):
    """The line through the points in spans of x where there is nothing but base."""

    spans: tuple[tuple[float, float], ...]


class FormulaOfX(Baseline, frozen=True, tag="formula"):
    """A formula of x."""

    formula: str


AnyBaseline: TypeAlias = Level | BetweenEnds | PointsOf | CurveOf | Spans | FormulaOfX
