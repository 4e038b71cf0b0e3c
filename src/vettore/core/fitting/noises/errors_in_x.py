"""Fits with errors in x and in y: orthogonal distance (Boggs, Byrd & Schnabel 1987).

Each row has a true x, ξ, of its own. The least of

    S(c) = Σ min_ξ [ (y − f(ξ; c))² / σ_y² + (x − ξ)² / σ_x² ]

is sought. For given c each ξ is found by Newton's method, all rows at once. With f′ = f′(ξ) and

    s² = σ_y² + f′² σ_x²,        r = (y − f(ξ) + f′ (ξ − x)) / s,

r² is the row's part of S, and with J = −∂f/∂c (ξ) / s the gradient of S is 2 Jᵀr exactly: the problem without the ξ is one
of least squares whose Jacobian is J, its derivative through s left out. Where the errors of a row are correlated by ρ, that of
y is ρ σ_y/σ_x times that of x and an independent rest of σ_y √(1 − ρ²); with the rest in place of σ_y, and f less so many
times (ξ − x), all is as before, and s² = σ_y² − 2ρ f′ σ_x σ_y + f′² σ_x² (York and others 2004 for straight lines).

It is solved by Levenberg's steps, and ended by Newton's with the Hessian of S from differences of that gradient. (JᵀJ)⁻¹ is
the covariance of c, as the full problem has it.

At the answer the rows (ξ, y + f′(ξ − x), s) fitted in the ordinary way have the same answer, gradient and covariance; so that
result is taken, with the measured x and y in it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

import numpy as np

from vettore.core.arrays import Array, Mask, Values, as_values
from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.fitting.details import ErrorsInX
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.problem import Problem
from vettore.core.fitting.record import Status
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.fitting.search.scoring import MOST_STEPS, least
from vettore.core.fitting.solve import least_squares, solve_request, with_doubts
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.tree import Node
from vettore.core.formula.write import name_text, to_text
from vettore.core.remarks import RemarkKind

# Newton's steps for the true x, and by how much of σ they must move for another.
MOST_INNER, INNER_STILL = 60, 1e-13
HALVINGS = 16
ROUNDING = 4 * float(np.finfo(np.float64).eps)
# Newton's steps after one that gained less than this share have doubled their digits so many times; what still moves then
# is the rounding of the formula.
CALM, CALM_STEPS = 1e-9, 3


@dataclass(frozen=True)
class _At:
    """The rows at some coefficients: true x, r and J of the reduced problem, and S."""

    true_x: Array
    slope: Array
    spread: Array
    residual: Array
    jacobian: Array
    squares: float


class _Place(NamedTuple):
    """Rows at some x (n,): the curve there, its slope and bend, what is left of y, and the rows' parts of S."""

    x: Array
    value: Array
    slope: Array
    bend: Array
    off: Array
    parts: Array


