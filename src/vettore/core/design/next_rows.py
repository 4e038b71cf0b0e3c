"""Where one more measurement tells most: by how much the ± of a number shrinks for each x that could be measured next.

In the space where the covariance of the coefficients is the unit matrix a number θ is a vector t with var θ = t·t, and a
measurement at x with standard deviation σ is a vector v with the precision P growing by v vᵀ/σ² (delta method, as at the fitted
coefficients). Then

    var θ = tᵀ P⁻¹ t,        P = 1 + Σ v(xᵢ) v(xᵢ)ᵀ / σᵢ²,

which for one row more is t·t − (t·v)²/(σ² + v·v). For all m coefficients together the measure is det P^(−1/2m), the radius of
their joint confidence region beside today's (the D-criterion: Wald 1943); the geometric mean of their single ± is another
number, since their correlations change, too, and is told beside it. A plan of several rows is found greedily and then bettered
row by row till no exchange helps.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeAlias

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.curve import Curve
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.details import Correlated, Counts, Growing
from vettore.core.fitting.noises.counts import CountLaw
from vettore.core.fitting.result import FitResult

# A coefficient by its name, "all" of them, or a number read from the curve: ("value", x), ("slope", x), ("area", a, b).
Improve: TypeAlias = str | tuple[str, float] | tuple[str, float, float]
ALL = "all"
MOST_ROWS = 100
# Rounds of exchanges, each of which must gain more than this share.
MOST_EXCHANGES, GAINS = 20, 1e-9
MOST_NEEDED = 100_000
TRACE = 1e-9


@dataclass(frozen=True, eq=False)
class WhereNext:
    """What measuring next at each ``x`` (k,) makes of a standard error that is ``now``.

    ``standard_error`` (k,) is that with one row more there; ``best`` the x that lowers it most (for its price). ``plan`` are
    the best x for so many rows together, ``planned`` the standard error after them. For all coefficients together ``now`` is 1
    and the others are the radius of the joint confidence region beside today's (D-criterion). ``planned_each`` is the geometric
    mean of what the plan makes of each single ±, beside today's.
    """

    x: Array
    standard_error: Array
    now: float
    best: float
    plan: tuple[float, ...]
    planned: float
    planned_each: float


def where_next(
    result: FitResult,
    x: Values,
    improve: Improve = ALL,
    *,
    rows: int = 1,
    sigma: Values | float | None = None,
    price: Values | float | None = None,
) -> WhereNext:
    """Return what one more row, and a plan of ``rows``, would make of the ± of a number.

    ``x`` (k,) are the places that could be measured. ``improve`` is a coefficient's name, "all", or ("value", x), ("slope", x),
    ("area", a, b). ``sigma`` is the standard deviation of a new measurement, that of the fit when left out; ``price`` what one
    costs at each x: then the best is what gains most for it. Raises DataError where nothing can be foretold.

    >>> from vettore import core
    >>> line = core.fit_polynomial([0, 1, 2, 3, 4], [1.0, 3.1, 4.9, 7.2, 8.9], 1)
    >>> core.where_next(line, [0.0, 2.0, 5.0], "a1").best
    5.0
    """
    problem = _candidates(result, x, improve, sigma)
    cost = positive(price, len(problem.x), "The price")
    if not 1 <= rows <= MOST_ROWS or rows != int(rows):
        raise DataError(f"A plan has 1 to {MOST_ROWS} rows; {rows} was asked for.", Fault.OUT_OF_BOUNDS)
    errors = problem.after_each(np.eye(problem.size))
    now = problem.error(np.eye(problem.size))
    gain = (math.log(now) - np.log(np.maximum(errors, 1e-300))) / cost
    plan = problem.plan(int(rows), cost)
    planned = problem.error(problem.with_rows(plan))
    best = float(problem.x[int(np.argmax(gain))])
    chosen = tuple(sorted(float(problem.x[k]) for k in plan))
    each = planned / now if improve != ALL else _each(result, problem.with_rows(plan))
    return WhereNext(problem.x, errors, now, best, chosen, planned, each)


def rows_needed(
    result: FitResult, x: Values, improve: Improve, target: float, *, sigma: Values | float | None = None
) -> tuple[int, tuple[float, ...]]:
    """Return how many more rows bring a standard error to a target, each put where it tells most, and the distinct x of them.

    Raises DataError when a hundred thousand do not.

    >>> from vettore import core
    >>> line = core.fit_polynomial([0, 1, 2, 3, 4], [1.0, 3.1, 4.9, 7.2, 8.9], 1)
    >>> now = line.coefficients["a1"].standard_error
    >>> core.rows_needed(line, [0.0, 5.0], "a1", 0.7 * now)[0]
    2
    """
    problem = _candidates(result, x, improve, sigma)
    if not target > 0:
        raise DataError(f"A standard error to be reached is above 0; {target!r} was given.", Fault.OUT_OF_BOUNDS)
    precision, count, used = np.eye(problem.size), 0, set()
    while problem.error(precision) > target:
        if count >= MOST_NEEDED:
            raise DataError(
                f"Not even {MOST_NEEDED:,} more rows at these x bring the ± to {target:g}.", Fault.TOO_MANY
            )
        best = int(np.argmin(problem.after_each(precision)))
        # The same place again and again: as many at once as a tenth of what is there, which is as good.
        times = max(1, count // 10)
        precision = precision + times * problem.information(best)
        count += times
        used.add(float(problem.x[best]))
    return count, tuple(sorted(used))


def _each(result: FitResult, precision: Array) -> float:
    """Return the geometric mean of what a precision makes of the ± of each coefficient, beside today's."""
    logs = []
    for name in result.fitted_names:
        spread = result.curve.coefficient_spread(name)
        if spread is not None and np.any(spread):
            logs.append(math.log(float(spread @ np.linalg.solve(precision, spread)) / float(spread @ spread)) / 2)
    return math.exp(float(np.mean(logs))) if logs else 1.0


