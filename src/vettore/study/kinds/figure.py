"""How a figure looks: a thing of its own in the study, made from what it is the figure of."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import msgspec

from vettore.study.kinds.part import Part

Scale = Literal["auto", "linear", "log", "reciprocal"]
Corner = Literal["none", "upper left", "upper right", "lower left", "lower right"]
Mark = Literal["disc", "square", "triangle", "diamond", "plus"]
Palette = Literal["house", "grey"]
Limits = tuple[float | None, float | None]
# What the figure of all fits, in small plots beside each other, is said to be of.
ALL_FITS = "fits"
# Widths and heights in millimetres by where a figure goes.
SIZES: dict[str, tuple[float, float]] = {
    "report": (160.0, 104.0),
    "one column": (85.0, 70.0),
    "one and a half": (120.0, 85.0),
    "two columns": (175.0, 110.0),
    "slide": (254.0, 143.0),
    "poster": (420.0, 280.0),
}
# The least and the most of sizes in millimetres, of type in points, and of what is a share of the usual.
SIDE, TYPE, SHARE = (30.0, 1200.0), (4.0, 48.0), (0.1, 10.0)
Millimetres = Annotated[float, msgspec.Meta(ge=SIDE[0], le=SIDE[1])]
Points = Annotated[float, msgspec.Meta(ge=TYPE[0], le=TYPE[1])]
Share = Annotated[float, msgspec.Meta(ge=SHARE[0], le=SHARE[1])]
Step = Annotated[float, msgspec.Meta(ge=1e-300, le=1e300)]
Colour = Annotated[str, msgspec.Meta(pattern=r"^(#[0-9A-Fa-f]{6})?$")]


class Note(msgspec.Struct, frozen=True):
    """Words on a figure with an arrow to a place: ``x``, ``y`` in data, ``at`` the words' place in shares of the plot."""

    text: str
    x: float
    y: float
    at: tuple[float, float]


class FigureRecipe(Part, frozen=True, tag="figure"):
    """The look of the figure of a part of the study, ``of``; one at most for each. Blank texts are those of the data.

    A fit, a series, a surface, a polynomial and a function have a figure, and all fits together one of small plots. A
    scale that is "auto" is logarithmic where the rows span decades of x and crowd at one end. ``x_every`` and ``y_every``
    are distances of ticks. ``mark_size`` and ``line_width`` are shares of the usual ones, ``type_size`` points.
    ``points_colour`` and ``curve_colour`` are own ones, as #rrggbb. ``legend_at`` is the corner of the legend in shares
    of the plot, where it was dragged; ``inset_at`` that of the plot that shows the x of ``inset`` larger. ``beside`` are
    fits drawn with it, ``parts`` whether each peak is, too, ``relief`` whether a surface is also shown as one,
    ``readings`` whether kept numbers stand on the plot,
    ``common`` whether plots beside each other have the same limits. What is decided on the axes of one holds for all of them.
    """

    letter: ClassVar[str] = "g"

    of: str
    title: str = ""
    x_title: str = ""
    y_title: str = ""
    x_scale: Scale = "auto"
    y_scale: Scale = "auto"
    x_limits: Limits = (None, None)
    y_limits: Limits = (None, None)
    x_every: Step | None = None
    y_every: Step | None = None
    residuals: bool = True
    band: bool = True
    error_bars: bool = True
    grid: bool = True
    readings: bool = False
    parts: bool = True
    relief: bool = True
    common: bool = False
    legend: Corner = "none"
    legend_at: tuple[float, float] | None = None
    palette: Palette = "house"
    points_colour: Colour = ""
    curve_colour: Colour = ""
    mark: Mark = "disc"
    mark_size: Share = 1.0
    line_width: Share = 1.0
    type_size: Points = 8.5
    serif: bool = False
    width: Millimetres = SIZES["report"][0]
    height: Millimetres = SIZES["report"][1]
    panel: str = ""
    notes: tuple[Note, ...] = ()
    beside: tuple[str, ...] = ()
    inset: tuple[float, float] | None = None
    inset_at: tuple[float, float] = (0.58, 0.58)

    def refers_to(self) -> tuple[str, ...]:
        """It is nothing without what it shows."""
        return () if self.of == ALL_FITS else (self.of,)
