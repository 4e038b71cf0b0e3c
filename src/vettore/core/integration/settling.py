"""Whether an area settles: with fewer points, and by other rules."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.integration.rules import RULES
from vettore.core.integration.sampled import Floor, SampledArea, integrate

# Every eighth, fourth and second point inside the limits is taken in turn, then all.
STEPS = (8, 4, 2, 1)


class Settling(NamedTuple):
    """The area by a rule in so many strips."""

    rule: str
    strips: int
    area: float


def settling(x: Array, y: Array, area: SampledArea, floor: Floor) -> tuple[Settling, ...]:
    """Return an area under points of rising x, shape (n,), in fewer strips first, then as it is, then by other rules.

    What cannot be worked out from so few points is left out.
    """
    inside = np.flatnonzero((x > area.a) & (x < area.b))
    out = []
    for step in STEPS:
        chosen = inside[step - 1 :: step]
        if step == 1:
            out.append(Settling(area.rule, len(chosen) + 1, area.area))
        elif len(chosen) >= 2:
            ends = np.flatnonzero(x <= area.a)[-1:], np.flatnonzero(x >= area.b)[:1]
            keep = np.unique(np.concatenate([ends[0], chosen, ends[1]]))
            try:
                coarse = integrate(x[keep], y[keep], area.rule, a=area.a, b=area.b, floor=floor)
            except VettoreError:
                continue
            out.append(Settling(area.rule, len(chosen) + 1, coarse.area))
    others = [integrate(x, y, rule, a=area.a, b=area.b, floor=floor) for rule in RULES if rule != area.rule]
    return (*out, *(Settling(other.rule, len(other.strips), other.area) for other in others))