class _DistanceRows:
    """Rows x, y with σ_x, σ_y, ρ (n,) and a formula over x with coefficients ``free``; ``held`` are the others."""

    def __init__(
        self, tree: Node, x_name: str, free: tuple[str, ...], held: Mapping[str, float], rows: tuple[Array, ...]
    ) -> None:
        self.x, self.y, self.sigma_x, sigma_y, correlation = rows
        slope = derivative(tree, x_name)
        given = {name: np.float64(value) for name, value in held.items()}
        along = Program(tree, slope, derivative(slope, x_name))
        # Value, slope and bend along x in one run, and all derivatives by coefficients in another.
        self._along = along.bound(given, (x_name, *free))
        self._by = Program(*(derivative(tree, name) for name in free)).bound(given, (x_name, *free))
        # Rows whose x is known exactly have nothing to be sought.
        self._open = self.sigma_x > 0
        some = np.where(self._open, self.sigma_x, 1.0)
        self._precision = np.where(self._open, 1 / some**2, 0.0)
        self._tilt = np.where(self._open, correlation * sigma_y / some, 0.0)
        self.sigma_y = np.where(self._open, sigma_y * np.sqrt(1 - correlation**2), sigma_y)

    def _shaped(self, run: Callable[[Iterable[Any]], list[Any]], c: Array, x: Array) -> list[Array]:
        return [np.broadcast_to(np.asarray(value, dtype=np.float64), x.shape) for value in run((x, *c))]

    def value(self, c: Array, x: Array) -> Array:
        """Return the curve at x (n,)."""
        return self._shaped(self._along, c, x)[0]

    def _place(self, c: Array, true_x: Array) -> _Place:
        value, slope, bend = self._shaped(self._along, c, true_x)
        # What is left of y beside what comes with the error of x.
        off = self.y - value - self._tilt * (self.x - true_x)
        parts = (off / self.sigma_y) ** 2 + (self.x - true_x) ** 2 * self._precision
        return _Place(true_x, value, slope, bend, off, parts)

    def _nearest(self, c: Array, begin: Array) -> _Place:
        """Return the ξ of all rows: Newton's method from ``begin``, each step halved until it comes down."""
        place, calm = self._place(c, np.where(self._open, begin, self.x)), 0
        lost = ~np.isfinite(place.parts)
        if lost.any():
            # Where the place to begin is out of the formula's range, the measured x is taken.
            place = self._place(c, np.where(lost, self.x, place.x))
        for _ in range(MOST_INNER):
            slope, weight = place.slope - self._tilt, 1 / self.sigma_y**2
            down = place.off * weight * slope + (self.x - place.x) * self._precision
            safe = slope**2 * weight + self._precision
            curved = safe - place.off * weight * place.bend
            step = np.where(self._open, down / np.where(curved > 0.1 * safe, curved, safe), 0.0)
            step[~np.isfinite(step)] = 0.0
            # A part is known to the rounding of y and of the curve, not to its own.
            rounding = ROUNDING * (np.abs(self.y) + np.abs(place.value)) / self.sigma_y
            level = (np.sqrt(place.parts) + rounding) ** 2
            for _ in range(HALVINGS):
                there = self._place(c, place.x + step)
                worse = ~(there.parts <= level) & (step != 0)
                if not worse.any():
                    break
                step[worse] *= 0.5
            else:
                step[worse] = 0.0
                there = self._place(c, place.x + step)
            before = float(np.sum(place.parts))
            calm += before - float(np.sum(there.parts)) <= CALM * before
            place = there
            if calm > CALM_STEPS or np.all(np.abs(step) <= INNER_STILL * (np.abs(place.x) + self.sigma_x)):
                break
        return place

    def at(self, c: Array, near: _At | None) -> _At:
        """Return everything at coefficients ``c``."""
        place = self._nearest(c, self.x if near is None else near.true_x)
        spread = np.sqrt(self.sigma_y**2 + (place.slope - self._tilt) ** 2 * self.sigma_x**2)
        straight = self.y - place.value + place.slope * (place.x - self.x)
        jacobian = np.column_stack(self._shaped(self._by, c, place.x)) / spread[:, None]
        return _At(place.x, place.slope, spread, straight / spread, jacobian, float(np.sum(place.parts)))


def fit_distances(problem: Problem) -> FitResult:
    """Return the fit with errors in x, too, from an ordinary one of the same rows with ± of y.

    Rows with a σ_x of zero have an exact x. Raises DataError for a formula of several columns, or ± that are none.
    """
    first, read, request = least_squares(problem), problem.read, problem.request
    if len(read.data) != 1:
        raise DataError(
            f"Errors in x are for a formula of one column; {read} has {len(read.data) or 'none'}.", Fault.NO_EFFECT
        )
    used = first.rows_in_use
    assert request.sigma_x is not None
    spread = _of_rows(request.sigma_x, len(used), "sigma_x")[used]
    _check_sigma(spread, used)
    together = np.zeros(len(spread))
    if request.correlation is not None:
        if read.transformed:
            raise DataError(
                f"The correlation is that of x and y themselves: write y, not {read.left_text}, before the =.",
                Fault.UNAVAILABLE,
            )
        together = _of_rows(request.correlation, len(used), "correlation")[used]
        _check_correlation(together, used)
    assert first.sigma is not None
    free, x_name = first.fitted_names, read.data[0]
    held = {name: coefficient.value for name, coefficient in first.coefficients.items() if name not in free}
    rows = _DistanceRows(read.right, x_name, free, held, (first.x, first.y, spread, first.sigma, together))
    with np.errstate(all="ignore"):
        c, at, steps = least(rows, np.array([first.coefficients[name].value for name in free]), free, problem.limits)
    known = None if request.correlation is None else together
    return with_doubts(_result(first, problem, (c, at, steps), rows, known), problem)


