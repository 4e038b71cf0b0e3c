"""What the user decided: recipes of curves and the report. Every number is derived from these."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from vettore.core.fitting.asked import DEFAULT_SEED
from vettore.core.interpolation.interpolant import Outside
from vettore.core.models.catalogue import CATALOGUE

PAPERS = ("A4", "Letter")
DEGREE_NAMES = ("Constant", "Straight line", "Quadratic", "Cubic", "Quartic", "Quintic")


def degree_name(degree: int) -> str:
    """Return the name of a polynomial of this degree."""
    return DEGREE_NAMES[degree] if degree < len(DEGREE_NAMES) else f"Degree {degree}"


@dataclass(frozen=True)
class FitRecipe:
    """A model fitted to a series by least squares: a polynomial of a degree, or a formula over its columns.

    ``model`` is the key of the catalogue's model that the formula came from. ``hold``, ``start`` are (name, value),
    ``limits`` (name, low, high) with None for no limit. ``span`` leaves rows with x outside it out of the fit.
    ``called`` is the name that the user gave to a formula of their own. ``errors_known`` takes the ± of y as they are
    instead of as relative weights. ``seed`` is that of the search.
    """

    id: str
    series: str
    degree: int
    intercept: bool = True
    use_errors: bool = False
    formula: str = ""
    model: str = ""
    hold: tuple[tuple[str, float], ...] = ()
    start: tuple[tuple[str, float], ...] = ()
    limits: tuple[tuple[str, float | None, float | None], ...] = ()
    loss: Literal["squares", "huber", "cauchy", "tukey"] = "squares"
    span: tuple[float, float] | None = None
    called: str = ""
    errors_known: bool = False
    seed: int = DEFAULT_SEED

    @property
    def name(self) -> str:
        """The name on screen."""
        if self.model in CATALOGUE:
            return CATALOGUE[self.model].name
        if self.formula:
            return self.called or "Formula"
        name = degree_name(self.degree)
        if name.startswith("Degree"):
            name = f"Polynomial of degree {self.degree}"
        return name if self.intercept else f"{name} through the origin"


@dataclass(frozen=True)
class InterpolantRecipe:
    """The curve through the points of a series: its method, what that needs, and the x at which it is read.

    ``outside`` says what lies beyond the points, see core.interpolate.
    """

    series: str
    method: str = "monotone"
    penalty: float | None = None
    end_slopes: tuple[float, float] = (0.0, 0.0)
    use_errors: bool = False
    read_at: tuple[float, ...] = ()
    outside: Outside = "refuse"


@dataclass(frozen=True)
class Filling:
    """A series whose values are read from the curve through the points of another, and follow it.

    One of ``every`` (a distance), ``count``, ``at`` (a list) and ``other`` (the id of a series whose x is taken) says
    at which x.
    """

    series: str
    source: str
    every: float | None = None
    count: int | None = None
    at: tuple[float, ...] = ()
    other: str = ""


@dataclass(frozen=True)
class AreaRecipe:
    """An area under the points of a series; no limits mean the ends.

    ``floor`` is a level as a text, "ends", or a curve, see study.areas; the rule "fit" takes the area under ``curve``.
    """

    id: str
    series: str
    start: float | None = None
    end: float | None = None
    rule: str = "trapezoid"
    floor: str = "0"
    name: str = ""
    curve: str = ""


@dataclass(frozen=True)
class FunctionRecipe:
    """A function of x on a range, kept without any data; a limit may be infinite."""

    id: str
    formula: str
    start: str
    end: str


@dataclass(frozen=True)
class PolynomialRecipe:
    """A polynomial on the shelf: coefficients in rising order, or those of a fit, which it then follows."""

    id: str
    name: str
    coefficients: tuple[float, ...] = (0.0,)
    fit: str = ""
    made: str = ""


@dataclass(frozen=True)
class ReportRecipe:
    """What the report holds. ``left_out`` names the sections that are switched off; ``curve`` the fit it is about."""

    title: str = ""
    note: str = ""
    curve: str = ""
    left_out: tuple[str, ...] = ("working",)
    paper: Literal["A4", "Letter"] = "A4"
    decimal_mark: Literal[".", ","] = "."
