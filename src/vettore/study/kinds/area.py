"""An area under the points of a series, or under a fit."""

from __future__ import annotations

from typing import ClassVar

from vettore.study.kinds.part import Part

# How floors that are other parts are written.
POINTS, FIT = "points:", "fit:"


class AreaRecipe(Part, frozen=True, tag="area"):
    """No limits mean the ends.

    ``floor`` is a level as a text, "ends", or a curve, see study.areas; the rule "fit" takes the area under ``curve``.
    """

    letter: ClassVar[str] = "a"

    series: str
    start: float | None = None
    end: float | None = None
    rule: str = "trapezoid"
    floor: str = "0"
    name: str = ""
    curve: str = ""

    def refers_to(self) -> tuple[str, ...]:
        """The series, the curve, and what the floor is."""
        floor = next((self.floor.removeprefix(mark) for mark in (POINTS, FIT) if self.floor.startswith(mark)), "")
        return tuple(filter(None, (self.series, self.curve, floor)))
