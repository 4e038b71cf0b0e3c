"""One formula over many series, stacked into arrays and solved together.

Starts: the estimates of a catalogue model, or the answers of a full search on a few of the series. A fit that does not
converge from any of them is searched for on its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import partial
from typing import Any, overload

import numpy as np

from vettore.core.arrays import Array, Mask, Rows
from vettore.core.errors import DataError, Fault, a_mapping
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.limits import check_limits
from vettore.core.fitting.many_request import AllSeries, ManyRequest, by_label, check_each, labelled, stacked
from vettore.core.fitting.prepared import Prepared, prepared
from vettore.core.fitting.problem import check_held, check_start, problem_of
from vettore.core.fitting.record import Search, Status
from vettore.core.fitting.request import FitRequest, check_options
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.search.nonlinear_result import Solved, nonlinear_result
from vettore.core.fitting.search.polish import Polished, leverage_of, root_of
from vettore.core.fitting.search.separable import Separable
from vettore.core.fitting.search.stack import Answers, Stack
from vettore.core.telling import Tells

# Series on which a full search is made when there are no starts.
SAMPLES = 3
# Another start is tried on so many, and on those whose misfit is so many times the usual one.
TRIED, DOUBTFUL = 500, 2.0
# Sums of squares that differ by less are those of one answer.
SAME = 1e-9


@dataclass(frozen=True, eq=False, repr=False)
class ManyFits(Tells, Sequence[FitResult]):
    """The fits in the order of the series. ``values`` and ``standard_errors`` have shape (fits, coefficients).

    An item, by its place or its label, is the full result of one fit, made when it is asked for.
    """

    formula: str
    coefficients: tuple[str, ...]
    values: Array
    standard_errors: Array
    sums_of_squares: Array
    rows: Array
    converged: Mask
    labels: tuple[str, ...]
    _request: ManyRequest = field(repr=False)

    def _line(self) -> str:
        failed = int(np.sum(~self.converged))
        return f"{self.formula}; {len(self)} fits" + (f", {failed} did not converge" if failed else "")

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        columns: dict[str, Sequence[Any]] = {"series": list(self.labels)}
        for place, name in enumerate(self.coefficients):
            columns[name] = self.values[:, place].tolist()
            columns[f"{name} standard error"] = self.standard_errors[:, place].tolist()
        columns["sum of squares"] = self.sums_of_squares.tolist()
        columns["rows"] = self.rows.tolist()
        columns["converged"] = self.converged.tolist()
        return columns

    def _facts(self) -> Mapping[str, Any]:
        names = (
            "formula",
            "labels",
            "coefficients",
            "values",
            "standard_errors",
            "sums_of_squares",
            "rows",
            "converged",
        )
        return {name: getattr(self, name) for name in names}

    def __len__(self) -> int:
        return len(self._request.series)

    def __iter__(self) -> Iterator[FitResult]:
        return (self._result(i) for i in range(len(self)))

    @overload
    def __getitem__(self, place: int | str) -> FitResult: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[FitResult]: ...
    def __getitem__(self, place: int | str | slice) -> FitResult | Sequence[FitResult]:
        """Return the result of one fit, or of several. Raises IndexError, KeyError."""
        if isinstance(place, slice):
            return [self._result(i) for i in range(*place.indices(len(self)))]
        if isinstance(place, str):
            if place not in self.labels:
                raise KeyError(place)
            place = self.labels.index(place)
        if not -len(self) <= place < len(self):
            raise IndexError(place)
        return self._result(place % len(self))

    def _result(self, i: int) -> FitResult:
        request = self._request
        model = prepared(self.formula, request.series[i], request.held)
        values = dict(zip(self.coefficients, self.values[i].tolist(), strict=True))
        if not model.parts.nonlinear or not request.inside(values):
            return request.alone(i)
        problem = problem_of(request.request_of(i).with_(limits=None))
        rows, used = problem.chosen
        given: dict[str, Array | float] = {**{name: used[name] for name in model.formula.data}, **problem.held}
        root = None if rows.weights is None else np.sqrt(rows.weights.high)
        separable = Separable(model, given, rows.y, root)
        theta = np.array([values[name] for name in model.free])
        p = len(model.parts.linear)
        with np.errstate(all="ignore"):
            residual, slopes = separable.joint(theta[p:], theta[:p])
        inverse, gradient, singular = root_of(slopes, residual)
        length = float(np.linalg.norm(residual))
        answer = Polished(
            theta[:p],
            theta[p:],
            residual,
            partial(leverage_of, inverse, slopes),
            inverse,
            float(np.linalg.norm(gradient)) / length if length > 0 else 0.0,
            singular,
            np.ones(len(theta), dtype=np.bool_),
        )
        result = nonlinear_result(problem, separable, Solved(answer, (), Search(1)))
        return result if self.converged[i] else replace(result, status=Status.NOT_CONVERGED)


def _check_counts(counts: Array, needed: int, request: ManyRequest) -> None:
    short = np.flatnonzero(counts < needed)
    if len(short):
        i = int(short[0])
        raise DataError(
            f"{request.label(i)} has {int(counts[i])} rows in use for {needed} coefficients. Take it out or hold some.",
            Fault.TOO_FEW,
        )


def _errors(best: Answers, freedom: Array, known: bool) -> Array:
    """Return the standard errors (series, m); NaN where no row is left over to tell them."""
    with np.errstate(all="ignore"):
        variance = np.where(freedom > 0, best.squares / np.maximum(freedom, 1), np.nan)
        if known:
            variance = np.ones_like(variance)
        return np.sqrt(best.unit_variance * variance[:, None])


def fit_series(
    each: FitRequest,
    data: AllSeries,
    by: Callable[[FitRequest], FitResult],
    sigma: Sequence[Sigma] | Mapping[str, Sigma] | None = None,
    start: Mapping[str, float] | Sequence[Mapping[str, float] | None] | None = None,
) -> ManyFits:
    """Fit many series at once as ``each`` asks, those that this does not serve alone ``by`` a fit; see fit_many."""
    labels, series = labelled(data)
    if not series:
        raise DataError("There is no series to fit.", Fault.NOTHING)
    held = a_mapping(each.hold, "Held coefficients", '{"C": 0.0}')
    check_options(each.level, each.seed, each.loss, each.absolute_sigma, sigma is not None)
    model = prepared(each.formula, series[0], held)
    check_held(model.formula, held)
    if model.formula.left is None or not model.free:
        raise DataError("The formula needs a measured column before an =, and a coefficient to fit.", Fault.MISSING)
    starts, spreads = _start_of_each(start, labels, model), by_label(sigma, labels)
    limits = check_limits(model.formula.coefficients, str(model.formula), each.limits, held)
    request = ManyRequest(each, series, labels, starts, spreads, held, limits, by)
    given, y_of, mask = stacked(model, request)
    counts = (mask > 0).sum(axis=1)
    _check_counts(counts, len(model.free), request)
    begins = _starts(model, request)
    stack = Stack(model, given, y_of, None if (mask == 1).all() else mask, held)
    best = stack.solve(begins[0])
    for other in begins[1:]:
        _try_another(best, stack, other, np.maximum(counts - len(model.free), 1))
    errors = _errors(best, np.maximum(counts - len(model.free), 0), each.absolute_sigma)
    _search_alone(best, errors, request, model)
    order = list(model.order)
    return ManyFits(
        each.formula,
        tuple(model.free[i] for i in order),
        best.theta[:, order],
        errors[:, order],
        best.squares,
        counts.astype(np.float64),
        best.converged,
        labels,
        request,
    )


def _start_of_each(
    start: Mapping[str, float] | Sequence[Mapping[str, float] | None] | None, labels: Sequence[str], model: Prepared
) -> Sequence[Mapping[str, float] | None]:
    """Return the start of each series. Raises DataError."""
    starts = [start] * len(labels) if start is None or isinstance(start, Mapping) else list(start)
    check_each(starts, labels, "start")
    for by_name in {id(by_key): by_key for by_key in starts}.values():
        check_start(model.formula, by_name)
    return starts


def _starts(model: Prepared, request: ManyRequest) -> list[Array]:
    """Return where the searches begin (series, q): as given, or the answers of some of the series, fitted each alone."""
    nonlinear, count = model.parts.nonlinear, len(request.series)
    if not nonlinear:
        return [np.empty((count, 0))]
    if all(start is not None and all(name in start for name in nonlinear) for start in request.starts):
        return [np.array([[float((by_name or {})[name]) for name in nonlinear] for by_name in request.starts])]
    chosen = sorted({int(place) for place in np.linspace(0, count - 1, SAMPLES).round()})
    answers = [request.alone(place).coefficients for place in chosen]
    return [np.tile([answer[name].value for name in nonlinear], (count, 1)) for answer in answers]


def _search_alone(best: Answers, errors: Array, request: ManyRequest, model: Prepared) -> None:
    """Search for the answers that no common start led to, and for those that left their limits."""
    outside = np.zeros(len(best.converged), dtype=np.bool_)
    for name, (low, high) in request.limits.items():
        value = best.theta[:, model.free.index(name)]
        outside |= ~((value > low) & (value < high))
    for i in np.flatnonzero(~best.converged | outside).tolist():
        alone = request.alone(i)
        if outside[i] or alone.sum_of_squares <= best.squares[i] or not np.isfinite(best.squares[i]):
            ones = [alone.coefficients[name] for name in model.free]
            best.theta[i] = [coefficient.value for coefficient in ones]
            best.squares[i] = alone.sum_of_squares
            best.converged[i] = alone.converged
            errors[i] = [np.nan if item.standard_error is None else item.standard_error for item in ones]


def _try_another(best: Answers, stack: Stack, start: Array, freedom: Array) -> None:
    """Put the better answers from another start in the place of those that are there.

    It is tried where the fit is bad or missing, and on some that are not; if it betters one of these, then on all.
    """
    with np.errstate(all="ignore"):
        misfit = np.where(_usable(best), best.squares / freedom, np.inf)
        doubtful = ~(misfit <= DOUBTFUL * np.median(misfit))
    spread = np.zeros(len(misfit), dtype=np.bool_)
    spread[:: max(len(spread) // TRIED, 1)] = True
    if _put_better(best, stack, start, np.flatnonzero(spread & ~doubtful)):
        _put_better(best, stack, start, np.flatnonzero(~spread | doubtful))
    else:
        _put_better(best, stack, start, np.flatnonzero(doubtful))


def _put_better(best: Answers, stack: Stack, start: Array, chosen: Rows) -> bool:
    """Solve some from another start, keep what is better, and tell whether anything was."""
    if not len(chosen):
        return False
    other = stack.take(chosen).solve(start[chosen])
    with np.errstate(all="ignore"):
        better = _usable(other) & ~(_usable(best)[chosen] & (best.squares[chosen] <= other.squares * (1 + SAME)))
    for item in fields(Answers):
        getattr(best, item.name)[chosen[better]] = getattr(other, item.name)[better]
    return bool(better.any())


def _usable(answers: Answers) -> Mask:
    return answers.converged & np.isfinite(answers.squares)
