"""What is asked of peaks that were fitted to a series: where one more would help, and how they are told again."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from vettore.core.peaks.one_more import PeakMore, peak_more
from vettore.core.peaks.peak import FittedPeak
from vettore.core.peaks.search import MOST
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.remembered import MEMORY

# What was decided of peaks by their numbers, which others would have when one is added or taken out.
NOTHING_DECIDED: dict[str, Any] = {"hold": (), "limits": (), "links": (), "expected": ()}


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


def with_decisions(fit: DerivedFit, recipe: PeaksRecipe, values: Mapping[str, Any]) -> PeaksRecipe:
    """Return peaks of which something is held, limited or begun elsewhere: they stay as many as were fitted.

    ``values`` are those of a formula (hold, limits, start); the starts of places are where the search begins.
    """
    assert fit.peaks is not None
    given = dict(values.get("start", ()))
    given |= dict(values.get("hold", ()))
    now = {**fit.peaks.values, **given}
    places = tuple(now[names[1]] for names in fit.peaks.names)
    kept = {name: decided for name, decided in values.items() if name in ("hold", "limits")}
    return recipe.changed(count=fit.peaks.count, places=places, **kept)


def without_peak(fit: DerivedFit, number: int) -> dict[str, Any] | None:
    """Return what changes of a recipe when a peak is taken out; None for the last one."""
    if fit.peaks is None or fit.peaks.count < 2:
        return None
    places = tuple(peak.place.value for peak in fit.peaks.peaks if peak.number != number)
    return {"count": len(places), "places": places, **NOTHING_DECIDED}


def with_peak(fit: DerivedFit, x: float) -> dict[str, Any] | None:
    """Return what changes of a recipe when a peak is added at x; None where there are as many as can be."""
    if fit.peaks is None or fit.peaks.count >= MOST:
        return None
    places = (*(peak.place.value for peak in fit.peaks.peaks), x)
    return {"count": len(places), "places": places, **NOTHING_DECIDED}
