"""One formula over many series, stacked into arrays and solved together.

Starts: the estimates of a catalogue model, or the answers of a full search on a few of the series. A fit that does not
converge from any of them is searched for on its own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, overload

import numpy as np

from vettore.core.arrays import Array, Mask, Rows, Values, as_values, finite
from vettore.core.errors import DataError, a_mapping
from vettore.core.fitting.asked import DEFAULT_SEED, Options
from vettore.core.fitting.nonlinear import fit
from vettore.core.fitting.nonlinear_result import Solved, nonlinear_result
from vettore.core.fitting.polish import Polished, root_of
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

    An item is the full result of one fit, made when it is asked for.
    """

    formula: str
    coefficients: tuple[str, ...]
    values: Array
    standard_errors: Array
    sums_of_squares: Array
    rows: Array
    converged: Mask
    _series: Sequence[Mapping[str, Values]] = field(repr=False)
    _held: Mapping[str, float] = field(repr=False)
    _level: float = field(repr=False)

    def _line(self) -> str:
        failed = int(np.sum(~self.converged))
        return f"{self.formula}; {len(self)} fits" + (f", {failed} did not converge" if failed else "")

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        columns: dict[str, Sequence[Any]] = {"series": list(range(1, len(self) + 1))}
        for place, name in enumerate(self.coefficients):
            columns[name] = self.values[:, place].tolist()
            columns[f"{name} standard error"] = self.standard_errors[:, place].tolist()
        columns["sum of squares"] = self.sums_of_squares.tolist()
        columns["rows"] = self.rows.tolist()
        columns["converged"] = self.converged.tolist()
        return columns

    def _facts(self) -> Mapping[str, Any]:
        names = ("formula", "coefficients", "values", "standard_errors", "sums_of_squares", "rows", "converged")
        return {name: getattr(self, name) for name in names}

    def __len__(self) -> int:
        return len(self._series)

    def __iter__(self) -> Iterator[FitResult]:
        return (self._result(i) for i in range(len(self)))

    @overload
    def __getitem__(self, place: int) -> FitResult: ...
    @overload
    def __getitem__(self, place: slice) -> Sequence[FitResult]: ...
    def __getitem__(self, place: int | slice) -> FitResult | Sequence[FitResult]:
        """Return the result of one fit, or of several."""
        if isinstance(place, slice):
            return [self._result(i) for i in range(*place.indices(len(self)))]
        if not -len(self) <= place < len(self):
            raise IndexError(place)
        return self._result(place % len(self))

    def _result(self, i: int) -> FitResult:
        data = self._series[i]
        model = prepared(self.formula, data, self._held)
        if not model.parts.nonlinear:
            return fit(self.formula, data, hold=self._held, level=self._level)
        rows, used = pick_rows(model.formula, data, None, None)
        given: dict[str, Array | float] = {**{name: used[name] for name in model.formula.data}, **self._held}
        problem = Separable(model, given, rows.y)
        theta = np.array([self.values[i, self.coefficients.index(name)] for name in model.free])
        p = len(model.parts.linear)
        with np.errstate(all="ignore"):
            residual, slopes = problem.joint(theta[p:], theta[:p])
        inverse, gradient, singular = root_of(slopes, residual)
        length = float(np.linalg.norm(residual))
        basis = inverse.T @ slopes
        answer = Polished(
            theta[:p],
            theta[p:],
            residual,
            np.einsum("ij,ij->j", basis, basis),
            inverse,
            float(np.linalg.norm(gradient)) / length if length > 0 else 0.0,
            singular,
            np.ones(len(theta), dtype=np.bool_),
        )
        options = Options(held=self._held, level=self._level)
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


def _check_counts(counts: Array, needed: int) -> None:
    short = np.flatnonzero(counts < needed)
    if len(short):
        i = int(short[0])
        raise DataError(
            f"Series {i + 1} has {int(counts[i])} rows in use for {needed} coefficients. Take it out or hold some."
        )


def _errors(best: Answers, freedom: Array) -> Array:
    """Return the standard errors (series, m); NaN where no row is left over to tell them."""
    with np.errstate(all="ignore"):
        variance = np.where(freedom > 0, best.squares / np.maximum(freedom, 1), np.nan)
        return np.sqrt(best.unit_variance * variance[:, None])


