"""y at an x."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

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


class ValueReading(Reading, frozen=True, kw_only=True, tag="value reading"):
    """The curve at ``at``."""

    at: float

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """One x, several, or a range."""
        return [cls(curve=curve, at=x) for x in numbers_in(text)]

    @property
    def asked_for(self) -> Improve:
        """The value."""
        return ("value", self.at)

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the value, its error and the rows beside it."""
        curve = fit.result.curve
        value = known(float(curve(self.at)))
        return DerivedReading(
            self,
            value,
            known(float(curve.standard_error(self.at))),
            places=() if value is None else ((self.at, value),),
            unit=units_of(fit)[1],
            problem=Problem.NO_VALUE if value is None else None,
            **at_x(fit, self.at),
        )

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the value with its spread."""
        if reading.value is None:
            return None
        spread = Spread(fit.result.curve.value_spread(self.at))
        return Given(reading.value, spread, powers_of({units_of(fit)[1]: 1.0}))
