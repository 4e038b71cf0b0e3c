"""Student's t (normal where the freedom is infinite) and χ².

``scipy.special`` is imported when first needed: it costs a third of a second.
"""

from __future__ import annotations

import math
from functools import lru_cache


@lru_cache(256)
def t_quantile(level: float, degrees_of_freedom: float) -> float:
    """Return t such that a Student variable lies in ±t with probability ``level``."""
    from scipy.special import ndtri, stdtrit

    if math.isinf(degrees_of_freedom):
        return float(ndtri(0.5 + level / 2))
    return float(stdtrit(degrees_of_freedom, 0.5 + level / 2))


def t_two_sided(t: float, degrees_of_freedom: float) -> float:
    """Return the probability of a Student variable at least as far from zero as ``t``."""
    from scipy.special import stdtr

    if math.isinf(degrees_of_freedom):
        return math.erfc(abs(t) / math.sqrt(2))
    return min(1.0, 2.0 * float(stdtr(degrees_of_freedom, -abs(t)))) if math.isfinite(t) else 0.0


def chi_squared_above(value: float, degrees_of_freedom: int) -> float:
    """Return the probability of a χ² variable above ``value``."""
    from scipy.special import chdtrc

    return float(chdtrc(degrees_of_freedom, value))


def joint_quantile(level: float, count: int, freedom: float) -> float:
    """Return how many standard errors a region of ``count`` numbers together reaches: √(count·F)."""
    from scipy.special import chdtri, fdtri

    if math.isinf(freedom):
        return math.sqrt(float(chdtri(count, 1 - level)))
    return math.sqrt(count * float(fdtri(count, freedom, level)))
