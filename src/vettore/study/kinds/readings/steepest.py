"""The x at which a curve is steepest between two x.

Inside, f″(x) = 0 there, so that with v″ the spread of f″ (the derivative of that of the slope) the x has the spread
−v″/f‴. At an end of the range nothing is known of how it would vary, and it has no ±.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Self

import numpy as np

from vettore.core.arithmetic.golden import least
from vettore.core.cells.typed import limits_in
from vettore.core.curve import Curve
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

# Places looked at first, halvings after them, and the step of differences as a part of the range.
LOOKS, ROUNDS, STEP = 513, 60, 1e-4


class SteepestReading(Reading, frozen=True, kw_only=True, tag="steepest reading"):
    """The x between ``at`` and ``to`` where the slope is largest, up or down."""

    at: float
    to: float

    @classmethod
    def typed(cls, text: str, curve: str) -> list[Self]:
        """Two x, as 10 … 60."""
        low, high = sorted(limits_in(text))
        return [cls(curve=curve, at=low, to=high)]

    def derive(self, fit: DerivedFit, kept: Sequence[Reading]) -> DerivedReading:
        """Return the x with its error, and the slope there."""
        curve = fit.result.curve
        x = _steepest(curve, self.at, self.to)
        if x is None:
            return DerivedReading(self, problem=Problem.NO_VALUE)
        y = known(float(curve(x)))
        return DerivedReading(
            self,
            x,
            self._spread(curve, x).standard_error,
            places=() if y is None else ((x, y),),
            unit=units_of(fit)[0],
            **at_x(fit, x),
        )

    def number(self, fit: DerivedFit, reading: DerivedReading, kept: Sequence[Reading]) -> Given | None:
        """Return the x with its spread."""
        if reading.value is None:
            return None
        return Given(reading.value, self._spread(fit.result.curve, reading.value), powers_of({units_of(fit)[0]: 1.0}))

    def _spread(self, curve: Curve, x: float) -> Spread:
        step = STEP * (self.to - self.at)
        if min(x - self.at, self.to - x) <= step:
            return Spread(None)
        below, above = curve.slope_spread(x - step), curve.slope_spread(x + step)
        slopes = [float(curve.slope(x + way * step)) for way in (-1, 0, 1)]
        third = (slopes[0] - 2 * slopes[1] + slopes[2]) / step**2
        if below is None or above is None or third == 0:
            return Spread(None)
        return Spread(-(above - below) / (2 * step) / third)


def _steepest(curve: Curve, low: float, high: float) -> float | None:
    """Return the x of the largest slope by golden sections beside the best of many looks; None without any slope."""
    looks = np.linspace(low, high, LOOKS)
    with np.errstate(all="ignore"):
        steep = np.abs(curve.slope(looks))
    if not np.isfinite(steep).any():
        return None
    best = int(np.nanargmax(np.where(np.isfinite(steep), steep, -np.inf)))
    if best in (0, LOOKS - 1):
        return float(looks[best])
    return least(lambda x: -abs(float(curve.slope(x))), float(looks[best - 1]), float(looks[best + 1]), ROUNDS)
