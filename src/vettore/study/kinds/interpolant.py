"""How the points of a series are joined."""

from __future__ import annotations

from vettore.core.interpolation.points import Outside
from vettore.study.kinds.part import Part


class InterpolantRecipe(Part, frozen=True, tag="interpolant"):
    """The curve through the points of a series: its method, what that needs, and the x at which it is read.

    ``outside`` says what lies beyond the points, see core.interpolate. A series has one at most.
    """

    series: str
    method: str = "monotone"
    penalty: float | None = None
    end_slopes: tuple[float, float] = (0.0, 0.0)
    use_errors: bool = False
    read_at: tuple[float, ...] = ()
    outside: Outside = "refuse"

    def refers_to(self) -> tuple[str, ...]:
        """It is nothing without its series."""
        return (self.series,)
