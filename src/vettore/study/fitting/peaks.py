"""What is asked of peaks that were fitted to a series: where one more would help, and how they are told again."""

from __future__ import annotations

from vettore.core.peaks.one_more import PeakMore, peak_more
from vettore.core.peaks.peak import FittedPeak
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.remembered import MEMORY


def more_of(fit: DerivedFit) -> PeakMore | None:
    """Return where a peak more would help most; remembered with the fit."""
    peaks = fit.peaks
    if peaks is None:
        return None
    key = ("peak more", id(peaks))
    answer = MEMORY.derive(key, lambda: (peaks, peak_more(peaks)))
    return answer[1]


def expecting(recipe: AnyFit, fit: DerivedFit) -> AnyFit:
    """Return a recipe whose peaks keep the numbers that they have in a fit, wherever they are found again."""
    if fit.peaks is None or not isinstance(recipe, PeaksRecipe) or recipe.expected:
        return recipe
    return recipe.changed(expected=tuple((peak.place.value, peak.width.value) for peak in fit.peaks.peaks))


def peak_of(fit: DerivedFit, number: int) -> FittedPeak | None:
    """Return a peak by its number."""
    return next((peak for peak in (fit.peaks.peaks if fit.peaks else ()) if peak.number == number), None)
