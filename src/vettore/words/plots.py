"""A plot told in words, for those who hear it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle

DIGITS, MOST_READINGS = 4, 6


def plot_words(
    titles: tuple[str, str],
    x: Array,
    y: Array,
    aside: Mask,
    ends: tuple[float, float] | None,
    readings: Sequence[str],
    style: NumberStyle,
) -> str:
    """Return what a plot of points x and y (n,) shows: how many, their spans, the curve's y at its ends, the readings."""
    used = ~aside & np.isfinite(x) & np.isfinite(y)
    parts = [f"{titles[1] or 'y'} against {titles[0] or 'x'}"]
    if not len(x) and ends is None:
        return f"{parts[0]}: nothing is shown."
    if len(x):
        number = int(aside.sum())
        parts.append(counted(int(used.sum()), "point") + (f" in use, {number} set aside" if number else ""))
    if used.any():
        for name, values in zip(("x", "y"), (x[used], y[used]), strict=True):
            low, high = (style.number(float(end), DIGITS) for end in (values.min(), values.max()))
            parts.append(f"{name} from {low} to {high}")
    if ends is not None and np.isfinite(ends).all():
        way = "rises" if ends[1] > ends[0] else "falls" if ends[1] < ends[0] else "stays"
        first, last = (style.number(end, DIGITS) for end in ends)
        parts.append(f"the curve {way} from {first} at its beginning to {last} at its end")
    if readings:
        more = f" and {len(readings) - MOST_READINGS} more" if len(readings) > MOST_READINGS else ""
        parts.append(f"readings: {', '.join(readings[:MOST_READINGS])}{more}")
    return f"{parts[0]}: {'; '.join(parts[1:])}."
