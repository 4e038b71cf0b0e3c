"""Limits of coefficients: what may be asked, checked at the door."""

from __future__ import annotations

import math
from collections.abc import Mapping

from vettore.core.errors import DataError
from vettore.core.formula.formula import Formula

Limits = Mapping[str, tuple[float | None, float | None]]


def check_limits(read: Formula, limits: Limits | None, held: Mapping[str, float]) -> dict[str, tuple[float, float]]:
    """Return limits as pairs of numbers, ±infinity where there is none. Raises DataError."""
    out = {}
    for name, pair in (limits or {}).items():
        if name not in read.coefficients:
            raise DataError(f"Limits are given for {name}, which is no coefficient of {read}.")
        if name in held:
            raise DataError(f"{name} is held at a value, so limits have nothing to bound. Take one of them away.")
        low, high = pair
        bottom = -math.inf if low is None else float(low)
        top = math.inf if high is None else float(high)
        if math.isnan(bottom) or math.isnan(top) or not bottom < top:
            raise DataError(f"The limits of {name} are {bottom:g} and {top:g}; the lower must be below the upper.")
        if bottom > -math.inf or top < math.inf:
            out[name] = (bottom, top)
    return out
