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
from vettore.core.errors import DataError, a_mapping
from vettore.core.fitting.asked import DEFAULT_SEED, Options
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.limits import Limits, check_limits
from vettore.core.fitting.many_asked import AllSeries, Asked, by_label, check_each, labelled, stacked
from vettore.core.fitting.nonlinear_result import Solved, nonlinear_result
from vettore.core.fitting.polish import Polished, leverage_of, root_of
from vettore.core.fitting.prepared import Prepared, prepared
from vettore.core.fitting.record import Search
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.separable import Separable
from vettore.core.fitting.stack import Answers, Stack
from vettore.core.fitting.terms import check_held, check_start, pick_rows
from vettore.core.models.model import Model
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
    _asked: Asked = field(repr=False)

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
        return len(self._asked.series)

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
        asked, data, sigma = self._asked, self._asked.series[i], self._asked.sigma_of(i)
        model = prepared(self.formula, data, asked.held)
        values = dict(zip(self.coefficients, self.values[i].tolist(), strict=True))
        if not model.parts.nonlinear or not asked.inside(values):
            return asked.alone(self.formula, i)
        rows, used = pick_rows(model.formula, data, sigma, None)
        given: dict[str, Array | float] = {**{name: used[name] for name in model.formula.data}, **asked.held}
        root = None if rows.weights is None else np.sqrt(rows.weights.high)
        problem = Separable(model, given, rows.y, root)
        theta = np.array([values[name] for name in model.free])
        p = len(model.parts.linear)
        with np.errstate(all="ignore"):
            residual, slopes = problem.joint(theta[p:], theta[:p])
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
        options = Options(held=asked.held, level=asked.level, absolute_sigma=asked.absolute_sigma)
        result = nonlinear_result(model, problem, rows, used, Solved(answer, (), Search(1)), options)
        return result if self.converged[i] else replace(result, converged=False)


def _one_model(
    formula: str | Model, names: list[str], held: Mapping[str, float], columns: tuple[str, str] | None
) -> tuple[str, Prepared]:
    """Return the formula as text, and made ready for all series. Raises FormulaError, DataError."""
    if isinstance(formula, Model):
        formula = formula.over(*formula.columns_of(names, columns), names)
    elif columns is not None:
        raise DataError("columns name x and y for a model of the catalogue; a formula names its own.")
    model = prepared(formula, names, held)
    check_held(model.formula, held)
    if model.formula.left is None or not model.free:
        raise DataError("The formula needs a measured column before an =, and a coefficient to fit.")
    return formula, model


def _check_counts(counts: Array, needed: int, asked: Asked) -> None:
    short = np.flatnonzero(counts < needed)
    if len(short):
        i = int(short[0])
        raise DataError(
            f"{asked.named(i)} has {int(counts[i])} rows in use for {needed} coefficients. Take it out or hold some."
        )


def _errors(best: Answers, freedom: Array, known: bool) -> Array:
    """Return the standard errors (series, m); NaN where no row is left over to tell them."""
    with np.errstate(all="ignore"):
        variance = np.where(freedom > 0, best.squares / np.maximum(freedom, 1), np.nan)
        if known:
            variance = np.ones_like(variance)
        return np.sqrt(best.unit_variance * variance[:, None])


def fit_series(
    formula: str | Model,
    data: AllSeries,
    by: Callable[..., FitResult],
    *,
    start: Mapping[str, float] | Sequence[Mapping[str, float]] | None = None,
    hold: Mapping[str, float] | None = None,
    sigma: Sequence[Sigma] | Mapping[str, Sigma] | None = None,
    absolute_sigma: bool = False,
    limits: Limits | None = None,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    columns: tuple[str, str] | None = None,
) -> ManyFits:
    """Fit one formula to many series at once, those that this does not serve alone ``by`` a fit; see fit_many."""
    labels, series = labelled(data)
    if not series:
        raise DataError("There is no series to fit.")
    held = a_mapping(hold, "Held coefficients", '{"C": 0.0}')
    Options(level=level, seed=seed, absolute_sigma=absolute_sigma).check(sigma is not None)
    formula, model = _one_model(formula, list(series[0]), held, columns)
    starts, spreads = _start_of_each(start, labels, model), by_label(sigma, labels)
    bounds = check_limits(model.formula, limits, held)
    asked = Asked(series, labels, starts, held, spreads, absolute_sigma, bounds, level, seed, by)
    given, y_of, mask = stacked(model, asked)
    counts = (mask > 0).sum(axis=1)
    _check_counts(counts, len(model.free), asked)
    begins = _starts(model, asked, formula)
    stack = Stack(model, given, y_of, None if (mask == 1).all() else mask, held)
    best = stack.solve(begins[0])
    for other in begins[1:]:
        _try_another(best, stack, other, np.maximum(counts - len(model.free), 1))
    errors = _errors(best, np.maximum(counts - len(model.free), 0), absolute_sigma)
    _search_alone(best, errors, formula, asked, model)
    order = list(model.order)
    return ManyFits(
        formula,
        tuple(model.free[i] for i in order),
        best.theta[:, order],
        errors[:, order],
        best.squares,
        counts.astype(np.float64),
        best.converged,
        labels,
        asked,
    )


def _start_of_each(
    start: Mapping[str, float] | Sequence[Mapping[str, float]] | None, labels: Sequence[str], model: Prepared
) -> Sequence[Mapping[str, float] | None]:
    """Return the start of each series. Raises DataError."""
    starts = [start] * len(labels) if start is None or isinstance(start, Mapping) else list(start)
    check_each(starts, labels, "start")
    for one in {id(one): one for one in starts}.values():
        check_start(model.formula, one)
    return starts


def _starts(model: Prepared, asked: Asked, formula: str) -> list[Array]:
    """Return where the searches begin (series, q): as given, or the answers of some of the series, fitted each alone."""
    nonlinear, count = model.parts.nonlinear, len(asked.series)
    if not nonlinear:
        return [np.empty((count, 0))]
    if all(one is not None and all(name in one for name in nonlinear) for one in asked.starts):
        return [np.array([[float((one or {})[name]) for name in nonlinear] for one in asked.starts])]
    chosen = sorted({int(place) for place in np.linspace(0, count - 1, SAMPLES).round()})
    answers = [asked.alone(formula, place).coefficients for place in chosen]
    return [np.tile([answer[name].value for name in nonlinear], (count, 1)) for answer in answers]


def _search_alone(best: Answers, errors: Array, formula: str, asked: Asked, model: Prepared) -> None:
    """Search for the answers that no common start led to, and for those that left their limits."""
    outside = np.zeros(len(best.converged), dtype=np.bool_)
    for name, (low, high) in asked.limits.items():
        value = best.theta[:, model.free.index(name)]
        outside |= ~((value > low) & (value < high))
    for i in np.flatnonzero(~best.converged | outside).tolist():
        alone = asked.alone(formula, i)
        if outside[i] or alone.sum_of_squares <= best.squares[i] or not np.isfinite(best.squares[i]):
            ones = [alone.coefficients[name] for name in model.free]
            best.theta[i] = [one.value for one in ones]
            best.squares[i] = alone.sum_of_squares
            best.converged[i] = alone.converged
            errors[i] = [np.nan if one.standard_error is None else one.standard_error for one in ones]


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
    for one in fields(Answers):
        getattr(best, one.name)[chosen[better]] = getattr(other, one.name)[better]
    return bool(better.any())


def _usable(answers: Answers) -> Mask:
    return answers.converged & np.isfinite(answers.squares)
