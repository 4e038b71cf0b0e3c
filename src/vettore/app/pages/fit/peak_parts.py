"""The areas of peaks on the stage, as they were fitted or as a hand has them."""

from __future__ import annotations

from collections.abc import Mapping

from vettore.app.stage.peak_items import PeakAreas
from vettore.core.peaks.result import PeaksFit
from vettore.study.fitting.fits import DerivedFit


def draw_parts(areas: PeakAreas, fit: DerivedFit, peaks: PeaksFit, values: Mapping[str, float]) -> None:
    """Draw each peak over the background with values of the coefficients, as they were fitted or as a hand has them."""
    numbers = peaks.numbers_with(values)
    tops = {
        number: (of.place, float(peaks.background(of.place, values)) + of.height) for number, of in numbers.items()
    }
    span = float(fit.x.min()), float(fit.x.max())
    areas.set_peaks(lambda x: (peaks.background(x, values), peaks.components(x, values)), span, tuple(tops), tops)