def fit_many(
    formula: str | Model,
    data: Sequence[Mapping[str, Values]],
    *,
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
    columns: tuple[str, str] | None = None,
) -> ManyFits:
    """Fit one formula to many series, each a mapping of columns; see fit. No starting values are needed.

    Raises FormulaError, or DataError that names a series (counted from 1) which cannot be fitted.

    >>> from vettore import core
    >>> rows = [{"x": [0, 1, 2, 3], "y": [a, 2.1 * a, 4.3 * a, 8.5 * a]} for a in (1.0, 2.0)]
    >>> fits = core.fit_many("y = A*exp(k*x)", rows)
    >>> fits.values.shape
    (2, 2)
    """
    series = list(data)
    if not series:
        raise DataError("There is no series to fit.")
    held = a_mapping(hold, "Held coefficients", '{"C": 0.0}')
    Options(level=level, seed=seed).check(False)
    formula, model = _one_model(formula, list(series[0]), held, columns)
    check_start(model.formula, start)
    given, y_of, mask = _stacked(model, series)
    counts = mask.sum(axis=1)
    _check_counts(counts, len(model.free))

    def alone(place: int) -> FitResult:
        return fit(formula, series[place], start=start, hold=held, seed=seed)

    starts = [np.tile(alpha, (len(series), 1)) for alpha in _starts(model, start, alone, len(series))]
    stack = Stack(model, given, y_of, None if mask.all() else mask.astype(np.float64), held)
    best = stack.solve(starts[0])
    for other in starts[1:]:
        _try_another(best, stack, other, np.maximum(counts - len(model.free), 1))
    _search_alone(best, formula, series, start, held, seed, model)
    errors = _errors(best, np.maximum(counts - len(model.free), 0))
    order = list(model.order)
    return ManyFits(
        formula,
        tuple(model.free[i] for i in order),
        best.theta[:, order],
        errors[:, order],
        best.squares,
        counts.astype(np.float64),
        best.converged,
        series,
        held,
        level,
    )


def _starts(
    model: Prepared, start: Mapping[str, float] | None, fitted: Callable[[int], FitResult], count: int
) -> list[Array]:
    """Return where the searches begin (q,): as given, or the answers of some of the series, fitted each alone."""
    nonlinear = model.parts.nonlinear
    if not nonlinear:
        return [np.empty(0)]
    if start is not None and all(name in start for name in nonlinear):
        return [np.array([float(start[name]) for name in nonlinear])]
    chosen = sorted({int(place) for place in np.linspace(0, count - 1, SAMPLES).round()})
    answers = [fitted(place).coefficients for place in chosen]
    return [np.array([answer[name].value for name in nonlinear]) for answer in answers]


def _search_alone(
    best: Answers,
    formula: str,
    series: Sequence[Mapping[str, Values]],
    start: Mapping[str, float] | None,
    held: Mapping[str, float],
    seed: int,
    model: Prepared,
) -> None:
    """Search for the answers that no common start led to."""
    for i in np.flatnonzero(~best.converged).tolist():
        alone = fit(formula, series[i], start=start, hold=held, seed=seed)
        if alone.sum_of_squares <= best.squares[i] or not np.isfinite(best.squares[i]):
            best.theta[i] = [alone.coefficients[name].value for name in model.free]
            best.squares[i] = alone.sum_of_squares
            best.converged[i] = alone.converged
            spread = [alone.coefficients[name].standard_error for name in model.free]
            scatter = alone.residual_sd or 1.0
            best.unit_variance[i] = [np.nan if one is None else (one / scatter) ** 2 for one in spread]


def _stacked(model: Prepared, series: Sequence[Mapping[str, Values]]) -> tuple[dict[str, Array], Array, Mask]:
    """Return columns and response of shape (fits, rows) with a mask of the rows in use.

    A column that is one and the same array in all series stays one, of shape (1, rows).
    """
    read = model.formula
    wanted = list(dict.fromkeys([*read.data, *read.measured]))
    tables = {}
    for name in wanted:
        try:
            lists = [one[name] for one in series]
        except KeyError:
            number = next(i for i, one in enumerate(series, 1) if name not in one)
            raise DataError(f"Series {number} has no column “{name}”.", column=name) from None
        try:
            if not all(_is_simple(values) for values in lists):
                # Masks, missing values and dates are for the one door of values.
                raise TypeError
            common = name not in read.measured and lists[-1] is lists[0] and all(one is lists[0] for one in lists)
            table = np.array(lists[:1] if common else lists, dtype=np.float64)
        except (ValueError, TypeError):
            arrays = [as_values(one[name], name) for one in series]
            table = np.full((len(arrays), max(map(len, arrays))), np.nan)
            for i, values in enumerate(arrays):
                table[i, : len(values)] = values
        if table.ndim != 2:
            raise DataError(f"{name} is not a list of numbers in every series.", column=name)
        tables[name] = table
    if len({table.shape[1] for table in tables.values()}) > 1:
        raise DataError("The columns of a series are not equally long.")
    mask = np.ones(tables[read.response].shape, dtype=np.bool_)
    for table in tables.values():
        if not finite(table):
            mask &= np.isfinite(table)
    if not mask.all():
        first = np.argmax(mask, axis=1)
        for name, table in tables.items():
            # A row out of use gets the numbers of one in use, so that the formula has a value there.
            whole = np.broadcast_to(table, mask.shape)
            tables[name] = np.where(mask, whole, whole[np.arange(len(whole)), first][:, None])
    from vettore.core.formula.evaluate import Program

    assert read.left is not None
    with np.errstate(all="ignore"):
        y = np.broadcast_to(
            np.asarray(Program(read.left)({name: tables[name] for name in read.measured})), mask.shape
        )
    if not finite(y):
        y, mask = np.where(np.isfinite(y), y, 0.0), mask & np.isfinite(y)
    return {name: tables[name] for name in read.data}, y, mask


def _is_simple(values: Values) -> bool:
    """Whether values are an array of numbers or a list, and need no second look."""
    return isinstance(values, (list, tuple)) or (type(values) is np.ndarray and values.dtype.kind in "fiub")


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