def _candidates(result: FitResult, x: Values, improve: Improve, sigma: Values | float | None) -> Candidates:
    """Return the places that could be measured beside the rows of a fit. Raises DataError."""
    curve = result.given_curve
    if curve is None or result.covariance is None or result.degrees_of_freedom < 1:
        raise DataError(
            "Where to measure next is foretold from a fit over one x with some degrees of freedom.", Fault.UNAVAILABLE
        )
    if isinstance(result.details, Correlated):
        raise DataError(
            "Rows of which neighbours err alike tell the less the nearer they are; that is not foretold.",
            Fault.UNAVAILABLE,
        )
    places = as_values(x, "x")
    if not len(places) or not np.isfinite(places).all():
        raise DataError("The places that could be measured are finite numbers, one at least.", Fault.WRONG_KIND)
    scatter = _scatter(result, curve, places) if sigma is None else 1.0
    noise = positive(sigma, len(places), "The standard deviation of a measurement") * scatter
    return Candidates(curve, result.fitted_names, places, improve, noise)


class Candidates:
    """Places ``x`` (k,) as vectors, and the number that is to be known better.

    ``noise`` (k,) is the standard deviation of a measurement there. Coefficients are counted in units of ``scale``, and what is
    ``known`` of them beside the rows planned is the unit matrix, or nothing.
    """

    def __init__(
        self,
        curve: Curve,
        names: tuple[str, ...],
        x: Array,
        improve: Improve,
        noise: Array,
        scale: Array | float = 1.0,
        known: bool = True,
    ) -> None:
        self.x = x
        spreads = [curve.value_spread(float(place)) for place in x.tolist()]
        if any(spread is None or not np.isfinite(spread).all() for spread in spreads):
            raise DataError(
                "The curve has no ± at some of these x, so nothing can be foretold there.", Fault.NOT_TOLD
            )
        self._vectors = np.array(spreads, dtype=np.float64) * scale / noise[:, None]
        self.size = self._vectors.shape[1]
        self._target = None if improve == ALL else _target(curve, names, improve) * scale
        # A trace of what is known lets rows be chosen one by one, while they are too few to tell all.
        least = TRACE * float(np.mean(self._vectors**2)) or TRACE
        self._base = np.eye(self.size) * (1.0 if known else least)

    def information(self, place: int) -> Array:
        """Return what a row at a candidate adds to the precision."""
        return np.outer(self._vectors[place], self._vectors[place])

    def with_rows(self, places: list[int]) -> Array:
        """Return the precision with rows at candidates."""
        return self._base + self.precision(places)

    def precision(self, places: list[int]) -> Array:
        """Return what rows at candidates alone tell."""
        chosen = self._vectors[places]
        return np.asarray(chosen.T @ chosen)

    def error(self, precision: Array) -> float:
        """Return the standard error of the number, or the factor of all."""
        if self._target is None:
            return math.exp(-np.linalg.slogdet(precision)[1] / (2 * self.size))
        return math.sqrt(float(self._target @ np.linalg.solve(precision, self._target)))

    def after_each(self, precision: Array) -> Array:
        """Return the standard error (k,) with one row more at each candidate."""
        solved = np.linalg.solve(precision, self._vectors.T).T
        leverage = np.einsum("km,km->k", self._vectors, solved)
        if self._target is None:
            whole = np.linalg.slogdet(precision)[1] + np.log1p(leverage)
            return np.asarray(np.exp(-whole / (2 * self.size)))
        along = solved @ self._target
        variance = self._target @ np.linalg.solve(precision, self._target) - along**2 / (1 + leverage)
        return np.asarray(np.sqrt(np.maximum(variance, 0.0)))

    def plan(self, rows: int, cost: Array, begin: Sequence[int] = ()) -> list[int]:
        """Return the candidates for so many rows: the best one by one beside those to ``begin`` with, then exchanged."""

        def best(precision: Array) -> int:
            now = self.error(precision)
            gain = (math.log(now) - np.log(np.maximum(self.after_each(precision), 1e-300))) / cost
            return int(np.argmax(gain))

        chosen = list(begin)
        for _ in range(rows - len(chosen)):
            chosen.append(best(self.with_rows(chosen)))
        for _ in range(MOST_EXCHANGES):
            before = self.error(self.with_rows(chosen))
            for place in range(rows):
                others = chosen[:place] + chosen[place + 1 :]
                chosen[place] = best(self.with_rows(others))
            if not self.error(self.with_rows(chosen)) < before * (1 - GAINS):
                break
        return chosen


