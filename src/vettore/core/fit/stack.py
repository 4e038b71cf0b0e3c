"""Many fits of one model at once: Levenberg–Marquardt on arrays of shape (fits, rows), all coefficients together.

Series of unequal length are padded with rows of weight 0. The linear coefficients of the start follow from the
nonlinear ones by least squares. Steps solve (JᵀJ + λD²)δ = Jᵀr by Cholesky over the whole stack; since steps are
repeated until the gradient is gone, the squared condition of JᵀJ costs steps, not digits.
"""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.fit.prepared import Prepared

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


@dataclass
class Answers:
    """Coefficients (fits, m), sums of squares, diagonal of (JᵀJ)⁻¹ (fits, m), and whether each converged."""

    theta: Array
    squares: Array
    unit_variance: Array
    converged: Mask


class Stack:
    """Problems of one model as arrays (fits, rows), solved in blocks; ``root`` are square roots of weights."""

    def __init__(
        self,
        model: Prepared,
        columns: Mapping[str, Array],
        y: Array,
        root: Array | None,
        held: Mapping[str, float],
    ) -> None:
        self.model, self.columns, self.y, self.held, self.mask = model, columns, y, held, root

    def solve(self, alpha: Array) -> Answers:
        """Search from nonlinear coefficients (fits, q)."""
        fits, rows = self.y.shape
        size = max(BLOCK // rows, 1)
        blocks = [slice(at, min(at + size, fits)) for at in range(0, fits, size)]

        def work(block: slice) -> Answers:
            columns = {name: column[block] for name, column in self.columns.items()}
            mask = None if self.mask is None else self.mask[block]
            with np.errstate(all="ignore"):
                return _Block(self.model, columns, self.y[block], mask, self.held).solve(alpha[block])

        with ThreadPoolExecutor(THREADS) as pool:
            parts = list(pool.map(work, blocks))
        fields = ("theta", "squares", "unit_variance", "converged")
        return Answers(*(np.concatenate([getattr(part, name) for part in parts]) for name in fields))


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
        if np.isnan(jacobian.sum()):
            # See Separable: a derivative without a value where the curve has one is 0 in the limit.
            jacobian[np.isnan(jacobian)] = 0.0
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

    def solve(self, alpha: Array) -> Answers:
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
        return Answers(
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
