"""The slope at an x."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

from vettore.core import units
from vettore.core.cells.typed import numbers_in
from vettore.core.design.next_rows import Improve
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Problem,
    Reading,
    Spread,
    at_x,
    known,
    powers_of,
    units_of,
)


class SlopeReading(Reading, frozen=True, kw_only=True, tag="slope reading"):
    """The slope of the curve at ``at``."""

    at: float

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """One x."""
        return [cls(curve=curve, at=numbers_in(text)[0])]

    @property
    def asked_for(self) -> Improve:
        """The slope."""
        return ("slope", self.at)

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the slope and its error."""
        x_unit, y_unit = units_of(fit)
        beside = at_x(fit, self.at)
        value = known(beside["slope"])
        return DerivedReading(
            self,
            value,
            beside["slope_error"],
            places=() if value is None else ((self.at, float(fit.result.curve(self.at))),),
            unit=units.quotient(y_unit, x_unit),
            problem=Problem.NO_VALUE if value is None else None,
            **beside,
        )

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the slope with its spread."""
        if reading.value is None:
            return None
        x_unit, y_unit = units_of(fit)
        spread = Spread(fit.result.curve.slope_spread(self.at))
        return Given(reading.value, spread, powers_of({y_unit: 1.0}, {x_unit: -1.0}))
