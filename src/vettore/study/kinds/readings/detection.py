"""How little a calibration curve can tell from nothing: limits of decision, detection and quantification as x.

With s the scatter of one measurement, K measurements of a sample and u₀ the standard error of the curve at x = 0, the net
signal of a sample without any x scatters by σ₀ = √(s²/K + u₀²). Above y₀ + t·σ₀ a sample is said to hold some (wrongly in
5 % of cases), at y₀ + 2t·σ₀ it is found in 95 %, and at y₀ + 10·σ₀ it can be told how much (ISO 11843-2; Currie 1995). For a
straight line with even scatter these are the closed forms of the standard.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import ClassVar, Self

import numpy as np

from vettore.core.curve import Curve
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.details import Growing
from vettore.core.rounding import read_number
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings.base import (
    DerivedReading,
    Given,
    Problem,
    Reading,
    Spread,
    at_x,
    powers_of,
    units_of,
)

# Errors of both kinds are made in 5 %: quantiles of t that leave that much above them.
TWO_SIDED = 0.9
# Standard deviations of the blank at which an amount can be told (IUPAC).
FOR_QUANTITY = 10.0
MOST_MEASUREMENTS = 1000
# The limit is looked for as far beyond the data as the data are wide.
SEARCH_BEYOND = 1.0


class LimitReading(Reading, frozen=True, kw_only=True):
    """The x at a limit, for samples that are measured so many ``times``."""

    which: ClassVar[str] = ""

    times: int = 1

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """How often each sample is measured; once when blank."""
        count = read_number(text) if text.strip() else 1.0
        if count is None or count != int(count) or not 1 <= count <= MOST_MEASUREMENTS:
            raise DataError(f"“{text}” is no number of measurements of a sample; write 1, 2, 3 …", Fault.NOT_READABLE)
        return [cls(curve=curve, times=int(count))]

    def factor(self, quantile: float) -> float:
        """Return how many standard deviations of none the limit stands above none."""
        raise NotImplementedError

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the x of the limit with its error."""
        pair = self._limit(fit)
        if pair is None:
            return DerivedReading(self, problem=Problem.NO_VALUE)
        x, spread = pair
        return DerivedReading(
            self,
            x,
            spread.standard_error,
            places=((x, float(fit.result.curve(x))),),
            unit=units_of(fit)[0],
            # It rests on the curve at 0 as well as on that at the limit.
            **{**at_x(fit, x), "beyond": fit.result.curve.is_beyond(0.0) or fit.result.curve.is_beyond(x)},
        )

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the x with its spread."""
        pair = self._limit(fit)
        return None if pair is None else Given(pair[0], pair[1], powers_of({units_of(fit)[0]: 1.0}))

    def _limit(self, fit: DerivedFit) -> tuple[float, Spread] | None:
        curve, result = fit.result.curve, fit.result
        scatter, blank = scatter_near(fit, 0.0), float(curve(0.0))
        if scatter is None or not math.isfinite(blank):
            return None
        error = float(curve.standard_error(0.0))
        sigma = math.sqrt(scatter**2 / self.times + error**2)
        factor = self.factor(t_quantile(TWO_SIDED, result.interval_freedom))
        rising = float(np.mean(result.fitted)) >= blank
        x = _first_from_blank(curve, blank + (factor if rising else -factor) * sigma)
        if x is None:
            return None
        slope, at_limit, at_blank = float(curve.slope(x)), curve.value_spread(x), curve.value_spread(0.0)
        if at_limit is None or at_blank is None or slope == 0:
            return x, Spread(None)
        # The scatter itself is known from so many rows; the limit grows with it.
        by_scatter = 0.0 if result.absolute_sigma else x**2 / (2 * result.degrees_of_freedom)
        return x, Spread((at_blank - at_limit) / slope, by_scatter)


class DecisionReading(LimitReading, frozen=True, kw_only=True, tag="decision reading"):
    """Above it a sample is said to hold some: wrongly in 5 % of cases."""

    which: ClassVar[str] = "decision"

    def factor(self, quantile: float) -> float:
        """One quantile."""
        return quantile


class DetectionReading(LimitReading, frozen=True, kw_only=True, tag="detection reading"):
    """What is found in 95 % of cases."""

    which: ClassVar[str] = "detection"

    def factor(self, quantile: float) -> float:
        """Two quantiles: one for each kind of error."""
        return 2 * quantile


class QuantificationReading(LimitReading, frozen=True, kw_only=True, tag="quantification reading"):
    """From it on one can tell how much there is."""

    which: ClassVar[str] = "quantification"

    def factor(self, quantile: float) -> float:
        """Ten standard deviations."""
        return FOR_QUANTITY


def _first_from_blank(curve: Curve, level: float) -> float | None:
    """Return the x nearest to 0 at which a curve reaches a level, over the data and somewhat beyond."""
    low, high = min(curve.span[0], 0.0), max(curve.span[1], 0.0)
    reach = SEARCH_BEYOND * (high - low)
    crossings = curve.crossings_with_error(level, low - reach, high + reach, exact=True)
    # On the side of the data, which may lie on either side of 0.
    side = 1.0 if abs(high) >= abs(low) else -1.0
    values = [place.x for place in crossings if place.x * side >= 0]
    return min(values, key=abs, default=None)


def scatter_near(fit: DerivedFit, at: float) -> float | None:
    """Return the standard deviation of one new measurement at x: as the fit tells it, else that of the rows nearest to it."""
    curve, result = fit.result.curve, fit.result
    if curve.residual_sd is None:
        return None
    if curve.row_sigma is not None:
        return curve.residual_sd * curve.row_sigma
    if isinstance(result.details, Growing):
        return float(result.details.spread.at(np.asarray(curve(at)))) * curve.residual_sd
    if result.sigma is None:
        return None
    away = np.abs(fit.x - at)
    nearest = np.sqrt(np.mean(result.sigma[away <= away.min()] ** 2))
    return float(nearest) * (1.0 if result.absolute_sigma else curve.residual_sd)
