"""From the recipes of a study to their results. Pure functions of the study, cached by content."""

from __future__ import annotations

from vettore.core.fitting.request import Progress
from vettore.study.fitting.fits import DerivedFit, fit_series, is_at_hand
from vettore.study.kinds.readings import DerivedReading, Reading, read
from vettore.study.study import Study


def derive_fit(study: Study, curve: str, progress: Progress | None = None) -> DerivedFit:
    """Return the result of a fit. Raises DataError when its data do not allow one; see fit_series for ``progress``."""
    recipe = study.find_curve(curve)
    return fit_series(study.find_series(recipe.series), recipe, progress)


def derive_reading(study: Study, reading: Reading) -> DerivedReading:
    """Return what a reading says now."""
    return read(derive_fit(study, reading.curve), reading, study.readings_of(reading.curve))


def is_known(study: Study, curve: str) -> bool:
    """Whether the result of a fit is at hand, so that deriving it takes no time to speak of."""
    recipe = study.find_curve(curve)
    return is_at_hand(study.find_series(recipe.series), recipe)
