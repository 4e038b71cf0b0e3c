"""A peak that was fitted, with its numbers."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from vettore.core.fitting.coefficients import Coefficient

# The numbers of each peak, by the names that it has them under.
NUMBERS = ("place", "height", "width", "area")


@dataclass(frozen=True)
class FittedPeak:
    """A peak: its numbers as coefficients, place and height of its top above the background, full width at half maximum, area.

    ``share`` is that of the area of all peaks, ``signal_to_noise`` the height beside the scatter of a row there,
    ``resolution`` that to the next peak, 1.18 times their distance over the sum of their widths; None for the last.
    ``coefficients`` are those of its formula by name.
    """

    number: int
    place: Coefficient
    height: Coefficient
    width: Coefficient
    area: Coefficient
    share: float
    signal_to_noise: float | None
    resolution: float | None
    coefficients: Mapping[str, Coefficient]