def _of_rows(given: Values | float, count: int, name: str) -> Array:
    values = np.full(count, float(given)) if np.ndim(given) == 0 else as_values(given, name)  # type: ignore[arg-type]
    if len(values) != count:
        raise DataError(f"{name} has {len(values)} entries, and the data have {count} rows.", Fault.LENGTHS)
    return values


def _check_sigma(sigma_x: Array, used: Mask) -> None:
    bad = _rows_that(~(np.isfinite(sigma_x) & (sigma_x >= 0)), used)
    if bad:
        raise DataError(
            f"The ± of x is no number from 0 in {name_rows(bad)}. Give it in every row, 0 where x is exact, or set these rows "
            "aside.",
            Fault.BAD_ROWS,
        )


def _check_correlation(correlation: Array, used: Mask) -> None:
    bad = _rows_that(~(np.abs(correlation) < 1), used)
    if bad:
        raise DataError(
            f"The correlation of the errors of x and y is no number between −1 and 1 in {name_rows(bad)}. Give it in every "
            "row, 0 where they are independent, or set these rows aside.",
            Fault.BAD_ROWS,
        )


def _rows_that(bad: Mask, used: Mask) -> list[int]:
    """Return the rows, counted from 1 among all, that are marked among those in use."""
    return [int(row) for row in np.flatnonzero(used)[bad] + 1]


def _result(
    first: FitResult,
    problem: Problem,
    answer: tuple[Array, _At, int],
    rows: _DistanceRows,
    correlation: Array | None,
) -> FitResult:
    """Return the ordinary result of the rows at the answer (coefficients, rows there, steps), with the measured rows in it."""
    c, at, steps = answer
    read, free, x_name = problem.read, first.fitted_names, problem.read.data[0]
    y_name = "y" if x_name != "y" else "x"
    while y_name in first.coefficients:
        y_name += "0"
    straight = rows.y + at.slope * (at.true_x - rows.x)
    begin = dict(zip(free, c.tolist(), strict=True))
    columns = {x_name: at.true_x, y_name: straight}
    text = f"{name_text(y_name)} = {to_text(read.right)}"
    result = solve_request(problem.request.refit(formula=text, data=columns, start=begin, sigma=at.spread))
    moved = max(
        (abs(result.coefficients[name].value - begin[name]) * _size(result, name) for name in free), default=0.0
    )
    curve = result.given_curve
    if isinstance(curve, FormulaCurve):
        curve = curve.with_values(curve.values)
        curve.span = (float(rows.x.min()), float(rows.x.max()))
    values = {name: result.coefficients[name].value for name in result.coefficients}
    fitted = rows.value(np.array([values[name] for name in free]), rows.x)
    remarks = [remark for remark in first.own_remarks if remark.kind not in _OF_THE_SEARCH]
    ended = result.converged and moved < 1e-4 and steps < MOST_STEPS
    return replace(
        result,
        **first.as_asked(),
        method=FitMethod.ORTHOGONAL,
        status=Status.CONVERGED if ended else Status.NOT_CONVERGED,
        own_remarks=(*remarks, *result.own_remarks),
        given_curve=curve,
        y=first.y,
        residuals=first.y - fitted,
        trace=replace(result.trace, search=first.search, iterations=steps, beside=None),
        details=ErrorsInX(rows.sigma_x, first.sigma, at.true_x, correlation),
    )


_OF_THE_SEARCH: frozenset[RemarkKind] = frozenset({RemarkKind.BETTER_SQUARES, RemarkKind.BETTER_SCALE})


def _size(result: FitResult, name: str) -> float:
    error = result.coefficients[name].standard_error
    return 0.0 if not error else 1.0 / error
