"""Peaks in the line-up: when a series is tried for them, which are tried beside those found, and whether any stand out."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.fits import AnyFit, as_peaks
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.series import Role, Series

# Their keys in the line-up, parted by colons: PEAKS, shape, background, number (none: as many as there are), and where the
# search begins.
PEAKS = "peaks:"
FIRST = f"{PEAKS}gaussian:slope::"
# Gaussians make up for tails by more peaks, so that these are looked for anew: last, since it takes longest.
LAST = f"{PEAKS}tailed:parabola::"
# What is not decided of peaks that are chosen in the line-up.
PLAIN: dict[str, Any] = {
    "equal_widths": False,
    "negative": False,
    "hold": (),
    "limits": (),
    "links": (),
    "expected": (),
}
# Fewer different x than this are not looked at for peaks.
LEAST_PLACES = 30
# A peak stands out where it and its flanks lie within the rows, this share of their span wide at most, above the scatter.
BROADEST, ABOVE_SCATTER = 0.4, 4.0


def may_have_peaks(series: Series) -> bool:
    """Whether a series has rows enough to be looked at for peaks."""
    x, y = series.values(Role.X), series.values(Role.Y)
    return x is not None and y is not None and len(np.unique(x[series.in_use])) >= LEAST_PLACES


def key_of(recipe: AnyFit) -> str:
    """Return the key of peaks in the line-up; empty for other fits, and for those of a formula of the user's own."""
    if not isinstance(recipe, PeaksRecipe) or ":" in recipe.shape + recipe.background:
        return ""
    count = "" if recipe.count is None else str(recipe.count)
    return PEAKS + ":".join((recipe.shape, recipe.background, count, ",".join(map(repr, recipe.places))))


def recipe_of(key: str, recipe: AnyFit) -> PeaksRecipe:
    """Return the peaks that a key stands for, with the weights and the span of a recipe."""
    shape, background, count, begun = key.removeprefix(PEAKS).split(":")
    places = tuple(map(float, begun.split(","))) if begun else ()
    number = int(count) if count else None
    return as_peaks(recipe, shape=shape, background=background, count=number, places=places, **PLAIN)


def tried_beside(first: DerivedFit | None) -> tuple[str, ...]:
    """Return the keys of what is tried beside the peaks found first: other numbers, shapes and backgrounds."""
    if first is None or first.peaks is None or not stand_out(first):
        return ()
    count = first.peaks.count
    # Six digits are enough for a beginning.
    begun = ",".join(
        repr(float(f"{peak.place:.6g}")) for peak in first.peaks.numbers_with(first.peaks.values).values()
    )
    fewer = [f"{PEAKS}gaussian:slope:{count - 1}:"] if count > 1 else []
    kinds = ("gaussian:level", "lorentzian:slope", "mixed:slope")
    return (
        *fewer,
        f"{PEAKS}gaussian:slope:{count + 1}:{begun}",
        *(f"{PEAKS}{kind}:{count}:{begun}" for kind in kinds),
    )


def stand_out(fit: DerivedFit) -> bool:
    """Whether any of the peaks lies within the rows with both flanks, well above the scatter."""
    if fit.peaks is None:
        return False
    low, high = float(fit.result.x.min()), float(fit.result.x.max())
    # Without their ranges, which take longest.
    return any(
        low + peak.width / 2 < peak.place < high - peak.width / 2
        and peak.width < BROADEST * (high - low)
        and (fit.peaks.beside_noise(peak.place, peak.height) or math.inf) > ABOVE_SCATTER
        for peak in fit.peaks.numbers_with(fit.peaks.values).values()
    )
