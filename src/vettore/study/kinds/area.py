"""An area under the points of a series, or under a fit."""

from __future__ import annotations

from typing import ClassVar, Literal

from vettore.study.kinds.baselines import AnyBaseline, Level
from vettore.study.kinds.part import Part


class AreaRecipe(Part, frozen=True, tag="area"):
    """No limits mean the ends; the rule "fit" takes the area under ``curve``."""

    letter: ClassVar[str] = "a"

    series: str
    start: float | None = None
    end: float | None = None
    rule: Literal["trapezoid", "simpson", "spline", "fit"] = "trapezoid"
    baseline: AnyBaseline = Level()
    name: str = ""
    curve: str = ""

    def refers_to(self) -> tuple[str, ...]:
        """The series, the curve, and what the baseline is made from."""
        return tuple(filter(None, (self.series, self.curve, *self.baseline.refers_to())))
