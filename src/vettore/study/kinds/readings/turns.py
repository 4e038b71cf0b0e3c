"""Maxima and minima of the curve over the data."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import DerivedReading, Reading, units_of


class TurnsReading(Reading, frozen=True, kw_only=True, tag="turns reading"):
    """Every place where the curve turns."""

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """Nothing is typed."""
        return [cls(curve=curve)]

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the turns."""
        curve = fit.result.curve
        turns = curve.turning_points(*curve.span)
        return DerivedReading(
            self, turns=turns, places=tuple((turn.x, turn.y) for turn in turns), unit=units_of(fit)[1]
        )
