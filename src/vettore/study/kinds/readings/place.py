"""Every x where y is a level, or the mean of measured signals (inverse prediction)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Self

import numpy as np

from vettore.core.curve import Crossing
from vettore.core.errors import DataError
from vettore.core.typed import numbers_in
from vettore.study.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Reading,
    Spread,
    powers_of,
    scatter_of,
    units_of,
)

# A crossing is looked for as far beyond the data as the data are wide.
SEARCH_BEYOND = 1.0


class PlaceReading(Reading, frozen=True, kw_only=True, tag="place reading"):
    """Every x where y is ``at``; measured ``signals`` are averaged instead, and their scatter counts."""

    at: float
    signals: tuple[float, ...] = ()

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """A level, or several measured signals."""
        signals = numbers_in(text)
        return [cls(curve=curve, at=float(np.mean(signals)), signals=tuple(signals) if len(signals) > 1 else ())]

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the crossings, each with its error."""
        curve = fit.result.curve
        low, high = curve.span
        reach = SEARCH_BEYOND * (high - low)
        level = float(np.mean(self.signals)) if self.signals else self.at
        crossings = curve.crossings_with_error(level, low - reach, high + reach)
        scatter = scatter_of(fit, level)
        single = _with_scatter(fit, crossings[0], scatter, 1) if len(crossings) == 1 and not self.signals else None
        if self.signals:
            count = len(self.signals)
            crossings = tuple(
                replace(place, standard_error=_with_scatter(fit, place, scatter, count)) for place in crossings
            )
        return DerivedReading(
            self,
            crossings=crossings,
            places=tuple((place.x, self.at) for place in crossings),
            beyond=bool(crossings) and all(curve.is_beyond(place.x) for place in crossings),
            unit=units_of(fit)[0],
            single=single,
        )

    def number(self, fit: DerivedFit, said: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the x, if there is one only. Raises DataError where the ± of signals is not known."""
        if len(said.crossings) != 1:
            return None
        x, curve = said.crossings[0].x, fit.result.curve
        slope, shared, own = float(curve.slope(x)), curve.value_spread(x), 0.0
        if self.signals:
            scatter = scatter_of(fit, float(np.mean(self.signals)))
            if scatter is None:
                raise DataError(
                    f"The ± of the signals of {self.name} is not known, since each row has a ± of its own."
                )
            own = scatter**2 / len(self.signals) / slope**2
        return Given(x, Spread(None if shared is None else -shared / slope, own), powers_of({units_of(fit)[0]: 1.0}))


def _with_scatter(fit: DerivedFit, place: Crossing, scatter: float | None, signals: int) -> float | None:
    """Add the scatter of the mean of measured signals: var x = (s²/m + var f(x)) / f′(x)² (inverse prediction)."""
    slope = float(fit.result.curve.slope(place.x))
    if place.standard_error is None or scatter is None or slope == 0:
        return None
    return math.hypot(place.standard_error, scatter / math.sqrt(signals) / slope)
