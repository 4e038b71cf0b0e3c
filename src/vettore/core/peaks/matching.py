"""Which peaks are which: those expected keep their numbers where there are peaks within their widths."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array


def numbered(places: Array, widths: Array, expected: Sequence[tuple[float, float]]) -> list[int]:
    """Return the numbers of peaks at places (k,), with widths (k,): those of the nearest expected, others after them all."""
    numbers = [0] * len(places)
    near = [
        (abs(float(places[i]) - place), i, number)
        for number, (place, width) in enumerate(expected, 1)
        for i in range(len(places))
        if abs(float(places[i]) - place) <= max(width, float(widths[i]))
    ]
    for _, i, number in sorted(near):
        if not numbers[i] and number not in numbers:
            numbers[i] = number
    free = len(expected)
    for i in np.argsort(places, kind="stable").tolist():
        if not numbers[i]:
            free += 1
            numbers[i] = free
    return numbers


def number_in(names: Sequence[str]) -> int:
    """Return the number of a peak that is in the names of its coefficients (height, place, width and extras)."""
    digits = re.search(r"\d+", names[1])
    assert digits is not None
    return int(digits.group())
