"""Many fits of one model at once: Levenberg–Marquardt on arrays of shape (fits, rows), all coefficients together.

Series of unequal length are padded with rows of weight 0. The linear coefficients of the start follow from the
nonlinear ones by least squares. Steps solve (JᵀJ + λD²)δ = Jᵀr by Cholesky over the whole stack; since steps are
repeated until the gradient is gone, the squared condition of JᵀJ costs steps, not digits.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields
from functools import cached_property, reduce
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Mask, Rows
from vettore.core.fitting.prepared import Prepared

# Numbers in one block of fits: a few arrays of this size stay in cache.
BLOCK = 131_072
THREADS = 2
MOST_STEPS = 60
# A step that promises less than this share of the sum of squares is the last one.
PROMISE_ENDS = 1e-14
FIRST_DAMPING = 1e-3
# Fits that are not over go on by themselves when they are fewer than this share.
WORTH_TAKING = 0.5
# So few of a block are left over, to go on together with those of the other blocks.
LEFT_OVER = 0.05
# The damping falls by this factor at most.
LEAST_FALL = 0.02
# Sums of squares below this share of that of y are rounding.
ONLY_ROUNDING = 1e-29


@dataclass
class Answers:
    """Coefficients (fits, m), sums of squares, diagonal of (JᵀJ)⁻¹ (fits, m), and whether each converged."""

    theta: Array
    squares: Array
    unit_variance: Array
    converged: Mask


@dataclass
class _State:
    """What a step needs to know at θ: JᵀJ (m, m, fits; its lower triangle), Jᵀr (m, fits), squares (fits,)."""

    gram: Array
    slope: Array
    squares: Array

    def where(self, better: Mask, other: _State) -> _State:
        return _State(
            np.where(better, self.gram, other.gram),
            np.where(better, self.slope, other.slope),
            np.where(better, self.squares, other.squares),
        )

    def take(self, chosen: Mask) -> _State:
        return _State(self.gram[:, :, chosen], self.slope[:, chosen], self.squares[chosen])

    def put(self, places: Rows, other: _State) -> None:
        self.gram[:, :, places] = other.gram
        self.slope[:, places] = other.slope
        self.squares[places] = other.squares


class Stack:
    """Problems of one model as arrays (fits, rows); a column common to all has shape (1, rows).

    ``mask`` holds the roots of the rows' weights, 0 for rows out of use, or is None.
    Inside, coefficients have shape (m, fits), Gram matrices (m, m, fits).
    """

    def __init__(
        self,
        model: Prepared,
        columns: Mapping[str, Array],
        y: Array,
        mask: Array | None,
        held: Mapping[str, float],
    ) -> None:
        self.model, self.columns, self.y, self.mask, self.held = model, dict(columns), y, mask, held
        self.p, self.q = len(model.parts.linear), len(model.parts.nonlinear)

    def take(self, chosen: Mask | Rows | slice) -> Stack:
        """Return some of the problems."""
        columns = {name: column if len(column) == 1 else column[chosen] for name, column in self.columns.items()}
        mask = None if self.mask is None else self.mask[chosen]
        return Stack(self.model, columns, self.y[chosen], mask, self.held)

    def solve(self, alpha: Array) -> Answers:
        """Search from nonlinear coefficients (fits, q), in blocks small enough for the cache."""
        fits, rows = self.y.shape
        size = max(BLOCK // rows, 1)

        def work(block: slice | Rows, start: Array, left_over: float) -> Answers:
            with np.errstate(all="ignore"):
                return self.take(block)._search(start[block].T, left_over)

        blocks = [slice(at, min(at + size, fits)) for at in range(0, fits, size)]
        if len(blocks) == 1:
            return work(blocks[0], alpha, 0.0)
        with ThreadPoolExecutor(THREADS) as pool:
            parts = list(pool.map(lambda block: work(block, alpha, LEFT_OVER), blocks))
        answers = Answers(*(np.concatenate([getattr(part, item.name) for part in parts]) for item in fields(Answers)))
        slow = np.flatnonzero(~answers.converged)
        if len(slow):
            rest = work(slow, answers.theta[:, self.p :], 0.0)
            for field in fields(Answers):
                getattr(answers, field.name)[slow] = getattr(rest, field.name)
        return answers

    @cached_property
    def _run(self) -> Callable[[Iterable[Any]], list[Any]]:
        return self.model.changes.bound({**self.columns, **self.held}, self.model.parts.nonlinear)

    def _state(self, theta: Array) -> _State:
        factors = [np.float64(1.0), *(c[:, None] for c in theta[: self.p])]
        items = self._run(alpha[:, None] for alpha in theta[self.p :])
        # The first difference makes an array of its own, the others go into it.
        parts = [factor * term for factor, term in zip(factors[1:], items[1 : 1 + self.p], strict=True)]
        if np.ndim(items[0]) or items[0] != 0.0 or not parts:
            parts.insert(0, items[0])
        residual = self.y - parts[0]
        for part in parts[1:]:
            residual -= part
        state = self._products(residual, factors, items)
        if np.isnan(state.gram[np.arange(self.p, self.p + self.q), np.arange(self.p, self.p + self.q)]).any():
            # See Separable: a derivative without a value where the curve has one is 0 in the limit.
            width = 1 + self.p
            items[width:] = [np.where(np.isnan(value), 0.0, value) for value in items[width:]]
            state = self._products(residual, factors, items)
        return state

    def _products(self, residual: Array, factors: list[Any], items: list[Any]) -> _State:
        m, shape = self.p + self.q, self.y.shape
        columns, scales = items[1 : 1 + self.p], list[Any]([None] * self.p)
        for places in self.model.slopes:
            if len(places) == 1:
                # A factor of a column is one of its products, too, of which there are fewer.
                j, place, sign = places[0]
                columns.append(items[place])
                scales.append(sign * factors[j][:, 0] if j else np.float64(sign))
            else:
                parts = [sign * factors[j] * items[place] for j, place, sign in places]
                columns.append(reduce(operator.add, parts) if parts else np.float64(0.0))
                scales.append(None)
        if self.mask is not None:
            residual = residual * self.mask
            columns = [column * self.mask for column in columns]
        # What is the same in all rows stays a single number in memory.
        columns = [np.broadcast_to(column, shape) for column in columns]
        state = _State(np.empty((m, m, shape[0])), np.empty((m, shape[0])), np.einsum("fn,fn->f", residual, residual))
        for i in range(m):
            np.einsum("fn,fn->f", columns[i], residual, out=state.slope[i])
            for j in range(i + 1):
                np.einsum("fn,fn->f", columns[i], columns[j], out=state.gram[i, j])
        for i, scale in enumerate(scales):
            if scale is not None:
                state.slope[i] *= scale
                state.gram[i, : i + 1] *= scale
                state.gram[i:, i] *= scale
        return state

    def _first(self, alpha: Array) -> Array:
        """Return all coefficients with the linear ones solved for."""
        theta = np.concatenate([np.zeros((self.p, alpha.shape[1])), alpha])
        if self.p:
            state = self._state(theta)
            factor = _factor(state.gram[: self.p, : self.p], np.full(alpha.shape[1], 1e-14))
            theta[: self.p] = _solve(factor, state.slope[: self.p])
        return theta

    def _search(self, alpha: Array, left_over: float) -> Answers:
        """Search from nonlinear coefficients (q, fits), until no more than this share of them is left over."""
        theta = self._first(alpha)
        fits = theta.shape[1]
        answer, converged = theta.copy(), np.zeros(fits, dtype=np.bool_)
        where, block, state = np.arange(fits), self, self._state(theta)
        end = state.take(np.ones(fits, dtype=np.bool_))
        damping = np.full(fits, FIRST_DAMPING if self.q else 0.0)
        grow, live = np.full(fits, 2.0), np.ones(fits, dtype=np.bool_)
        weighed = self.y if self.mask is None else self.y * self.mask
        floor = ONLY_ROUNDING * np.einsum("fn,fn->f", weighed, weighed)
        for _ in range(MOST_STEPS):
            step = _solve(_factor(state.gram, damping), state.slope)
            there_theta = theta + step
            there = block._state(there_theta)
            promised = np.einsum("if,if->f", state.slope, step)
            good = there.squares <= state.squares * (1 + 1e-13) + floor
            done = (good & (promised <= PROMISE_ENDS * state.squares + floor)) | (state.squares <= floor)
            ratio = np.where(promised > 0, (state.squares - there.squares) / promised, 0.0)
            less = damping * np.maximum(LEAST_FALL, 1 - (2 * np.clip(ratio, -1, 2) - 1) ** 3)
            damping = np.where(good, less, damping * grow)
            grow = np.where(good, 2.0, grow * 2)
            theta, state = np.where(good, there_theta, theta), there.where(good, state)
            over = live & (done | ~np.isfinite(state.squares) | (damping > 1e16))
            if over.any():
                answer[:, where[over]] = theta[:, over]
                end.put(where[over], state.take(over))
                converged[where[over]] = (done & np.isfinite(state.squares))[over]
                live &= ~over
                if live.sum() <= left_over * fits:
                    break
                if live.sum() < WORTH_TAKING * len(live):
                    where, block, theta, state = where[live], block.take(live), theta[:, live], state.take(live)
                    floor, damping, grow, live = floor[live], damping[live], grow[live], live[live]
        answer[:, where[live]] = theta[:, live]
        end.put(where[live], state.take(live))
        return Answers(answer.T, end.squares, _unit_variance(end.gram), converged)


def _unit_variance(gram: Array) -> Array:
    """Return the diagonal of (JᵀJ)⁻¹, shape (fits, m)."""
    m, _, fits = gram.shape
    factor = _factor(gram, np.zeros(fits))
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
