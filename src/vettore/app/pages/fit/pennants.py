"""Where readings stand on the plot, and what their pennants say."""

from __future__ import annotations

from collections.abc import Iterable

from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings import DerivedReading, Reading, read
from vettore.study.study import Study
from vettore.words.readings import pennants

# x, y, text, whether it is kept
Flag = tuple[float, float, str, bool]


class ReadingsOfFit:
    """What the kept readings of the fit that is shown say: asked once, not at every key that is typed."""

    def __init__(self) -> None:
        self._known: tuple[DerivedFit | None, tuple[Reading, ...], list[DerivedReading]] = (None, (), [])

    def of(self, study: Study, fit: DerivedFit) -> list[DerivedReading]:
        """Return what the kept readings of a fit say; a fit that is not kept has none."""
        kept = study.readings_of(fit.recipe.id) if fit.recipe.id else ()
        if self._known[0] is not fit or self._known[1] != kept:
            self._known = (fit, kept, [read(fit, reading, kept) for reading in kept])
        return self._known[2]


def flags_of(
    fit: DerivedFit, kept: Iterable[DerivedReading], present: Iterable[DerivedReading], style: NumberStyle
) -> list[Flag]:
    """Return the pennants of kept readings and of what is being read."""
    out: list[Flag] = []
    for reading, is_kept in [*((item, True) for item in kept), *((each, False) for each in present)]:
        if fit.curve is not None:
            words = pennants(fit, reading, style)
            out += [(x, y, text, is_kept) for (x, y), text in zip(reading.places, words, strict=False)]
    return out
