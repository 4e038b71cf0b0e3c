"""What is chosen and typed on the Surface page beside what the study keeps. Knows no widget."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

from vettore.core.rounding import read_number
from vettore.study.kinds.surface import Place


class Tool(StrEnum):
    """What dragging on the map does; the value is the word on screen."""

    SECTION = "Section"
    CHOOSE = "Choose sites"
    WINDOW = "Window"
    MOVE = "Move"


@dataclass(frozen=True)
class SurfaceState:
    """The series that is shown, the tool in hand, and the place that is read, as typed or clicked."""

    series: str = ""
    tool: Tool = Tool.SECTION
    at_x: str = ""
    at_y: str = ""
    # The section while it is being drawn.
    drawn: tuple[Place, Place] | None = None

    def on(self, series: str) -> SurfaceState:
        """Return the state once a series is chosen: another one is read anew."""
        return self if series == self.series else SurfaceState(series, self.tool)

    @property
    def place(self) -> Place | None:
        """The place that is read, when both fields hold numbers."""
        x, y = read_number(self.at_x), read_number(self.at_y)
        return None if x is None or y is None else (x, y)

    def reading(self, x: str, y: str) -> SurfaceState:
        """Return the state with another place to be read."""
        return replace(self, at_x=x.strip(), at_y=y.strip())
