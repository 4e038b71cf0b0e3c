"""The document: an immutable tree of what the user decided. An edit makes a new one."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TypeAlias, TypeVar

from vettore.core.errors import Fault, VettoreError
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.kinds.filling import Filling
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.part import Part
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.readings import Reading
from vettore.study.kinds.report import ReportRecipe
from vettore.study.series import Series

AnyPart: TypeAlias = Part | Series
Kind = TypeVar("Kind", bound=AnyPart)
REPORT = "report"


@dataclass(frozen=True, eq=False)
class Study:
    """``parts`` in the order in which they were made; ``counter`` numbers new ones and never goes back."""

    title: str = "Untitled study"
    parts: tuple[AnyPart, ...] = ()
    counter: int = 0

    def all(self, kind: type[Kind]) -> tuple[Kind, ...]:
        """Return the parts of a kind, or of kinds derived from it, in order."""
        return tuple(part for part in self.parts if isinstance(part, kind))

    @cached_property
    def _by_id(self) -> dict[str, AnyPart]:
        return {part.id: part for part in self.parts}

    def find(self, identity: str) -> AnyPart:
        """Return a part by its id. Raises VettoreError when the study has none such."""
        if identity not in self._by_id:
            raise VettoreError(f"The study has no part “{identity}”.", Fault.NO_SUCH_NAME)
        return self._by_id[identity]

    # The parts by kind

    @cached_property
    def series(self) -> tuple[Series, ...]:
        """The series."""
        return self.all(Series)

    @cached_property
    def curves(self) -> tuple[AnyFit, ...]:
        """The fits of all kinds."""
        return tuple(part for part in self.parts if isinstance(part, AnyFit))

    @cached_property
    def readings(self) -> tuple[Reading, ...]:
        """The kept readings of all kinds."""
        return self.all(Reading)

    @cached_property
    def interpolants(self) -> tuple[InterpolantRecipe, ...]:
        """How points are joined, where that was decided."""
        return self.all(InterpolantRecipe)

    @cached_property
    def areas(self) -> tuple[AreaRecipe, ...]:
        """The kept areas."""
        return self.all(AreaRecipe)

    @cached_property
    def polynomials(self) -> tuple[PolynomialRecipe, ...]:
        """The polynomials on the shelf."""
        return self.all(PolynomialRecipe)

    @cached_property
    def equations(self) -> tuple[EquationsRecipe, ...]:
        """Several equations at once, fitted to the columns of a series."""
        return self.all(EquationsRecipe)

    @cached_property
    def fillings(self) -> tuple[Filling, ...]:
        """What says which series follow others."""
        return self.all(Filling)

    @cached_property
    def functions(self) -> tuple[FunctionRecipe, ...]:
        """The kept functions of x."""
        return self.all(FunctionRecipe)

    @cached_property
    def report(self) -> ReportRecipe:
        """What the report holds."""
        return next(iter(self.all(ReportRecipe)), ReportRecipe(id=REPORT))

    # What belongs together

    def interpolant_of(self, series: str) -> InterpolantRecipe:
        """Return how the points of a series are joined."""
        plain = InterpolantRecipe(series, id=f"i-{series}")
        return next((recipe for recipe in self.interpolants if recipe.series == series), plain)

    def areas_of(self, series: str) -> tuple[AreaRecipe, ...]:
        """Return the areas kept of a series."""
        return tuple(area for area in self.areas if area.series == series)

    def equations_of(self, series: str) -> tuple[EquationsRecipe, ...]:
        """Return the systems fitted to the columns of a series."""
        return tuple(recipe for recipe in self.equations if recipe.series == series)

    def find_series(self, identity: str) -> Series:
        """Return a series by its id. Raises VettoreError when the study has none such."""
        part = self._by_id.get(identity)
        if not isinstance(part, Series):
            raise VettoreError(f"The study has no series “{identity}”.", Fault.NO_SUCH_NAME)
        return part

    def find_curve(self, identity: str) -> AnyFit:
        """Return a curve by its id. Raises VettoreError when the study has none such."""
        part = self._by_id.get(identity)
        if not isinstance(part, AnyFit):
            raise VettoreError(f"The study has no curve “{identity}”.", Fault.NO_SUCH_NAME)
        return part

    def curves_of(self, series: str) -> tuple[AnyFit, ...]:
        """Return the curves fitted to a series."""
        return tuple(curve for curve in self.curves if curve.series == series)

    def readings_of(self, curve: str) -> tuple[Reading, ...]:
        """Return the readings kept of a curve."""
        return tuple(reading for reading in self.readings if reading.curve == curve)

    @property
    def reported_curve(self) -> AnyFit | None:
        """The fit that the report is about: the chosen one, or else the last made."""
        chosen = [curve for curve in self.curves if curve.id == self.report.curve]
        return chosen[0] if chosen else (self.curves[-1] if self.curves else None)
