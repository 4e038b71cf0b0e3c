"""One formula over many series: Levenberg–Marquardt on arrays of shape (fits, rows), all coefficients together.

Series of unequal length are padded with rows of weight 0. The linear coefficients of the start follow from the
nonlinear ones by least squares. Steps solve (JᵀJ + λD²)δ = Jᵀr by Cholesky over the whole stack; since steps are
repeated until the gradient is gone, the squared condition of JᵀJ costs steps, not digits.

Starts: the estimates of a catalogue model, or the answers of a full search on a few of the series. A fit that does not
converge from any of them is searched for on its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import overload

import numpy as np

from vettore.core.arrays import Array, Mask, Values, as_values
from vettore.core.errors import DataError
from vettore.core.fit.asked import DEFAULT_SEED, Options, Told
from vettore.core.fit.nonlinear import fit
from vettore.core.fit.nonlinear_result import Solved, nonlinear_result
from vettore.core.fit.polish import Polished, root_of
from vettore.core.fit.prepared import Prepared, prepared
from vettore.core.fit.result import FitResult
from vettore.core.fit.separable import Separable
from vettore.core.fit.terms import check_held, pick_rows
from vettore.core.models.model import Model

# Numbers in one block of fits: a few arrays of this size stay in cache.
BLOCK = 65_536
THREADS = 2
MOST_STEPS = 60
# A step that promises less than this share of the sum of squares is the last one.
PROMISE_ENDS = 1e-18
FIRST_DAMPING = 1e-3
# The damping falls by this factor at most.
LEAST_FALL = 0.02
# Sums of squares below this share of that of y are rounding.
ONLY_ROUNDING = 1e-29
# Series on which a full search is made when there are no starts.
SAMPLES = 3


@dataclass(frozen=True, eq=False)
class ManyFits(Sequence[FitResult]):
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
        residual, jacobian = problem.joint(theta[p:], theta[:p])
        inverse, gradient, singular = root_of(jacobian, residual)
        length = float(np.linalg.norm(residual))
        basis = jacobian @ inverse
        answer = Polished(
            theta[:p],
            theta[p:],
            residual,
            np.einsum("ij,ij->i", basis, basis),
            inverse,
            float(np.linalg.norm(gradient)) / length if length > 0 else 0.0,
            singular,
            np.ones(len(theta), dtype=np.bool_),
        )
        options = Options(held=self._held, level=self._level)
        result = nonlinear_result(model, problem, rows, used, Solved(answer, (), Told(1)), options)
        return result if self.converged[i] else replace(result, converged=False)


def fit_many(
    formula: str | Model,
    data: Sequence[Mapping[str, Values]],
    start: Mapping[str, float] | None = None,
    hold: Mapping[str, float] | None = None,
    level: float = 0.95,
    seed: int = DEFAULT_SEED,
) -> ManyFits:
    """Fit one formula to many series, each a mapping of columns; see fit. No starting values are needed.

    Raises FormulaError, or DataError that names a series (counted from 1) which cannot be fitted.
    """
    series = list(data)
    if not series:
        raise DataError("There is no series to fit.")
    held = dict(hold or {})
    names = list(series[0])
    if isinstance(formula, Model):
        x, y = ("x", "y") if {"x", "y"} <= set(names) else (names[0], names[-1])
        formula = formula.over(x, y, names)
    model = prepared(formula, names, held)
    read = model.formula
    check_held(read, held)
    if read.left is None or not model.free:
        raise DataError("The formula needs a measured column before an =, and a coefficient to fit.")
    columns, y_of, mask = _stacked(model, series)
    counts = mask.sum(axis=1)
    short = np.flatnonzero(counts < len(model.free))
    if len(short):
        i = int(short[0])
        raise DataError(
            f"Series {i + 1} has {int(counts[i])} rows in use for {len(model.free)} coefficients. Take it out or hold some."
        )
    q = len(model.parts.nonlinear)
    starts: list[Array] = []
    if q == 0:
        starts = [np.empty((len(series), 0))]
    elif start is not None and all(name in start for name in model.parts.nonlinear):
        one = np.array([float(start[name]) for name in model.parts.nonlinear])
        starts = [np.tile(one, (len(series), 1))]
    else:
        chosen = sorted({int(i) for i in np.linspace(0, len(series) - 1, SAMPLES).round()})
        for sample in chosen:
            found = fit(formula, series[sample], start=start, hold=held, seed=seed)
            one = np.array([found.coefficients[name].value for name in model.parts.nonlinear])
            starts.append(np.tile(one, (len(series), 1)))
    stack = _Stack(model, columns, y_of, mask, held)
    best = stack.solve(starts[0])
    for other in starts[1:]:
        best = _better(best, stack.solve(other))
    _search_alone(best, formula, series, start, held, seed, model)
    freedom = np.maximum(counts - len(model.free), 0)
    with np.errstate(all="ignore"):
        variance = np.where(freedom > 0, best.squares / np.maximum(freedom, 1), np.nan)
        errors = np.sqrt(best.unit_variance * variance[:, None])
    order = [model.free.index(name) for name in read.coefficients if name in model.free]
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


def _search_alone(
    best: _Answers,
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
    """Return columns and response of shape (fits, rows) with a mask of the rows in use."""
    read = model.formula
    wanted = list(dict.fromkeys([*read.data, read.response]))
    for number, one in enumerate(series, 1):
        for name in wanted:
            if name not in one:
                raise DataError(f"Series {number} has no column “{name}”.", column=name)
    tables = {}
    for name in wanted:
        try:
            table = np.array([one[name] for one in series], dtype=np.float64)
        except (ValueError, TypeError):
            arrays = [as_values(one[name], name) for one in series]
            table = np.full((len(arrays), max(map(len, arrays))), np.nan)
            for i, values in enumerate(arrays):
                table[i, : len(values)] = values
        if table.ndim != 2:
            raise DataError(f"{name} is not a list of numbers in every series.", column=name)
        tables[name] = table
    if len({table.shape for table in tables.values()}) > 1:
        raise DataError("The columns of a series are not equally long.")
    mask = np.ones(next(iter(tables.values())).shape, dtype=np.bool_)
    for table in tables.values():
        mask &= np.isfinite(table)
    if not mask.all():
        first = np.argmax(mask, axis=1)
        for name, table in tables.items():
            # A row out of use gets the numbers of one in use, so that the formula has a value there.
            filler = table[np.arange(len(table)), first][:, None]
            tables[name] = np.where(mask, table, filler)
    from vettore.core.formula.evaluate import Program

    assert read.left is not None
    with np.errstate(all="ignore"):
        y = np.broadcast_to(np.asarray(Program(read.left)({read.response: tables[read.response]})), mask.shape)
    return {name: tables[name] for name in read.data}, np.where(np.isfinite(y), y, 0.0), mask & np.isfinite(y)


@dataclass
class _Answers:
    """Coefficients (fits, m), sums of squares, diagonal of (JᵀJ)⁻¹ (fits, m), and whether each converged."""

    theta: Array
    squares: Array
    unit_variance: Array
    converged: Mask


def _better(one: _Answers, other: _Answers) -> _Answers:
    def value(answers: _Answers) -> Array:
        return np.where(answers.converged & np.isfinite(answers.squares), answers.squares, np.inf)

    first = value(one) <= value(other)
    return _Answers(
        np.where(first[:, None], one.theta, other.theta),
        np.where(first, one.squares, other.squares),
        np.where(first[:, None], one.unit_variance, other.unit_variance),
        np.where(first, one.converged, other.converged),
    )


class _Stack:
    """All series as arrays; solves them in blocks."""

    def __init__(
        self, model: Prepared, columns: dict[str, Array], y: Array, mask: Mask, held: Mapping[str, float]
    ) -> None:
        self.model, self.columns, self.y, self.held = model, columns, y, held
        self.mask = None if mask.all() else mask.astype(np.float64)

    def solve(self, alpha: Array) -> _Answers:
        fits, rows = self.y.shape
        size = max(BLOCK // rows, 1)
        blocks = [slice(at, min(at + size, fits)) for at in range(0, fits, size)]

        def work(block: slice) -> _Answers:
            columns = {name: column[block] for name, column in self.columns.items()}
            mask = None if self.mask is None else self.mask[block]
            with np.errstate(all="ignore"):
                return _Block(self.model, columns, self.y[block], mask, self.held).solve(alpha[block])

        with ThreadPoolExecutor(THREADS) as pool:
            parts = list(pool.map(work, blocks))
        fields = ("theta", "squares", "unit_variance", "converged")
        return _Answers(*(np.concatenate([getattr(part, name) for part in parts]) for name in fields))


class _Block:
    """Some of the series, small enough for the cache. Jacobians have shape (m, fits, rows), Gram matrices (m, m, fits)."""

    def __init__(
        self, model: Prepared, columns: dict[str, Array], y: Array, mask: Array | None, held: Mapping[str, float]
    ) -> None:
        self.model, self.columns, self.y, self.mask, self.held = model, columns, y, mask, held
        self.p, self.q = len(model.parts.linear), len(model.parts.nonlinear)

    def _take(self, chosen: Mask) -> _Block:
        columns = {name: column[chosen] for name, column in self.columns.items()}
        mask = None if self.mask is None else self.mask[chosen]
        return _Block(self.model, columns, self.y[chosen], mask, self.held)

    def _state(self, theta: Array) -> tuple[Array, Array]:
        """Return residuals (fits, rows) and the Jacobian (m, fits, rows)."""
        alpha, c = theta[:, self.p :], theta[:, : self.p]
        values = {
            **self.columns,
            **self.held,
            **{name: alpha[:, k : k + 1] for k, name in enumerate(self.model.parts.nonlinear)},
        }
        found = [np.asarray(one, dtype=np.float64) for one in self.model.changes.all(values)]
        width = 1 + self.p
        jacobian = np.empty((self.p + self.q, *self.y.shape))
        residual = self.y - found[0]
        for j in range(self.p):
            jacobian[j] = found[1 + j]
            residual -= c[:, j : j + 1] * jacobian[j]
        for k in range(self.q):
            self._change(found[width * (k + 1) : width * (k + 2)], c, jacobian[self.p + k])
        if self.mask is not None:
            residual *= self.mask
            jacobian *= self.mask
        return residual, jacobian

    @staticmethod
    def _change(parts: list[Array], c: Array, into: Array) -> None:
        """Write Dₖ from the derivatives of offset and terms; most of them are zero throughout."""
        started = False
        for j, part in enumerate(parts):
            if part.ndim == 0 and part == 0.0:
                continue
            share = part if j == 0 else c[:, j - 1 : j] * part
            if started:
                into += share
            else:
                into[...] = share
            started = True
        if not started:
            into[...] = 0.0

    def _first(self, alpha: Array) -> Array:
        """Return all coefficients with the linear ones solved for."""
        theta = np.concatenate([np.zeros((len(alpha), self.p)), alpha], axis=1)
        if not self.p:
            return theta
        residual, jacobian = self._state(theta)
        gram, slope = _products(jacobian[: self.p], residual)
        factor = _factor(gram, np.full(len(theta), 1e-14))
        theta[:, : self.p] = _solve(factor, slope).T
        return theta

    def solve(self, alpha: Array) -> _Answers:
        """Search from nonlinear coefficients (fits, q)."""
        whole, theta = self, self._first(alpha)
        fits = len(theta)
        answer, converged = theta.copy(), np.zeros(fits, dtype=np.bool_)
        where, block = np.arange(fits), self
        residual, jacobian = block._state(theta)
        squares = np.einsum("fn,fn->f", residual, residual)
        damping = np.full(fits, FIRST_DAMPING if self.q else 0.0)
        grow, live = np.full(fits, 2.0), np.ones(fits, dtype=np.bool_)
        floor = ONLY_ROUNDING * np.einsum("fn,fn->f", self.y, self.y)
        for _ in range(MOST_STEPS):
            gram, slope = _products(jacobian, residual)
            step = _solve(_factor(gram, damping), slope)
            there = theta + step.T
            r, j = block._state(there)
            s = np.einsum("fn,fn->f", r, r)
            promised = np.einsum("if,if->f", slope, step)
            good = s <= squares * (1 + 1e-13) + floor
            done = (good & (promised <= PROMISE_ENDS * squares + floor)) | (squares <= floor)
            with np.errstate(all="ignore"):
                ratio = np.where(promised > 0, (squares - s) / promised, 0.0)
            less = damping * np.maximum(LEAST_FALL, 1 - (2 * np.clip(ratio, -1, 2) - 1) ** 3)
            damping = np.where(good, less, damping * grow)
            grow = np.where(good, 2.0, grow * 2)
            if good.all():
                theta, residual, jacobian, squares = there, r, j, s
            else:
                theta = np.where(good[:, None], there, theta)
                residual = np.where(good[:, None], r, residual)
                jacobian = np.where(good[None, :, None], j, jacobian)
                squares = np.where(good, s, squares)
            over = live & (done | ~np.isfinite(squares) | (damping > 1e16))
            if over.any():
                answer[where[over]] = theta[over]
                converged[where[over]] = (done & np.isfinite(squares))[over]
                live &= ~over
                if not live.any():
                    break
                if live.sum() < len(live) / 2:
                    where, block, theta, residual = where[live], block._take(live), theta[live], residual[live]
                    jacobian, squares, floor = jacobian[:, live], squares[live], floor[live]
                    damping, grow, live = damping[live], grow[live], live[live]
        else:
            answer[where[live]] = theta[live]
        residual, jacobian = whole._state(answer)
        return _Answers(
            answer, np.einsum("fn,fn->f", residual, residual), _unit_variance(jacobian, residual), converged
        )


def _products(jacobian: Array, residual: Array) -> tuple[Array, Array]:
    """Return JᵀJ (m, m, fits; its lower triangle) and Jᵀr (m, fits)."""
    m, fits, _ = jacobian.shape
    gram, slope = np.empty((m, m, fits)), np.empty((m, fits))
    for i in range(m):
        np.einsum("fn,fn->f", jacobian[i], residual, out=slope[i])
        for j in range(i + 1):
            np.einsum("fn,fn->f", jacobian[i], jacobian[j], out=gram[i, j])
    return gram, slope


def _unit_variance(jacobian: Array, residual: Array) -> Array:
    """Return the diagonal of (JᵀJ)⁻¹, shape (fits, m)."""
    m, fits, _ = jacobian.shape
    factor = _factor(_products(jacobian, residual)[0], np.zeros(fits))
    unit = np.zeros((m, m, fits))
    unit[np.arange(m), np.arange(m)] = 1.0
    return np.stack([_solve(factor, unit[i])[i] for i in range(m)], axis=1)


def _factor(gram: Array, damping: Array) -> tuple[list[list[Array]], Array]:
    """Return the Cholesky factor of a stack of damped systems, and the scales that give them a unit diagonal."""
    m = len(gram)
    size = np.sqrt(gram[np.arange(m), np.arange(m)])
    size = np.where(size > 0, size, 1.0)
    lower: list[list[Array]] = []
    for i in range(m):
        line: list[Array] = []
        for j in range(i):
            value = gram[i, j] / (size[i] * size[j])
            for k in range(j):
                value = value - line[k] * lower[j][k]
            line.append(value / lower[j][j])
        rest = gram[i, i] / (size[i] * size[i]) + damping
        for k in range(i):
            rest = rest - line[k] * line[k]
        line.append(np.sqrt(rest))
        lower.append(line)
    return lower, size


def _solve(factor: tuple[list[list[Array]], Array], right: Array) -> Array:
    """Solve a stack of systems for right sides (m, fits)."""
    lower, size = factor
    m = len(lower)
    z: list[Array] = []
    for i in range(m):
        value = right[i] / size[i]
        for k in range(i):
            value = value - lower[i][k] * z[k]
        z.append(value / lower[i][i])
    x = np.empty((m, len(z[0])))
    for i in reversed(range(m)):
        value = z[i]
        for k in range(i + 1, m):
            value = value - lower[k][i] * x[k]
        x[i] = value / lower[i][i]
    return x / size
