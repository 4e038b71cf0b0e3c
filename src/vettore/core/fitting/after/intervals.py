"""Intervals that ask more of the data than Student's t: profile likelihood and a seeded bootstrap of residuals.

Profile: with S(θₖ) the least sum of squares at a fixed θₖ, the interval holds all θₖ with

    S(θₖ) ≤ S_min (1 + t²/(n − m))        (Bates & Watts 1988, §6.1)

found by walking out from the answer and bisecting; with known standard deviations S ≤ S_min + z².

Bootstrap: curves through fitted values plus residuals eᵢ/√(1 − hᵢ), centred and drawn with replacement, are fitted by
steps from the answer. Each gives t* = (θ* − θ)/se*, and the interval is θ − t*₍₁₋ₐ₎ se … θ − t*₍ₐ₎ se (studentised:
Davison & Hinkley 1997, §5.2.2, §6.3): quantiles of θ* alone are too narrow with few rows.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import partial

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.after.diagnostics import OWN
from vettore.core.fitting.details import Correlated, ErrorsInX, Growing, Steps
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.prepared import Prepared, prepared
from vettore.core.fitting.problem import pick_rows
from vettore.core.fitting.request import DEFAULT_SEED
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.search.levenberg import search_to_end
from vettore.core.fitting.search.outwards import side
from vettore.core.fitting.search.separable import Separable
from vettore.core.fitting.search.stack import Stack

# Width of the kernel by which drawn residuals are smoothed, in their standard deviation · n^(−1/5): a handful of them
# has no tails of its own (Silverman & Young 1987).
SMOOTHED = 1.06
SAMPLES = 1000
# Numbers resampled before progress is told.
AT_ONCE = 200_000

Interval = tuple[float | None, float | None]
Progress = Callable[[int, int], bool]


def profile_intervals(
    result: FitResult,
    data: Mapping[str, Values],
    names: tuple[str, ...] | None = None,
    sigma: Sigma | None = None,
    weights: Values | None = None,
) -> dict[str, Interval]:
    """Return profile-likelihood intervals at the level of a result; None for a side on which the data set no bound.

    ``data``, ``sigma`` and ``weights`` are what was fitted. Raises DataError for a robust fit or one without freedom.

    >>> from vettore import core
    >>> columns = {"t": [0, 5, 10, 20, 40], "y": [8.1, 6.2, 4.9, 3.0, 1.2]}
    >>> decay = core.fit("y = A*exp(-k*t)", columns)
    >>> low, high = core.profile_intervals(decay, columns)["k"]
    >>> low < decay.coefficients["k"].value < high
    True
    """
    texts = names or result.fitted_names
    if result.deviance is not None:
        # A fit of counts has them already.
        return {name: (result.coefficients[name].low, result.coefficients[name].high) for name in texts}
    _usable(result)
    sigma = _sigma_of(result, sigma)
    quantile = t_quantile(result.level, result.interval_freedom)
    unit = 1.0 if result.absolute_sigma else result.sum_of_squares / result.degrees_of_freedom
    lowest = result.sum_of_squares
    allowed = lowest + quantile**2 * unit
    held = _held(result)
    out: dict[str, Interval] = {}
    for name in texts:
        coefficient = result.coefficients[name]
        if coefficient.standard_error is None:
            raise DataError(
                f"{name} has no standard error, so its interval has no scale to start from.", Fault.NOT_TOLD
            )
        model = prepared(result.formula, data, (*held, name))
        rows, used = pick_rows(model.formula, data, sigma, weights)
        root = None if rows.weights is None else np.sqrt(rows.weights.high)

        given: dict[str, Array | float] = {**{n: used[n] for n in model.formula.data}, **held}
        least = partial(_least, model, given, rows.y, root, name)
        alpha = np.array([result.coefficients[n].value for n in model.parts.nonlinear])
        width = max(coefficient.standard_error * quantile, abs(coefficient.value) * 1e-12)
        low, high = (side(least, coefficient.value, way, alpha, lowest, allowed) for way in (-width, width))
        out[name] = (low, high)
    return out


def _least(
    model: Prepared,
    given: Mapping[str, Array | float],
    y: Array,
    root: Array | None,
    name: str,
    at: float,
    start: Array,
) -> tuple[float, Array]:
    """Return the least sum of squares with one coefficient held at a value, and where the others are."""
    with np.errstate(all="ignore"):
        reached = search_to_end(Separable(model, {**given, name: at}, y, root), start)
    return (math.inf, start) if reached is None else (reached.projected.squares, reached.alpha)


def bootstrap_intervals(
    result: FitResult,
    data: Mapping[str, Values],
    samples: int = SAMPLES,
    seed: int = DEFAULT_SEED,
    sigma: Sigma | None = None,
    weights: Values | None = None,
    progress: Progress | None = None,
) -> dict[str, tuple[float, float]]:
    """Return studentised intervals from fits of resampled data; the same seed gives the same numbers.

    With known standard deviations the data are drawn from them instead of from the residuals. Raises DataError.
    """
    _usable(result)
    sigma = _sigma_of(result, sigma)
    if samples < 20:
        raise DataError(f"{samples} samples are too few for an interval; take 200 or more.", Fault.OUT_OF_BOUNDS)
    held = _held(result)
    model = prepared(result.formula, data, held)
    rows, used = pick_rows(model.formula, data, sigma, weights)
    root = None if rows.weights is None else np.sqrt(rows.weights.high)
    given: dict[str, Array | float] = {**{n: used[n] for n in model.formula.data}, **held}
    theta = np.array([result.coefficients[name].value for name in model.free])
    rng = np.random.default_rng(seed)
    draw = _resampling(result, root, rng)
    items, done = [], 0
    while done < samples:
        count = min(max(AT_ONCE // result.n, 20), samples - done)
        y = draw(count)
        columns = {name: np.broadcast_to(given[name], y.shape) for name in model.formula.data}
        weighted = None if root is None else np.broadcast_to(root, y.shape)
        with np.errstate(all="ignore"):
            alpha = theta[len(model.parts.linear) :]
            answers = Stack(model, columns, y, weighted, held).solve(np.tile(alpha, (count, 1)))
            # With σ known the spread of an answer is too; else it comes from the resampled scatter.
            scatter = 1.0 if result.absolute_sigma else answers.squares[:, None] / result.degrees_of_freedom
            far = (answers.theta - theta) / np.sqrt(answers.unit_variance * scatter)
        items.append(far[answers.converged & np.isfinite(far).all(axis=1)])
        done += count
        if progress is not None and progress(done, samples):
            break
    return _studentised(result, model, np.concatenate(items))


def _studentised(result: FitResult, model: Prepared, table: Array) -> dict[str, tuple[float, float]]:
    """Return intervals from the distances (samples, m) of resampled fits from the fit, each in its own standard errors."""
    if len(table) < 20:
        raise DataError("Too few resampled fits came to an end for an interval.", Fault.NOT_TOLD)
    theta = [result.coefficients[name].value for name in model.free]
    low, high = np.quantile(table, [(1 - result.level) / 2, (1 + result.level) / 2], axis=0)
    out = {}
    for name in result.fitted_names:
        error = result.coefficients[name].standard_error
        if name in model.free and error is not None:
            place = model.free.index(name)
            out[name] = (float(theta[place] - high[place] * error), float(theta[place] - low[place] * error))
    return out


def _resampling(result: FitResult, root: Array | None, rng: np.random.Generator) -> Callable[[int], Array]:
    """Return what draws (count, n) values of the left side about the fitted ones."""
    if result.absolute_sigma and result.sigma is not None:
        sigma = result.sigma
        return lambda count: result.fitted + sigma * rng.normal(size=(count, result.n))
    spread = np.ones(result.n) if root is None else 1 / np.where(root > 0, root, 1.0)
    # Residuals are smaller than the scatter by √(1 − leverage), and not centred without a constant in the model.
    pool = result.residuals / spread / np.sqrt(np.maximum(1 - result.leverage, OWN))
    pool = (pool - pool.mean())[result.leverage < 1 - OWN]
    if not len(pool):
        raise DataError(
            "Every row decides the curve by itself, so there are no residuals to draw from.", Fault.TOO_FEW
        )
    width = SMOOTHED * len(pool) ** -0.2 * float(pool.std())

    def draw(count: int) -> Array:
        drawn = rng.choice(pool, (count, result.n)) + width * rng.normal(size=(count, result.n))
        return result.fitted + spread * drawn

    return draw


def _held(result: FitResult) -> dict[str, float]:
    """Return the coefficients that keep their values: those that are held, and places of steps."""
    steps = result.details.gaps if isinstance(result.details, Steps) else {}
    return {
        name: coefficient.value
        for name, coefficient in result.coefficients.items()
        if coefficient.held or name in steps
    }


def _sigma_of(result: FitResult, given: Sigma | None) -> Sigma | None:
    """Return the ± of the rows: as given, or that which a fit told from the rows, kept as it is."""
    if not isinstance(result.details, Growing) or result.sigma is None:
        return given
    whole = np.full(len(result.rows_in_use), np.nan)
    whole[result.rows_in_use] = result.sigma
    return whole


def _usable(result: FitResult) -> None:
    if result.degrees_of_freedom < 1 and not result.absolute_sigma:
        raise DataError("Without degrees of freedom there is no scatter to judge an interval by.", Fault.NOT_TOLD)
    if isinstance(result.details, ErrorsInX):
        raise DataError(
            "Profile and bootstrap intervals are not worked out for fits with errors in x; take their 95 % ranges.",
            Fault.UNAVAILABLE,
        )
    if isinstance(result.details, Correlated):
        raise DataError(
            "Profile and bootstrap intervals are not worked out for correlated rows; take their ranges.",
            Fault.UNAVAILABLE,
        )
    if result.deviance is not None:
        raise DataError(
            "Bootstrap intervals are not worked out for fits of counts; their ranges are of the likelihood.",
            Fault.UNAVAILABLE,
        )
    if result.loss != "squares":
        raise DataError(
            "Profile and bootstrap intervals are for ordinary least squares; fit without a robust loss.",
            Fault.CONFLICT,
        )
