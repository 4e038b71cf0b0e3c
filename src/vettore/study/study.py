"""The document: an immutable tree of what the user decided. An edit makes a new one."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TypeVar

from vettore.core.errors import VettoreError
from vettore.study.kinds.readings import Reading
from vettore.study.recipes import (
    AreaRecipe,
    Filling,
    FitRecipe,
    FunctionRecipe,
    InterpolantRecipe,
    PolynomialRecipe,
    ReportRecipe,
)
from vettore.study.series import Series

Part = TypeVar("Part", Series, FitRecipe)


@dataclass(frozen=True, eq=False)
class Study:
    """Series, curves, readings and the report; ``counter`` numbers new parts and never goes back."""

    title: str = "Untitled study"
    series: tuple[Series, ...] = ()
    curves: tuple[FitRecipe, ...] = ()
    readings: tuple[Reading, ...] = ()
    report: ReportRecipe = field(default_factory=ReportRecipe)
    counter: int = 0
    interpolants: tuple[InterpolantRecipe, ...] = ()
    areas: tuple[AreaRecipe, ...] = ()
    polynomials: tuple[PolynomialRecipe, ...] = ()
    fillings: tuple[Filling, ...] = ()
    functions: tuple[FunctionRecipe, ...] = ()

    def interpolant_of(self, series: str) -> InterpolantRecipe:
        """Return how the points of a series are joined."""
        return next((one for one in self.interpolants if one.series == series), InterpolantRecipe(series))

    def areas_of(self, series: str) -> tuple[AreaRecipe, ...]:
        """Return the areas kept of a series."""
        return tuple(one for one in self.areas if one.series == series)

    def find_series(self, identity: str) -> Series:
        """Return a series by its id. Raises VettoreError when the study has none such."""
        return _find(self.series, identity, "series")

    def find_curve(self, identity: str) -> FitRecipe:
        """Return a curve by its id. Raises VettoreError when the study has none such."""
        return _find(self.curves, identity, "curve")

    def curves_of(self, series: str) -> tuple[FitRecipe, ...]:
        """Return the curves fitted to a series."""
        return tuple(curve for curve in self.curves if curve.series == series)

    def readings_of(self, curve: str) -> tuple[Reading, ...]:
        """Return the readings kept of a curve."""
        return tuple(reading for reading in self.readings if reading.curve == curve)

    @property
    def reported_curve(self) -> FitRecipe | None:
        """The fit that the report is about: the chosen one, or else the last made."""
        chosen = [curve for curve in self.curves if curve.id == self.report.curve]
        return chosen[0] if chosen else (self.curves[-1] if self.curves else None)


def _find(parts: tuple[Part, ...], identity: str, what: str) -> Part:
    for part in parts:
        if part.id == identity:
            return part
    raise VettoreError(f"The study has no {what} “{identity}”.")
