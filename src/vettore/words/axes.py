"""The figures of an axis and its title: a power of ten stands at the title and not at every figure."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vettore.core.rounding import NumberStyle

# Figures of more places than this, or of so many digits before the mark, share a power of ten.
MOST_PLACES, LARGEST = 5, 1e6
MOST_DIGITS = 9
# How far from a whole number of its last place a distance may be by rounding alone.
STEP_ROUNDED = 1e-6


def axis_figures(
    values: Sequence[float], spacing: float, ends: Sequence[float], style: NumberStyle
) -> tuple[list[str], str]:
    """Return how the values of an axis are written, and the power of ten that they share, or nothing.

    ``spacing`` is their distance, ``ends`` are those of the axis.
    """
    largest = max((abs(value) for value in (*values, *ends)), default=0.0)
    places = _places(spacing)
    power, factor = 0, ""
    if largest >= LARGEST or (largest and places > MOST_PLACES):
        power, factor = style.common([largest])
        if power == 0:
            # The figures differ too late for a common power: as many digits as tell them apart.
            return [style.number(value, min(places, MOST_DIGITS)) for value in values], ""
        places = _places(spacing / 10.0**power)
    texts = [f"{value / 10.0**power:.{places}f}" for value in values]
    return [style.plain("0" if float(text) == 0 and places == 0 else text) for text in texts], factor


def axis_title(title: str, factor: str) -> str:
    """Return a title such as "current (pA)" with the power of ten that the figures share: "current (10⁻³ pA)"."""
    if not factor:
        return title
    if title.endswith(")") and " (" in title:
        name, _, unit = title.rpartition(" (")
        return f"{name} ({factor} {unit}"
    return f"{title} ({factor})"


def _places(spacing: float) -> int:
    """Return with how many places values at a distance are written: 2 for 0.05, but 3 for 0.025."""
    if not spacing > 0:
        return 0
    places = max(0, math.ceil(-math.log10(spacing) - 1e-9))
    steps = spacing * 10.0**places
    return places if abs(steps - round(steps)) < STEP_ROUNDED * steps else places + 1
