"""Fits of counts by maximum likelihood: Poisson, and binomial for shares of a known number of trials.

With μ(c) the formula, the deviance D = 2 (ln L of the rows themselves − ln L of μ) is made least:

    Poisson    D = 2 Σ [y ln(y/μ) − (y − μ)]                           variance V = μ
    binomial   D = 2 Σ n/w [y ln(y/μ) + (w − y) ln((w − y)/(w − μ))]   variance V = μ (w − μ)/n

y being shares of w (1, or 100 for per cent) of n trials each. The gradient of D is −2 Jᵀr exactly with J = ∂μ/∂c/√V and
r = (y − μ)/√V, and JᵀJ is its expected Hessian (Fisher's scoring; McCullagh & Nelder 1989, §2.5). (JᵀJ)⁻¹ is the covariance.

At the answer the rows weighted by 1/V have the same answer, gradient and covariance in the ordinary way; so that result is
taken, with the deviance in it. Ranges of coefficients are those of the likelihood: all values with D ≤ D_min + z² when the
others are fitted again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Rows, as_values
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.details import Counts
from vettore.core.fitting.noises.formula_rows import FormulaRows, Point, side_by_side
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Noise, Status
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.fitting.search.outwards import side
from vettore.core.fitting.search.scoring import MOST_STEPS, least
from vettore.core.fitting.solve import solve, solve_request
from vettore.core.formula.tree import Name, Node
from vettore.core.formula.write import name_text, to_text

# How far from whole a count may be read.
WHOLE = 1e-9
# While the search has no curve that is positive everywhere, what is below these shares of the mean is bent upwards.
# A deviance that is nothing but rounding.
MET = 1e-9
FLOORS = (0.2, 0.02, 0.002)
# Likelihood ranges cost fits; for more rows they are those of the standard errors, which agree with them there.
MOST_RANGED = 5_000
# For a range the least deviance is wanted, which is flat at its place, to ten digits.
RANGED = 1e-6
# By how many standard errors the ordinary fit of the weighted rows may differ from the answer.
STANDS = 1e-3
# A variance below this is none, of what can be no other; such rows are given this one, by which they say nothing.
NONE, VAST = 1e-24, 1e12
# Fewer rows do not tell how they scatter; of counts the ratio of variance to mean is near 1.
FEWEST, LEAST_RATIO, MOST_RATIO = 8, 0.4, 2.5
METHODS: dict[str, FitMethod] = {Noise.POISSON: FitMethod.POISSON, Noise.BINOMIAL: FitMethod.BINOMIAL}


@dataclass(frozen=True)
class CountLaw:
    """How counts scatter about their mean: a kind of noise, the ``trials`` (n,) of binomial shares and their ``whole``."""

    noise: str
    trials: Array | None = None
    whole: float = 1.0

    def variance(self, mu: Array) -> Array:
        """Return the variance (n,) of rows with means ``mu``."""
        return mu if self.trials is None else mu * (self.whole - mu) / self.trials

    def spread(self, mu: Array) -> Array:
        """Return the standard deviation of rows with means ``mu``; where it is none the row says nothing, and it is vast."""
        variance = self.variance(mu)
        return np.sqrt(np.where(variance > NONE * self.whole**2, variance, VAST * self.whole**2))

    def parts(self, y: Array, mu: Array) -> Array:
        """Return what each row adds to the deviance, (n,); infinite where a mean is none.

        A mean of 0 is one where the count is 0, as where a share steps from none to all.
        """
        if self.trials is None:
            return np.where((mu > 0) | ((mu == 0) & (y == 0)), 2 * (_y_ln(y, y / mu) - (y - mu)), np.inf)
        rest, over = self.whole - y, self.whole - mu
        values = _y_ln(y, y / mu) + _y_ln(rest, rest / over)
        possible = ((mu > 0) | ((mu == 0) & (y == 0))) & ((over > 0) | ((over == 0) & (rest == 0)))
        return np.where(possible, 2 * self.trials / self.whole * values, np.inf)

    def raised(self, mu: Array, floor: float) -> tuple[Array, Array]:
        """Return means bent away from where there are none, smoothly, and the slope of that."""
        low = np.where(mu >= floor, mu, floor * np.exp(np.clip(mu / floor - 1, -600, 0)))
        slope = np.where(mu >= floor, 1.0, low / floor)
        if self.trials is None:
            return low, slope
        over = self.whole - low
        bent = np.where(over >= floor, over, floor * np.exp(np.clip(over / floor - 1, -600, 0)))
        return self.whole - bent, slope * np.where(over >= floor, 1.0, bent / floor)


def _y_ln(y: Array, ratio: Array) -> Array:
    """Return y ln(ratio), and 0 where y is none."""
    return np.where(y > 0, y * np.log(np.where(y > 0, ratio, 1.0)), 0.0)


class _CountRows(FormulaRows):
    """Rows of a law and the formula of their mean."""

    def __init__(
        self,
        tree: Node,
        columns: Mapping[str, Array],
        y: Array,
        law: CountLaw,
        free: tuple[str, ...],
        held: Mapping[str, float],
    ) -> None:
        super().__init__(tree, columns, y, free, held)
        self.law = law
        # Means below this are bent upwards; 0 for none.
        self.floor = 0.0

    def at(self, c: Array, near: Point | None) -> Point:
        """Return everything at coefficients ``c``."""
        mu = self.value(c)
        slope: Array | float = 1.0
        if self.floor:
            mu, slope = self.law.raised(mu, self.floor)
        deviance = float(np.sum(self.law.parts(self.y, mu)))
        deviance = deviance if np.isfinite(mu).all() and np.isfinite(deviance) else np.inf
        spread = self.law.spread(mu)
        columns = [column * slope / spread for column in self.slopes(c)]
        return Point(mu, (self.y - mu) / spread, side_by_side(columns, len(mu)), deviance)

    def without(self, name: str) -> _CountRows:
        """Return the problem with one coefficient held, at what ``held`` then says."""
        free = tuple(other for other in self.free if other != name)
        return _CountRows(self.tree, self.columns, self.y, self.law, free, self.held)


def law_of(y: Array, noise: str, trials: Array | float | None, whole: float, rows: Rows) -> CountLaw:
    """Return how counts scatter, ``rows`` being the numbers of what is given, from 1. Raises DataError for no counts."""
    if noise == Noise.POISSON:
        if trials is not None:
            raise DataError(
                "Poisson counts have no trials; noise=“binomial” is for shares of a number of trials.",
                Fault.NO_EFFECT,
            )
        bad = rows[~((y >= 0) & (np.abs(y - np.round(y)) <= WHOLE * np.maximum(y, 1)))]
        if len(bad):
            raise DataError(
                f"Counts are whole numbers from 0, and {name_rows(bad.tolist())} hold{'s' if len(bad) == 1 else ''} none. "
                "Set aside what is no count, or fit with ordinary noise.",
                Fault.BAD_ROWS,
            )
        _check_some(y, 0.0, "count")
        return CountLaw(noise)
    if trials is None:
        raise DataError("Binomial noise needs trials: of how many each share is.", Fault.MISSING)
    count = np.broadcast_to(np.asarray(trials, dtype=np.float64), y.shape)
    bad = rows[~(np.isfinite(count) & (count > 0))]
    if len(bad):
        raise DataError(
            f"The number of trials is no number above 0 in {name_rows(bad.tolist())}. Set these rows aside.",
            Fault.BAD_ROWS,
        )
    bad = rows[~((y >= 0) & (y <= whole))]
    if len(bad):
        raise DataError(
            f"Shares are from 0 to {whole:g}, and {name_rows(bad.tolist())} hold{'s' if len(bad) == 1 else ''} none. Divide "
            "the counts by the trials first.",
            Fault.BAD_ROWS,
        )
    _check_some(y, 0.0, "share")
    _check_some(y, whole, "share")
    return CountLaw(noise, count, whole)


def _check_some(y: Array, value: float, word: str) -> None:
    """Refuse rows that are all none, or all whole: the likelihood is greatest at the end of what a curve may be."""
    if len(y) and (y == value).all():
        raise DataError(
            f"Every {word} is {value:g}, so that these rows only say that the curve is near {value:g}: no coefficient can be "
            "told from them.",
            Fault.NOT_TOLD,
        )


def tails(result: FitResult) -> Array:
    """Return for each row the probability of a count at least as far out on its side, doubled, by the fitted curve."""
    from scipy.special import betainc, betaincc, pdtr, pdtrc

    assert isinstance(result.details, Counts)
    mu, y, trials, whole = result.fitted, result.y, result.details.trials, result.details.whole
    below: Any
    above: Any
    if trials is None:
        below, above = np.asarray(pdtr(y, mu)), np.where(y > 0, pdtrc(y - 1, mu), 1.0)
    else:
        n, share = trials, np.clip(mu / whole, 0, 1)
        k = np.round(y * n / whole)
        # As incomplete beta functions, for shares that are not of whole numbers, too.
        below = np.where(k < n, betaincc(k + 1, np.maximum(n - k, 1e-300), share), 1.0)
        above = np.where(k > 0, betainc(np.maximum(k, 1e-300), n - k + 1, share), 1.0)
    return np.asarray(np.minimum(2 * np.minimum(below, above), 1.0))


def looks_counted(x: Array, y: Array) -> bool:
    """Whether y are whole numbers from 0 that scatter about a smooth course of x as counts would, by √y.

    Each row is held against the line through its neighbours, which leaves 1 + a² + b² times its variance.
    """
    order = np.argsort(x, kind="stable")
    y = y[order]
    if len(y) < FEWEST or (y < 0).any() or (y != np.round(y)).any() or y.max() < 2:
        return False
    off = y[1:-1] - (y[:-2] + y[2:]) / 2
    expected = (y[:-2] + 4 * y[1:-1] + y[2:]) / 4
    ratio = float(np.sum(off**2)) / max(float(np.sum(expected)), 1e-300)
    return LEAST_RATIO < ratio < MOST_RATIO


def fit_counts(problem: Problem) -> FitResult:
    """Return the fit of greatest likelihood, from an ordinary one of the same rows. Raises DataError for what are no counts."""
    first = solve(problem)
    if not isinstance(problem.read.left, Name):
        raise DataError(f"Counts are fitted as they are: write y, not {first.left}, before the =.", Fault.UNAVAILABLE)
    free, law = first.fitted_names, _law(first, problem.request)
    held = {name: coefficient.value for name, coefficient in first.coefficients.items() if name not in free}
    rows = _CountRows(problem.read.right, problem.columns, first.y, law, free, held)
    c = np.array([first.coefficients[name].value for name in free])
    with np.errstate(all="ignore"):
        steps = 0
        if not np.isfinite(rows.at(c, None).squares):
            c = _gentler(rows, problem, c)
        if not np.isfinite(rows.at(c, None).squares):
            for share in FLOORS:
                rows.floor = share * max(float(first.y.mean()), 1e-3 * law.whole)
                c, _, more = least(rows, c, free, problem.limits)
                steps += more
            rows.floor = 0.0
        c, at, more = least(rows, c, free, problem.limits)
        return _result(first, problem, c, at, rows, (steps, more))


def _law(first: FitResult, request: FitRequest) -> CountLaw:
    """Return how the rows in use scatter. Raises DataError."""
    given, used = request.trials, first.rows_in_use
    trials: Array | float | None
    if given is None or isinstance(given, (int, float)):
        trials = given
    else:
        column = as_values(given, "trials")
        if len(column) != len(used):
            raise DataError(f"trials has {len(column)} entries, and the data have {len(used)} rows.", Fault.LENGTHS)
        trials = column[used]
    return law_of(first.y, Noise(request.noise), trials, request.whole, np.flatnonzero(used) + 1)


def _gentler(rows: _CountRows, problem: Problem, c: Array) -> Array:
    """Return where least squares end for counts that are pulled half a count away from none and all."""
    law, y = rows.law, rows.y
    pulled = y + 0.5 if law.trials is None else (y * law.trials + law.whole / 2) / (law.trials + 1)
    try:
        there = solve_request(_refit(rows, problem, pulled))
    except DataError:
        return c
    return np.array([there.coefficients[name].value for name in rows.free])


def _refit(rows: _CountRows, problem: Problem, y: Array) -> FitRequest:
    """Return the request of an ordinary fit of the same curve to other y, begun nowhere."""
    name, read = "y", problem.read
    while name in read.coefficients or name in read.data:
        name += "0"
    text = f"{name_text(name)} = {to_text(read.right)}"
    return problem.request.refit(formula=text, data={**rows.columns, name: y}, start=None)


def _result(
    first: FitResult, problem: Problem, c: Array, at: Point, rows: _CountRows, went: tuple[int, int]
) -> FitResult:
    """Return the ordinary result of the rows weighted by the variances at the answer, with the deviance in it."""
    # Steps on the way to a curve above 0, and those from there to the answer.
    before, steps = went
    if not np.isfinite(at.squares):
        raise DataError(
            "No curve of this formula that fits these counts stays above 0 in every row, as a mean of counts does. Choose a "
            "formula that does, such as an exponential, or limit its coefficients.",
            Fault.NOT_TOLD,
        )
    law, y = rows.law, rows.y
    _check_bounded(at, rows, len(c))
    result, moved = _weighted(problem, c, at, rows)
    mean = float(np.average(y, weights=law.trials))
    nothing = float(np.sum(law.parts(y, np.full(len(y), mean)))) if mean > 0 else 0.0
    signed_deviance = np.sign(y - at.mu) * np.sqrt(np.maximum(law.parts(y, at.mu), 0.0))
    ended = result.converged and moved < STANDS and steps < MOST_STEPS
    made_of = replace(
        result,
        **first.as_asked(),
        method=METHODS[law.noise],
        status=Status.CONVERGED if ended else Status.NOT_CONVERGED,
        own_remarks=first.own_remarks,
        trace=replace(result.trace, search=first.search, iterations=before + steps, beside=None),
        deviance=at.squares,
        deviance_of_mean=nothing,
        details=Counts(law.noise, law.trials, law.whole, signed_deviance),
    )
    if not made_of.converged or len(y) > MOST_RANGED or not problem.request.thorough:
        return made_of
    return replace(made_of, coefficients=_ranged(made_of, rows, c, at.squares, problem.limits))


def _check_bounded(at: Point, rows: _CountRows, coefficients: int) -> None:
    """Refuse an answer that is only on the way to ever greater likelihood. Raises DataError."""
    law, y = rows.law, rows.y
    # Rows of none and all alone, each met to the last digit: the step between them may be as steep as it likes.
    apart = law.trials is not None and at.squares <= MET and bool(((y == 0) | (y == law.whole)).all())
    if apart or int((law.spread(at.mu) < np.sqrt(VAST) * law.whole).sum()) < coefficients:
        raise DataError(
            "The likelihood goes on rising as the curve steps ever more steeply from none to all: these counts set no bound to "
            "it. Hold or limit a coefficient, or measure where the step is.",
            Fault.NOT_TOLD,
        )


def _weighted(problem: Problem, c: Array, at: Point, rows: _CountRows) -> tuple[FitResult, float]:
    """Return the ordinary fit with the variances at the answer, and by how many standard errors it differs from that."""
    begin = dict(zip(rows.free, c.tolist(), strict=True))
    weighted = _refit(rows, problem, rows.y).with_(start=begin, sigma=rows.law.spread(at.mu), absolute_sigma=True)
    result = solve_request(weighted)
    moved = 0.0
    for name, value in begin.items():
        coefficient = result.coefficients[name]
        if coefficient.standard_error:
            moved = max(moved, abs(coefficient.value - value) / coefficient.standard_error)
    return result, moved


def _ranged(
    result: FitResult, rows: _CountRows, c: Array, deviance: float, limits: Mapping[str, tuple[float, float]]
) -> Mapping[str, Coefficient]:
    """Return the coefficients with the ranges of their likelihood; a side without a bound keeps None."""
    quantile = t_quantile(result.level, np.inf)
    out = dict(result.coefficients)
    for place, name in enumerate(rows.free):
        coefficient = result.coefficients[name]
        if coefficient.standard_error is None or coefficient.at_limit:
            continue
        begin = np.delete(c, place)
        least_at = partial(_held_at, rows.without(name), name, limits)
        width = max(coefficient.standard_error * quantile, abs(coefficient.value) * 1e-12)
        allowed = deviance + quantile**2
        low, high = (side(least_at, coefficient.value, way, begin, deviance, allowed) for way in (-width, width))
        out[name] = replace(coefficient, low=low, high=high)
    return out


def _held_at(
    held: _CountRows, name: str, limits: Mapping[str, tuple[float, float]], value: float, begin: Array
) -> tuple[float, Array]:
    """Return the least deviance with one coefficient held, and where the others are; infinite where there is none."""
    held.held[name] = value
    if not held.free:
        return held.at(begin, None).squares, begin
    others = {other: limits[other] for other in limits if other != name}
    if not np.isfinite(held.at(begin, None).squares):
        held.floor = FLOORS[-1] * max(float(held.y.mean()), 1e-3 * held.law.whole)
        begin, _, _ = least(held, begin, held.free, others, RANGED)
        held.floor = 0.0
    c, at, _ = least(held, begin, held.free, others, RANGED)
    return at.squares, c
