"""Intervals that ask more of the data than Student's t: profile likelihood and a seeded bootstrap of residuals.

Profile: with S(θₖ) the least sum of squares at a fixed θₖ, the interval holds all θₖ with

    S(θₖ) ≤ S_min (1 + t²/(n − m))        (Bates & Watts 1988, §6.1)

found by walking out from the answer and bisecting. Bootstrap: curves through fitted values plus residuals drawn with
replacement, each scaled by √(n/(n − m)) (Davison & Hinkley 1997, §6.3), fitted by steps from the answer.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError
from vettore.core.fit.asked import DEFAULT_SEED
from vettore.core.fit.levenberg import search_to_end
from vettore.core.fit.prepared import prepared
from vettore.core.fit.result import FitResult
from vettore.core.fit.separable import Separable
from vettore.core.fit.stack import Stack
from vettore.core.fit.terms import pick_rows

# Steps outwards, each longer than the last, before a side counts as open.
MOST_STEPS, LONGER = 60, 1.6
BISECTIONS = 60
SAMPLES = 1000
# Numbers resampled before progress is told.
AT_ONCE = 200_000

Interval = tuple[float | None, float | None]
Progress = Callable[[int, int], bool]


def profile_intervals(
    result: FitResult,
    data: Mapping[str, Values],
    names: tuple[str, ...] | None = None,
    sigma: Values | None = None,
    weights: Values | None = None,
) -> dict[str, Interval]:
    """Return profile-likelihood intervals at the level of a result; None for a side on which the data set no bound.

    ``data``, ``sigma`` and ``weights`` are what was fitted. Raises DataError for a robust fit or one without freedom.
    """
    _usable(result)
    asked = names or result.fitted_names
    quantile = t_quantile(result.level, result.degrees_of_freedom)
    allowed = result.sum_of_squares * (1 + quantile**2 / result.degrees_of_freedom)
    held = {one.name: one.value for one in result.coefficients.values() if one.held}
    out: dict[str, Interval] = {}
    for name in asked:
        one = result.coefficients[name]
        if one.standard_error is None:
            raise DataError(f"{name} has no standard error, so its interval has no scale to start from.")
        model = prepared(result.formula, data, (*held, name))
        rows, used = pick_rows(model.formula, data, sigma, weights)
        root = None if rows.weights is None else np.sqrt(rows.weights.high)

        def least(at: float, start: Array, model=model, rows=rows, used=used, root=root, name=name):  # type: ignore[no-untyped-def]
            given = {**{n: used[n] for n in model.formula.data}, **held, name: at}
            with np.errstate(all="ignore"):
                reached = search_to_end(Separable(model, given, rows.y, root), start)
            if reached is None:
                return math.inf, start
            return reached.projected.squares, reached.alpha

        alpha = np.array([result.coefficients[n].value for n in model.parts.nonlinear])
        width = max(one.standard_error * quantile, abs(one.value) * 1e-12)
        out[name] = (_side(least, one.value, -width, alpha, allowed), _side(least, one.value, width, alpha, allowed))
    return out


def _side(least, middle: float, step: float, alpha: Array, allowed: float) -> float | None:  # type: ignore[no-untyped-def]
    inside, outside, length = middle, middle + step, step
    for _ in range(MOST_STEPS):
        squares, there = least(outside, alpha)
        if squares > allowed:
            break
        inside, alpha = outside, there
        length *= LONGER
        outside = outside + length
    else:
        return None
    for _ in range(BISECTIONS):
        half = (inside + outside) / 2
        squares, there = least(half, alpha)
        if squares > allowed:
            outside = half
        else:
            inside, alpha = half, there
        if abs(outside - inside) <= 1e-9 * abs(step):
            break
    return float(inside)


def bootstrap_intervals(
    result: FitResult,
    data: Mapping[str, Values],
    samples: int = SAMPLES,
    seed: int = DEFAULT_SEED,
    sigma: Values | None = None,
    weights: Values | None = None,
    progress: Progress | None = None,
) -> dict[str, tuple[float, float]]:
    """Return intervals between quantiles of the answers to resampled data; the same seed gives the same numbers."""
    _usable(result)
    if samples < 20:
        raise DataError(f"{samples} samples are too few for an interval; take 200 or more.")
    held = {one.name: one.value for one in result.coefficients.values() if one.held}
    model = prepared(result.formula, data, held)
    rows, used = pick_rows(model.formula, data, sigma, weights)
    root = None if rows.weights is None else np.sqrt(rows.weights.high)
    given: dict[str, Array | float] = {**{n: used[n] for n in model.formula.data}, **held}
    alpha = np.array([result.coefficients[n].value for n in model.parts.nonlinear])
    scale = math.sqrt(result.n / result.degrees_of_freedom)
    spread = np.ones(result.n) if root is None else 1 / np.where(root > 0, root, 1.0)
    pool = result.residuals / spread * scale
    rng = np.random.default_rng(seed)
    found, done = [], 0
    while done < samples:
        count = min(max(AT_ONCE // result.n, 20), samples - done)
        y = result.fitted + spread * rng.choice(pool, (count, result.n))
        columns = {name: np.broadcast_to(given[name], y.shape) for name in model.formula.data}
        weighted = None if root is None else np.broadcast_to(root, y.shape)
        with np.errstate(all="ignore"):
            answers = Stack(model, columns, y, weighted, held).solve(np.tile(alpha, (count, 1)))
        found.append(answers.theta[answers.converged])
        done += count
        if progress is not None and progress(done, samples):
            break
    table = np.concatenate(found)
    if len(table) < 20:
        raise DataError("Too few resampled fits came to an end for an interval.")
    low, high = np.quantile(table, [(1 - result.level) / 2, (1 + result.level) / 2], axis=0)
    return {
        name: (float(low[model.free.index(name)]), float(high[model.free.index(name)]))
        for name in result.fitted_names
        if name in model.free
    }


def _usable(result: FitResult) -> None:
    if result.degrees_of_freedom < 1:
        raise DataError("Without degrees of freedom there is no scatter to judge an interval by.")
    if result.loss != "squares":
        raise DataError("Profile and bootstrap intervals are for ordinary least squares; fit without a robust loss.")
