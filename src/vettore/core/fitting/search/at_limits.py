"""Ranges of coefficients when the answer lies at a limit: of the likelihood, with the limit in force.

At such an answer the coefficient at its limit has no standard error, and those of the others are what they would be if it were
known to have that value. It is not: it may have any value that its limits allow. With S(θₖ) the least sum of squares at a fixed
θₖ **among all values of the others inside their limits**, a range holds the θₖ with

    S(θₖ) ≤ S_min (1 + q·F/(n − m)),

S_min that of the answer, which keeps the limits, too (Bates & Watts 1988, §6.1, over the region that is allowed), and F the
quantile with q and n − m degrees of freedom. With q = 1 that would be Student's t; q counts the coefficients at limits, too,
since where they truly are is as unknown, and an answer at a limit is one that chance has pushed there. Measured in
tools/measures/limits.py. Sides may be unlike; one ends at a coefficient's own limit.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import partial

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.prepared import prepared
from vettore.core.fitting.search.levenberg import search_to_end
from vettore.core.fitting.search.outwards import side
from vettore.core.fitting.search.separable import Separable

Interval = tuple[float | None, float | None]


def ranges_at_limits(
    problem: Separable, values: Mapping[str, float], squares: float, reach: float, unit: float
) -> dict[str, Interval]:
    """Return the range of every coefficient; ``reach`` is the quantile, ``unit`` the variance of a row of weight one.

    A side that has no end is None. ``values`` are those of the answer, ``squares`` its sum.
    """
    free = problem.model.free
    alpha = np.array([values[name] for name in problem.parts.nonlinear])
    c = np.array([values[name] for name in problem.parts.linear])
    jacobian = problem.joint(alpha, c)[1].T
    sizes = np.sqrt(np.maximum(np.diag(np.linalg.pinv(jacobian.T @ jacobian)) * unit, 0.0))
    out = {}
    for name, size in zip(free, sizes.tolist(), strict=True):
        step = max(size * reach, abs(values[name]) * 1e-9) or reach
        out[name] = _range(problem, name, values, squares, squares + reach**2 * unit, step)
    return out


def _range(
    problem: Separable, name: str, values: Mapping[str, float], lowest: float, allowed: float, step: float
) -> Interval:
    formula = problem.model.formula
    held = [coefficient for coefficient in formula.coefficients if coefficient not in problem.model.free]
    limits = {text: pair for text, pair in problem.limits.items() if text != name}
    model = prepared(str(formula), (*formula.data, *formula.measured), (*held, name), limits)
    if not model.free:
        return None, None

    def least(at: float, start: Array) -> tuple[float, Array]:
        kept = Separable(model, {**problem.given, name: at}, problem.plain_y, problem.root_weights, limits)
        if not model.parts.nonlinear:
            return _squares(kept), start
        reached = search_to_end(kept, start)
        return (math.inf, start) if reached is None else (reached.projected.squares, reached.alpha)

    alpha = np.array([values[word] for word in model.parts.nonlinear])
    walk = partial(side, least, values[name], begin=alpha, lowest=lowest, allowed=allowed)
    bottom, top = problem.limits.get(name, (-math.inf, math.inf))
    low = bottom if values[name] <= bottom else walk(step=-step)
    high = top if values[name] >= top else walk(step=step)
    return (
        low if low is None and bottom == -math.inf else max(bottom, -math.inf if low is None else low),
        high if high is None and top == math.inf else min(top, math.inf if high is None else high),
    )


def _squares(problem: Separable) -> float:
    projected = problem.project(np.empty(0))
    return math.inf if projected is None else float(projected.squares)
