"""Limits of coefficients: what may be asked, checked at the door."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from vettore.core.errors import DataError, Fault, a_mapping, a_number

Limits = Mapping[str, tuple[float | None, float | None]]


def check_limits(
    coefficients: Sequence[str], of: str, limits: Limits | None, held: Mapping[str, float]
) -> dict[str, tuple[float, float]]:
    """Return limits as pairs of numbers, ±infinity where there is none; ``of`` names what has the coefficients in sentences.

    Raises DataError.
    """
    out = {}
    for name, pair in a_mapping(limits, "Limits", '{"k": (0, None)}').items():
        if name not in coefficients:
            raise DataError(f"Limits are given for {name}, which is no coefficient of {of}.", Fault.NO_SUCH_NAME)
        if name in held:
            raise DataError(
                f"{name} is held at a value, so limits have nothing to bound. Take one of them away.", Fault.NO_EFFECT
            )
        if isinstance(pair, str) or not isinstance(pair, Sequence) or len(pair) != 2:
            raise DataError(f"The limits of {name} are a pair, as (0, None); {pair!r} was given.", Fault.WRONG_KIND)
        low, high = pair
        bottom = -math.inf if low is None else a_number(low, f"The lower limit of {name}")
        top = math.inf if high is None else a_number(high, f"The upper limit of {name}")
        if not bottom < top:
            raise DataError(
                f"The limits of {name} are {bottom:g} and {top:g}; the lower must be below the upper.",
                Fault.OUT_OF_BOUNDS,
            )
        if bottom > -math.inf or top < math.inf:
            out[name] = (bottom, top)
    return out
