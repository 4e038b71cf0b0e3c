"""Exact numbers n·2ᵉ, many of them over one power of two: sums and products are those of whole numbers.

Every float64 is one. Beside general fractions nothing is ever brought to its lowest terms, which is what costs.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

# The factor is 2**power.
Numbers = tuple[list[int], int]


def of_floats(values: Iterable[float]) -> Numbers:
    """Return finite floats as whole numbers over one power of two, which is 1 or less."""
    pairs = [value.as_integer_ratio() for value in values]
    power = min((1 - below.bit_length() for _, below in pairs), default=0)
    return [above << (1 - below.bit_length() - power) for above, below in pairs], power


def rounded(number: int, power: int) -> float:
    """Return the float nearest to ``number``·2**``power``; infinite beyond their range."""
    try:
        return float(number << power) if power >= 0 else number / (1 << -power)
    except OverflowError:
        return math.inf if number > 0 else -math.inf


def power_of(value: float) -> int:
    """Return the power of a float that is a power of two."""
    return math.frexp(value)[1] - 1
