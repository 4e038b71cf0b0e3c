"""Areas of peaks two ways: of fitted peaks, and of the points between limits; by how much they differ, and why."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from vettore.core.errors import VettoreError
from vettore.study.areas import UNDER_FIT, derive_area
from vettore.study.derive import derive_fit, is_known
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.series import Series
from vettore.study.study import Study

# They differ where they are apart by more standard errors than this, and by this share of the fitted area.
APART, SHARE = 3.0, 0.02
# Peaks overlap whose resolution is less: a cut between them gives one what is the other's.
OVERLAP = 1.5


class Why(StrEnum):
    """Why the points have another area than the peaks."""

    CUT = "a cut between peaks that overlap gives one what belongs to the other"
    FEET = "the limits cut off the feet of the peak, or the line under it lies above the background"
    MORE = "more than the peak lies over the baseline of the points"


@dataclass(frozen=True)
class TwoAreas:
    """Peaks with their tops between the limits of an area: their fitted area with its ±, that of the points, and why."""

    numbers: tuple[int, ...]
    fitted: float
    standard_error: float | None
    points: float
    why: Why | None


def two_areas(study: Study, series: Series, recipe: AreaRecipe) -> TwoAreas | None:
    """Return the fitted peaks with their tops in an area beside that of its points; ``why`` is None where both agree.

    None without a fit of peaks at hand, and for the area under a curve. Raises VettoreError where the area has none.
    """
    fit = _peaks_of(study, series)
    if fit is None or fit.peaks is None or recipe.rule == UNDER_FIT:
        return None
    area = derive_area(study, series, recipe)
    low, high = sorted((area.a, area.b))
    inside = [peak for peak in fit.peaks.peaks if low <= peak.place.value <= high]
    if not inside:
        return None
    fitted = sum(peak.area.value for peak in inside)
    errors = [peak.area.standard_error for peak in inside]
    error = None if any(each is None for each in errors) else math.hypot(*(each or 0.0 for each in errors))
    gap = area.area - fitted
    allowed = max(APART * math.hypot(error or 0.0, area.standard_error or 0.0), SHARE * abs(fitted))
    why = None
    if abs(gap) > allowed:
        edges = [fit.peaks.peaks.index(peak) for peak in (inside[0], inside[-1])]
        before = fit.peaks.peaks[edges[0] - 1].resolution if edges[0] else None
        after = inside[-1].resolution
        overlaps = any(resolution is not None and resolution < OVERLAP for resolution in (before, after))
        why = Why.CUT if overlaps else Why.FEET if gap * fitted < 0 else Why.MORE
    return TwoAreas(tuple(peak.number for peak in inside), fitted, error, area.area, why)


def differing(study: Study, series: Series) -> Iterator[TwoAreas]:
    """Return the kept areas of a series that differ from those of its fitted peaks."""
    for recipe in study.areas_of(series.id):
        try:
            both = two_areas(study, series, recipe)
        except VettoreError:
            continue
        if both is not None and both.why is not None:
            yield both


def _peaks_of(study: Study, series: Series) -> DerivedFit | None:
    """Return the first fit of peaks of a series that is at hand."""
    for curve in study.curves_of(series.id):
        if isinstance(curve, PeaksRecipe) and is_known(study, curve.id):
            try:
                return derive_fit(study, curve.id)
            except VettoreError:
                continue
    return None
