"""Student's t, from ``scipy.special`` (imported when first needed: it costs a third of a second)."""

from __future__ import annotations

import math
from functools import lru_cache


@lru_cache(256)
def t_quantile(level: float, degrees_of_freedom: float) -> float:
    """Return t such that a Student variable lies in ±t with probability ``level``."""
    from scipy.special import stdtrit

    return float(stdtrit(degrees_of_freedom, 0.5 + level / 2))


def t_two_sided(t: float, degrees_of_freedom: float) -> float:
    """Return the probability of a Student variable at least as far from zero as ``t``."""
    from scipy.special import stdtr

    return min(1.0, 2.0 * float(stdtr(degrees_of_freedom, -abs(t)))) if math.isfinite(t) else 0.0