def _scatter(result: FitResult, curve: Curve, x: Array) -> float | Array:
    """Return the standard deviation of one measurement as the fit knows it; of counts that at each x."""
    details = result.details
    if isinstance(details, Growing):
        return details.spread.at(np.asarray(curve(x)))
    if isinstance(details, Counts):
        trials = None if details.trials is None else np.full(len(x), np.median(details.trials))
        return np.sqrt(CountLaw(details.noise, trials, details.whole).variance(np.asarray(curve(x))))
    unit = curve.residual_sd
    if unit is None:
        raise DataError("The fit knows no scatter of a measurement; give sigma.", Fault.MISSING)
    if curve.row_sigma is not None:
        return float(unit * curve.row_sigma)
    return float(unit * np.median(result.sigma)) if result.sigma is not None else float(unit)


def positive(given: Values | float | None, count: int, what: str) -> Array:
    """Return a number for each place, 1 where none is given. Raises DataError."""
    if given is None:
        return np.ones(count)
    values = np.full(count, float(given)) if isinstance(given, (int, float)) else as_values(given, what)
    if len(values) != count or not np.all(np.isfinite(values) & (values > 0)):
        raise DataError(f"{what} is a number above 0, or one for each x.", Fault.OUT_OF_BOUNDS)
    return values


def _target(curve: Curve, names: tuple[str, ...], improve: Improve) -> Array:
    values: Array | None = None
    if isinstance(improve, str):
        if improve not in names:
            raise DataError(
                f"There is no fitted coefficient “{improve}”. There are: {', '.join(names)}.", Fault.NO_SUCH_NAME
            )
        values = curve.coefficient_spread(improve)
    else:
        kind, *at = improve
        spreads: dict[str, tuple[int, Callable[..., Array | None]]] = {
            "value": (1, curve.value_spread),
            "slope": (1, curve.slope_spread),
            "area": (2, curve.area_spread),
        }
        if kind not in spreads or len(at) != spreads[kind][0]:
            raise DataError(
                f"{improve!r} is no number of a curve. There are: value at x, slope at x, area from a to b.",
                Fault.NO_SUCH_NAME,
            )
        values = spreads[kind][1](*map(float, at))
    if values is None or not np.isfinite(values).all() or not np.any(values):
        raise DataError("That number has no ± here that a measurement could lower.", Fault.NOT_TOLD)
    return np.asarray(values, dtype=np.float64)
