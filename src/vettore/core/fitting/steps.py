"""Coefficients that only say where a curve steps, as m in ``if(x < m, a, b)``: found by trying every place.

Between two thresholds nothing changes, so no derivative leads to the answer. Every gap between the thresholds of neighbouring
rows is tried, with the other coefficients fitted (all gaps at once, see many.py), and its middle is told. The range holds the
gaps whose likelihood ratio stays below

    (n − p) (S(m) − S_min)/S_min ≤ −2 ln(1 − √level)          (Hansen 2000, Econometrica 68, 575: 7.35 for 95 %)

since the ordinary quantile is for curves that change smoothly. The ± of the other coefficients are those beside this m, which
is right for many rows: a place is found faster than they are. Several such coefficients are found by turns.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from vettore.core.arrays import Array, Mask, as_values
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.details import Steps
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.many import fit_series
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Noise
from vettore.core.fitting.request import SQUARES, FitRequest, Progress
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.solve import solve_request
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Binary, Compare, Number, names, replaced, walk
from vettore.core.remarks import Remark, RemarkKind, listed

# Gaps that are tried at once, and numbers that they may hold together.
MOST_GAPS, MOST_NUMBERS = 400, 4_000_000
# Rounds in which several steps are found by turns.
MOST_ROUNDS = 20


@dataclass(frozen=True)
class _Profile:
    """For each gap of a step from ``edges`` to the next: the sum of squares there, infinite where nothing can be told."""

    edges: Array
    squares: Array

    @property
    def best(self) -> int:
        return int(np.argmin(self.squares))

    @property
    def gap(self) -> tuple[float, float]:
        """The gap of the least sum of squares."""
        return float(self.edges[self.best]), float(self.edges[self.best + 1])

    @property
    def middle(self) -> float:
        """The middle of the best gap."""
        return sum(self.gap) / 2

    def within(self, allowed: float) -> tuple[float | None, float | None]:
        """Return the range of gaps with sums of squares up to one; None on a side where the rows end first."""
        inside = np.flatnonzero(self.squares <= allowed)
        low, high = int(inside.min()), int(inside.max())
        known = np.flatnonzero(np.isfinite(self.squares))
        return (
            None if low == known.min() else float(self.edges[low]),
            None if high == known.max() else float(self.edges[high + 1]),
        )


def step_names(read: Formula, held: Mapping[str, float]) -> tuple[str, ...]:
    """Return the coefficients that stand in conditions only."""
    return tuple(name for name in read.in_conditions if name not in held)


def check_steps(request: FitRequest, names: Sequence[str]) -> None:
    """Refuse what a curve that steps at coefficients ``names`` cannot heed. Raises DataError."""
    others = [name for name in ("sigma_x", "correlation", "covariance") if getattr(request, name) is not None]
    if request.loss != SQUARES:
        others = [f'loss="{request.loss}"', *others]
    if request.noise != Noise.NORMAL:
        others = [f'noise="{request.noise}"', *others]
    if names and others:
        raise DataError(
            f"{listed(names)} {'says' if len(names) == 1 else 'say'} where the curve steps, which is found by least squares "
            f"with ± or weights of y only: it takes no {listed(others)}. Hold {'it' if len(names) == 1 else 'them'}, or leave "
            "that out.",
            Fault.UNAVAILABLE,
        )


def fit_steps(problem: Problem) -> FitResult | None:
    """Return the fit with every step at the place that fits best; None where their places are not those of rows.

    That is so for a formula without steps, too. Raises DataError.
    """
    read, request = problem.read, problem.request
    steps = step_names(read, problem.held)
    if not steps or read.left is None:
        return None
    columns, used, sigma = _rows(problem)
    rows = {name: column[used] for name, column in columns.items()}
    edges: dict[str, Array] = {}
    for name in steps:
        values = _thresholds(read, name, rows)
        if values is None:
            return None
        low, high = problem.limits.get(name, (-math.inf, math.inf))
        edges[name] = np.unique(np.clip(values, low, high))
        if len(edges[name]) < 2:
            raise DataError(f"No row changes sides while {name} is within its limits.", Fault.NOT_TOLD)
    others = {name: value for name, value in problem.start.items() if name not in steps}
    bounds = {name: pair for name, pair in problem.limits.items() if name not in steps}
    plain = request.with_(formula=str(read), start=others or None, limits=bounds, estimate=None, thorough=True)
    spread = sigma if sigma is None or isinstance(sigma, (int, float)) else _picked(sigma, used)
    # The weights of the rows are in their ±.
    series = plain.with_(data=rows, sigma=spread, weights=None, progress=None)

    def profile(name: str, at: Mapping[str, float]) -> _Profile:
        return _profile(partial(_squares, series, name, at), edges[name], int(used.sum()))

    at, profiles = _by_turns(steps, edges, profile, request.progress)
    result = solve_request(plain.with_(hold={**problem.held, **at}))
    return _with_steps(read, replace(result, formula=str(read)), at, profiles)


def _rows(problem: Problem) -> tuple[dict[str, Array], Mask, Sigma | None]:
    """Return the columns of a formula, which rows are in use, and the ± of all rows, from their weights if need be."""
    read, (sigma, weights) = problem.read, (problem.request.sigma, problem.request.weights)
    columns = {name: as_values(problem.request.data[name], name) for name in (*read.data, *read.measured)}
    used = np.all([np.isfinite(column) for column in columns.values()], axis=0)
    if weights is not None:
        # A row of weight w scatters like one with σ = 1/√w; one without weight is not there.
        weighed = as_values(weights, "weights")
        if len(weighed) != len(used):
            raise DataError(f"weights has {len(weighed)} entries, and the data have {len(used)} rows.", Fault.LENGTHS)
        used &= np.isfinite(weighed) & (weighed > 0)
        with np.errstate(all="ignore"):
            sigma = 1 / np.sqrt(weighed)
    return columns, used, sigma


def _picked(sigma: Sigma, used: Mask) -> Sigma:
    if isinstance(sigma, Mapping):
        return {name: item if np.ndim(item) == 0 else np.asarray(item)[used] for name, item in sigma.items()}  # type: ignore[arg-type]
    return np.asarray(sigma)[used] if np.ndim(sigma) else sigma  # type: ignore[arg-type]


def _thresholds(read: Formula, name: str, rows: Mapping[str, Array]) -> Array | None:
    """Return the values of a step at which a row changes sides, sorted; None where other coefficients decide, too."""
    n, values = len(next(iter(rows.values()))), []
    for node in walk(read.right):
        if not isinstance(node, Compare) or name not in names(node):
            continue
        between = Binary("-", node.left, node.right)
        slope = derivative(between, name)
        if any(text in read.coefficients for text in names(slope)) or set(names(between)) & set(
            read.coefficients
        ) != {name}:
            return None
        with np.errstate(all="ignore"):
            start = evaluate(replaced(between, name, Number(0.0)), rows, n)
            values.append(-start / evaluate(slope, rows, n))
    edges = np.unique(np.concatenate(values)) if values else np.empty(0)
    edges = edges[np.isfinite(edges)]
    if len(edges) < 2:
        raise DataError(
            f"{name} says where the curve steps, and all rows lie on one side wherever that is.", Fault.NOT_TOLD
        )
    return edges


def _profile(squares_in: Callable[[Array], Array], edges: Array, n: int) -> _Profile:
    """Return the sums of squares over the gaps of one step of ``n`` rows; ``squares_in`` gives them for some edges."""
    most = max(min(MOST_GAPS, MOST_NUMBERS // n), 20)
    kept = _spread_out(edges, most)
    squares = squares_in(kept)
    if len(kept) < len(edges):
        # Once more in full about the best of the coarse gaps.
        best = int(np.argmin(squares))
        low, high = kept[max(best - 1, 0)], kept[min(best + 2, len(kept) - 1)]
        fine = _spread_out(edges[(edges >= low) & (edges <= high)], most)
        kept = np.unique(np.concatenate([kept[(kept < low) | (kept > high)], fine]))
        squares = squares_in(kept)
    return _Profile(kept, squares)


def _spread_out(edges: Array, most: int) -> Array:
    """Return edges of no more than so many gaps, evenly taken."""
    if len(edges) - 1 <= most:
        return edges
    return edges[np.unique(np.linspace(0, len(edges) - 1, most + 1).round().astype(int))]


def _squares(request: FitRequest, name: str, at: Mapping[str, float], edges: Array) -> Array:
    """Return the sum of squares in each gap between edges, with the step as a column that is the same in all rows."""
    rows = request.data
    n = len(next(iter(rows.values())))  # type: ignore[arg-type]
    middles = (edges[:-1] + edges[1:]) / 2
    others = {other: np.full(n, value) for other, value in at.items() if other != name}
    series = [{**rows, **others, name: np.full(n, middle)} for middle in middles.tolist()]
    spread = None if request.sigma is None else [request.sigma] * len(series)
    many_fits = fit_series(request, series, solve_request, spread, [request.start] * len(series))
    with np.errstate(invalid="ignore"):
        # Where a part of the curve has too few rows its coefficients have no ±.
        known = many_fits.converged & np.isfinite(many_fits.standard_errors).all(axis=1)
    squares = np.where(known, many_fits.sums_of_squares, np.inf)
    if not np.isfinite(squares).any():
        raise DataError(
            f"Wherever {name} is, some coefficient of the curve has too few rows to be told.", Fault.TOO_FEW
        )
    return squares


def _by_turns(
    steps: Sequence[str],
    edges: Mapping[str, Array],
    profile: Callable[[str, Mapping[str, float]], _Profile],
    progress: Progress | None = None,
) -> tuple[dict[str, float], dict[str, _Profile]]:
    """Return the places of all steps, and the profile of each beside the others: the best of several beginnings."""
    best: tuple[float, dict[str, float], dict[str, _Profile]] | None = None
    for turn in range(len(steps)):
        count = len(steps)
        at = {
            name: float(np.quantile(edges[name], ((place + turn) % count + 0.5) / count))
            for place, name in enumerate(steps)
        }
        profiles: dict[str, _Profile] = {}
        ended = False
        for _ in range(MOST_ROUNDS):
            before = dict(at)
            for name in steps:
                profiles[name] = profile(name, at)
                at[name] = profiles[name].middle
            lowest = min(float(item.squares.min()) for item in profiles.values())
            ended = progress is not None and bool(progress(turn + 1, lowest))
            if at == before or count == 1 or ended:
                break
        lowest = min(float(each.squares.min()) for each in profiles.values())
        if best is None or lowest < best[0]:
            best = lowest, at, profiles
        if ended:
            break
    assert best is not None
    return best[1], best[2]


def _with_steps(
    read: Formula, result: FitResult, at: Mapping[str, float], profiles: Mapping[str, _Profile]
) -> FitResult:
    """Return a fit with its steps held as one in which they were fitted: they count among the coefficients."""
    freedom = result.degrees_of_freedom - len(at)
    known = result.absolute_sigma
    enough = freedom > 0 or known
    wider = 1.0 if known or freedom < 1 else math.sqrt(result.degrees_of_freedom / freedom)
    quantile = t_quantile(result.level, math.inf if known else float(max(freedom, 1)))
    limit = -2 * math.log(1 - math.sqrt(result.level))
    coefficients: dict[str, Coefficient] = {}
    for name in read.coefficients:
        coefficient = result.coefficients[name]
        if name in at:
            profile, low, high = profiles[name], None, None
            least = float(profile.squares.min())
            if enough:
                low, high = profile.within(least + limit * (1.0 if known else least / freedom))
            coefficients[name] = Coefficient(name, at[name], None, low, high, freedom=freedom)
        elif coefficient.standard_error is None or not enough:
            coefficients[name] = coefficient if enough or coefficient.held else Coefficient(name, coefficient.value)
        else:
            error = coefficient.standard_error * wider
            low, high = coefficient.value - quantile * error, coefficient.value + quantile * error
            t = None if coefficient.t is None else coefficient.t / wider
            coefficients[name] = replace(
                coefficient, standard_error=error, low=low, high=high, t=t, freedom=math.inf if known else freedom
            )
    covariance = None if result.covariance is None or not enough else result.covariance * wider**2
    scatter = None if result.residual_sd is None or not enough else result.residual_sd * wider
    curve = result.given_curve
    if isinstance(curve, FormulaCurve):
        unit = 1.0 if known else scatter
        curve = curve.with_scatter(covariance, unit, math.inf if known else float(max(freedom, 0)))
    return replace(
        result,
        coefficients=coefficients,
        given_curve=curve,
        degrees_of_freedom=freedom,
        residual_sd=scatter,
        covariance=covariance,
        details=Steps({name: profile.gap for name, profile in profiles.items()}),
        own_remarks=(*result.own_remarks, Remark(RemarkKind.STEPS, tuple(at))),
    )
