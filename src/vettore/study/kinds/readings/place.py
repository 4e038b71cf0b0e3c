"""Every x where y is a measured signal, or a level (inverse prediction)."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Self

import numpy as np

from vettore.core.cells.typed import measured_in, numbers_in
from vettore.core.errors import DataError, Fault
from vettore.core.inverse import spread_of
from vettore.core.rounding import read_number
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Reading,
    Spread,
    powers_of,
    units_of,
)

# A crossing is looked for as far beyond the data as the data are wide.
SEARCH_BEYOND = 1.0
# A level, a mean of measurements by their number, and a signal with a standard deviation of its own, as they are typed.
EXACTLY = re.compile(r"\s*(exactly|exact)\s+", re.IGNORECASE)
MEAN_OF = re.compile(r"(.+?)(?:\s*[×*]\s*|\s+x\s*)(\d+)\s*")


class PlaceReading(Reading, frozen=True, kw_only=True, tag="place reading"):
    """Every x where y is ``at``, a measured signal, which scatters as the rows do.

    It is the mean of ``signals``, or of as many ``times`` that it was measured; ``error`` is the standard deviation of one
    where that is known otherwise. An ``exact`` y is a level that nobody measured: it has no scatter.
    """

    at: float
    signals: tuple[float, ...] = ()
    times: int = 1
    error: float | None = None
    exact: bool = False

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """A signal; several; the mean of so many, ``4.2 × 3``; one with its ±; a level, ``exactly 4.2``."""
        level = EXACTLY.match(text)
        if level is not None:
            at = read_number(text[level.end() :])
            if at is None:
                raise DataError(f"“{text.strip()}” is no level; write it as exactly 4.2.", Fault.NOT_READABLE)
            return [cls(curve=curve, at=at, exact=True)]
        if "±" in text or "+-" in text or "+/-" in text:
            value, error, _ = measured_in(text)
            return [cls(curve=curve, at=value, error=error)]
        mean = MEAN_OF.fullmatch(text)
        at = read_number(mean[1]) if mean is not None else None
        if mean is not None and at is not None:
            if int(mean[2]) < 1:
                raise DataError(
                    f"“{text.strip()}” is a mean of no measurement; write it as 4.2 × 3.", Fault.NOT_READABLE
                )
            return [cls(curve=curve, at=at, times=int(mean[2]))]
        signals = numbers_in(text)
        return [cls(curve=curve, at=float(np.mean(signals)), signals=tuple(signals) if len(signals) > 1 else ())]

    @property
    def replicates(self) -> int:
        """How many measurements y is the mean of."""
        return len(self.signals) or self.times

    @property
    def level(self) -> float:
        """The y."""
        return float(np.mean(self.signals)) if self.signals else self.at

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the crossings, each with its error and interval."""
        curve = fit.result.curve
        low, high = curve.span
        reach = SEARCH_BEYOND * (high - low)
        crossings = curve.crossings_with_error(
            self.level,
            low - reach,
            high + reach,
            exact=self.exact,
            replicates=self.replicates,
            sigma=self.error,
            level=fit.result.level,
        )
        return DerivedReading(
            self,
            crossings=crossings,
            places=tuple((place.x, self.at) for place in crossings),
            beyond=bool(crossings) and all(curve.is_beyond(place.x) for place in crossings),
            unit=units_of(fit)[0],
            level=fit.result.level,
        )

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the x, if there is one only. Raises DataError where the ± of signals is not known."""
        if len(reading.crossings) != 1:
            return None
        x, curve = reading.crossings[0].x, fit.result.curve
        own = 0.0
        if not self.exact and (self.error is not None or curve.scatter is not None):
            own = self.error if self.error is not None else float(curve.scatter(np.array([x]))[0])  # type: ignore[misc]
        return Given(x, Spread(*spread_of(curve, x, own**2 / self.replicates)), powers_of({units_of(fit)[0]: 1.0}))
