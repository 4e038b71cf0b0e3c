"""Ranges of the coefficients of a system: by the ± where the likelihood is a parabola, else by the likelihood itself.

With D the sum that is made least (see ``weights.py``), ν degrees of freedom and t Student's quantile, the range of θₖ holds all
values at which the least D over the other coefficients is at most D_min + rise (Bates & Watts 1988, §6.1), with

    rise = n ln(1 + t²/ν)   scatters told by the rows,      z²   known ones,      t² S_min/ν   known beside each other,

with n and ν of what the columns tell of each coefficient (see ``shares.py``).

It costs many fits. Whether it is needed is seen by two values a coefficient: along the direction in which the ± says that the
others follow, D must have risen by as much at the ends of the range.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import t_quantile
from vettore.core.fitting.search.outwards import side
from vettore.core.systems.problem import SystemProblem
from vettore.core.systems.search import NEAR, RoundEnd, descend
from vettore.core.systems.shares import ColumnShares
from vettore.core.systems.weights import deviance

Interval = tuple[float | None, float | None]
# The rise at the ends, over what the ± foretells, within which a range by the ± is as good.
STRAIGHT = (0.85, 1.18)
# Steps of the others while one coefficient keeps a value.
MOST_STEPS, FINE_ENOUGH = 25, 1e-6
# Ends of ranges, as a share of their distance from the value.
ENDS = 1e-5
# Steps outwards, each 1.6 times the last, after which a side counts as open: about 700 times the ±.
OPEN = 12


def allowed_rises(problem: SystemProblem, end: RoundEnd, shares: ColumnShares, level: float) -> Array:
    """Return by how much the sum that is made least may rise within the ranges of a level, (m,)."""
    t = np.array([t_quantile(level, float(freedom)) for freedom in shares.freedom])
    if all(part.sigma is None for part in problem.parts):
        by = np.diag(shares.covariance) / np.diag(shares.base)
        return np.asarray(shares.counted * np.log1p(t**2 * by / shares.counted))
    absolute = np.isinf(shares.freedom)
    return np.where(absolute, t**2, t**2 * end.deviance / (problem.n - len(problem.free)))


def bent(problem: SystemProblem, end: RoundEnd, covariance: Array, reaches: Array, rises: Array) -> tuple[str, ...]:
    """Return the coefficients whose ranges by the ± are not those of the likelihood; ``reaches`` are in standard errors."""
    out = []
    for place, name in enumerate(problem.free):
        error = math.sqrt(max(float(covariance[place, place]), 0.0))
        if not error > 0:
            continue
        direction = covariance[:, place] / error * reaches[place]
        for way in (-1.0, 1.0):
            p = end.p + way * direction
            within = bool(((p >= problem.low) & (p <= problem.high)).all())
            predicted = problem.predict(p, NEAR, False) if within else None
            if (
                predicted is None
                or not STRAIGHT[0] <= (deviance(problem, predicted) - end.deviance) / rises[place] <= STRAIGHT[1]
            ):
                out.append(name)
                break
    return tuple(out)


def by_likelihood(
    problem: SystemProblem, end: RoundEnd, covariance: Array, names: Sequence[str], reaches: Array, rises: Array
) -> dict[str, Interval]:
    """Return the ranges of some coefficients by the likelihood; None on a side without a bound."""
    out = {}
    for name in names:
        place = problem.free.index(name)
        along = covariance[:, place] / math.sqrt(float(covariance[place, place])) * reaches[place]
        low, high = (_side(problem, end, place, way * along, float(rises[place])) for way in (-1.0, 1.0))
        out[name] = (low, high)
    return out


def _side(problem: SystemProblem, end: RoundEnd, place: int, along: Array, rise: float) -> float | None:
    """Return one end of a range; a limit that is reached first is the end."""
    low, high = problem.low.copy(), problem.high.copy()
    pinned = replace(problem, low=low, high=high)
    step, begin = float(along[place]), np.clip(end.p + along, low, high)
    limit = float(problem.low[place] if step < 0 else problem.high[place])

    def least(value: float, begin: Array) -> tuple[float, Array]:
        if (value - limit) * step > 0:
            return math.inf, begin
        low[place] = high[place] = value
        reached = descend(pinned, begin, NEAR, MOST_STEPS, fine=FINE_ENOUGH)
        return (math.inf, begin) if reached is None else (reached.deviance, reached.p)

    return side(least, float(end.p[place]), step, begin, end.deviance, end.deviance + rise, ENDS, OPEN)
