"""The area under the curve between two x."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

import numpy as np

from vettore.core import units
from vettore.core.cells.typed import limits_in
from vettore.core.design.next_rows import Improve
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Problem,
    Reading,
    Spread,
    known,
    powers_of,
    units_of,
)


class AreaReading(Reading, frozen=True, kw_only=True, tag="area reading"):
    """The area under the curve from ``at`` to ``to``."""

    at: float
    to: float

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """Two x, as 10 … 60."""
        low, high = limits_in(text)
        return [cls(curve=curve, at=low, to=high)]

    @property
    def asked_for(self) -> Improve:
        """The area."""
        return ("area", self.at, self.to)

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the area and its error."""
        curve, (x_unit, y_unit) = fit.result.curve, units_of(fit)
        with np.errstate(all="ignore"):
            value, error = known(curve.area(self.at, self.to)), curve.area_error(self.at, self.to)
        middle = (self.at + self.to) / 2
        return DerivedReading(
            self,
            value,
            error,
            places=() if value is None else ((middle, float(curve(middle))),),
            beyond=curve.is_beyond(self.at) or curve.is_beyond(self.to),
            unit=units.product(y_unit, x_unit),
            problem=Problem.NO_AREA if value is None else None,
        )

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the area with its spread."""
        if reading.value is None:
            return None
        x_unit, y_unit = units_of(fit)
        spread = Spread(fit.result.curve.area_spread(self.at, self.to))
        return Given(reading.value, spread, powers_of({y_unit: 1.0}, {x_unit: 1.0}))
