"""Standard additions: how much was in the sample before any was added.

Known amounts x are added to portions of the sample; the curve through their signals reaches 0 at −(what was in it). With a
straight line a + b·x that is a/b, with ± = (s/b)·√(1/n + ȳ²/(b²·Sxx)), which follows from the spread of the curve there.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Problem,
    Reading,
    Spread,
    powers_of,
    units_of,
)

# The curve is looked at as many spans of the data before 0: a sample may hold more than what was added to it.
SEARCH_BEFORE = 20.0


class AdditionReading(Reading, frozen=True, kw_only=True, tag="addition reading"):
    """The amount in the sample that additions were made to."""

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """Nothing needs to be typed."""
        return [cls(curve=curve)]

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the amount with its error; its place is where the curve reaches 0."""
        given = self._amount(fit)
        if given is None:
            return DerivedReading(self, problem=Problem.NO_VALUE)
        amount, spread = given
        return DerivedReading(self, amount, spread.standard_error, places=((-amount, 0.0),), unit=units_of(fit)[0])

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the amount with its spread."""
        given = self._amount(fit)
        return None if given is None else Given(*given, powers_of({units_of(fit)[0]: 1.0}))

    def _amount(self, fit: DerivedFit) -> tuple[float, Spread] | None:
        curve = fit.result.curve
        low, high = curve.span
        crossings = curve.crossings_with_error(
            0.0, min(low, 0.0) - SEARCH_BEFORE * (high - low), min(high, 0.0), exact=True
        )
        if not crossings:
            return None
        # The nearest to the data: a curve that bends has others that mean nothing.
        x = max(place.x for place in crossings)
        slope, shared = float(curve.slope(x)), curve.value_spread(x)
        if shared is None or slope == 0:
            return -x, Spread(None)
        return -x, Spread(shared / slope)
