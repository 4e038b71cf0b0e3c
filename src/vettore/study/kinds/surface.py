"""How the sites of a series are filled between, and what is read from the surface."""

from __future__ import annotations

from typing import ClassVar

from vettore.core.surface.sites import Scaling
from vettore.core.surface.surface import USUAL, Method
from vettore.study.kinds.part import Part

Place = tuple[float, float]


class SurfaceRecipe(Part, frozen=True, tag="surface"):
    """The surface over the sites of a series; one at most for each.

    ``x``, ``y``, ``z`` are names of columns; "" takes the usual one. ``shape`` is that of the grid, across and along.
    ``parted_at`` is the level about which two colours part (None: one ramp from low to high), ``step`` the distance of
    contours (None: what suits), ``clip`` the lowest and highest height that colours tell apart. ``section`` is its two
    ends; ``read_at`` are places at which z was read, ``outline`` a window whose mean and volume are told, ``level`` the
    height whose contour is drawn and above which volumes are told. ``fit`` is the fitted surface that is shown instead of one
    through the sites; a fit that is gone is none.
    """

    letter: ClassVar[str] = "h"

    series: str
    x: str = ""
    y: str = ""
    z: str = ""
    method: Method = USUAL
    shape: tuple[int, int] = (80, 80)
    scaling: Scaling = "spans"
    parted_at: float | None = None
    step: float | None = None
    clip: tuple[float | None, float | None] = (None, None)
    section: tuple[Place, Place] | None = None
    read_at: tuple[Place, ...] = ()
    outline: tuple[Place, ...] = ()
    level: float | None = None
    fit: str = ""

    def refers_to(self) -> tuple[str, ...]:
        """It is nothing without its series."""
        return (self.series,)
