"""Smoothing spline: the natural cubic spline g that minimises  Σ wᵢ (yᵢ − g(xᵢ))² + λ ∫ g″²  (Reinsch 1967).

With Q (n, n − 2) the second differences, R (n − 2, n − 2) the tridiagonal matrix of the bending and A = Qᵀ W⁻¹ Q,

    (R + λ A) γ = Qᵀ y,   g = y − λ W⁻¹ Q γ,

two banded solves. λ is found by two criteria together, since each fails where the other holds. Generalised
cross-validation (Craven & Wahba 1979) now and then takes noise for signal; its robust form (Lukas 2006) multiplies
n Σ w(y − g)²/(n − tr H)² by ρ + (1 − ρ) tr H²/n. Restricted likelihood (Wecker & Ansley 1983) asks how likely the second
differences u = Qᵀy ~ N(0, σ²(A + R/λ)) are: (n − 2) ln uᵀ(A + R/λ)⁻¹u + ln det(A + R/λ) − ln det A. Minimised is the
likelihood plus n/2 times the logarithm of the other. Traces follow from the determinant, all in O(n):

    d ln det(R + λA)/d ln λ = n − tr H,      its derivative by ln λ = tr H − tr H²,
    det A = Σw Σw(x − x̄)² / Πw Πh²

Where λ smooths over many points, or points lie so close that the matrices lose their digits, neighbours within a small part
of the smoothing length are averaged first; the scatter inside the blocks, about the slope that the curve has
there, counts in both criteria.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vettore.core.arithmetic.golden import least
from vettore.core.arrays import Array, Rows

# Up to so many points none are averaged unless they lie too close.
EXACT_ROWS = 2_000
# Blocks are this part of the smoothing length wide.
BLOCK = 1 / 48
# Points nearer than this part of the mean spacing are too close for the matrices.
TOO_CLOSE = 1e-3
GRID, LONG_GRID, STEPS, LONG_STEPS, LONG = 40, 18, 24, 10, 20_000
# Smoothing lengths looked at: from this part of the mean spacing to so many times the span.
SHORTEST, LONGEST = 0.5, 3.0
# Share of plain cross-validation in its robust form, and the step in ln λ by which determinants are compared.
ROBUST, STEP = 0.2, 0.02


def smoothing_length(penalty: float, spacing: float) -> float:
    """Return the wavelength that a penalty halves, for points of weight 1 at a mean spacing."""
    return 2 * math.pi * (penalty * spacing) ** 0.25


@dataclass(frozen=True)
class Blocks:
    """Which block every point is in, and the points and weights of the blocks."""

    which: Rows
    x: Array
    weights: Array


class Bands:
    """The banded matrices of one set of x and weights, for any λ."""

    def __init__(self, x: Array, weights: Array) -> None:
        self.x = x
        self.inverse_weights = v = 1 / weights
        h, n = np.diff(x), len(x)
        self.q = np.stack([1 / h[:-1], -1 / h[:-1] - 1 / h[1:], 1 / h[1:]])
        self.r0, self.r1 = (h[:-1] + h[1:]) / 3, h[1:-1] / 6
        q0, q1, q2 = self.q
        self.a0 = q0**2 * v[: n - 2] + q1**2 * v[1 : n - 1] + q2**2 * v[2:]
        self.a1 = q1[:-1] * q0[1:] * v[1 : n - 2] + q2[:-1] * q1[1:] * v[2 : n - 1]
        self.a2 = q2[:-2] * q0[2:] * v[2 : n - 2]

    @cached_property
    def log_det(self) -> float:
        """ln det A, which tells likelihoods over different blocks apart from each other."""
        w = 1 / self.inverse_weights
        total = float(w.sum())
        middle = float(w @ self.x) / total
        spread = float(w @ (self.x - middle) ** 2)
        return math.log(total) + math.log(spread) - float(np.sum(np.log(w)) + 2 * np.sum(np.log(np.diff(self.x))))

    def factor(self, penalty: float) -> Array:
        """Return the Cholesky factor of R + λA as bands. Raises LinAlgError where rounding has the better of it."""
        from scipy.linalg import cholesky_banded

        m = len(self.r0)
        bands = np.zeros((3, m))
        bands[0] = self.r0 + penalty * self.a0
        bands[1, : m - 1] = self.r1 + penalty * self.a1
        bands[2, : max(m - 2, 0)] = penalty * self.a2
        return np.asarray(cholesky_banded(bands, lower=True, check_finite=False), dtype=np.float64)

    def second_differences(self, y: Array) -> Array:
        """Return Qᵀy."""
        return np.asarray(self.q[0] * y[:-2] + self.q[1] * y[1:-1] + self.q[2] * y[2:])

    def fit(self, y: Array, penalty: float, factor: Array) -> tuple[Array, Array]:
        """Return g at the points, and γ."""
        from scipy.linalg import cho_solve_banded

        gamma = np.asarray(cho_solve_banded((factor, True), self.second_differences(y), check_finite=False))
        bend = np.zeros(len(y))
        bend[:-2] += self.q[0] * gamma
        bend[1:-1] += self.q[1] * gamma
        bend[2:] += self.q[2] * gamma
        return np.asarray(y - penalty * self.inverse_weights * bend), gamma

    def leverage(self, penalty: float, factor: Array) -> Array:
        """Return the diagonal of H (n,), from the middle bands of the inverse (Hutchinson & de Hoog 1985)."""
        m = factor.shape[1]
        d = factor[0] ** 2
        l1 = np.append(factor[1, :-1] / factor[0, :-1], 0.0) if m > 1 else np.zeros(m)
        l2 = np.append(factor[2, :-2] / factor[0, :-2], [0.0, 0.0]) if m > 2 else np.zeros(m)
        b0, b1, b2 = np.zeros(m + 2), np.zeros(m + 2), np.zeros(m + 2)
        # From the last row up.
        for i in range(m - 1, -1, -1):
            b1[i] = -l1[i] * b0[i + 1] - l2[i] * b1[i + 1]
            b2[i] = -l1[i] * b1[i + 1] - l2[i] * b0[i + 2]
            b0[i] = 1 / d[i] - l1[i] * b1[i] - l2[i] * b2[i]
        b0, b1, b2 = b0[:m], b1[:m], b2[:m]
        q0, q1, q2 = self.q
        taken = np.zeros(len(self.x))
        taken[:-2] += q0**2 * b0
        taken[1:-1] += q1**2 * b0
        taken[2:] += q2**2 * b0
        taken[1:-2] += 2 * q1[:-1] * q0[1:] * b1[:-1]
        taken[2:-1] += 2 * q2[:-1] * q1[1:] * b1[:-1]
        taken[2:-2] += 2 * q2[:-2] * q0[2:] * b2[:-2]
        return np.asarray(1 - penalty * self.inverse_weights * taken)


class Smoother:
    """Smoothing splines over one set of points (n ≥ 3, rising x) with weights."""

    def __init__(self, x: Array, weights: Array) -> None:
        self.x, self.weights = x, weights
        self._bands: dict[int, tuple[Blocks, Bands]] = {}

    @property
    def _spacing(self) -> float:
        return float(self.x[-1] - self.x[0]) / (len(self.x) - 1)

    @cached_property
    def _weight(self) -> float:
        """The usual weight, by which a penalty is measured."""
        return float(np.exp(np.mean(np.log(self.weights))))

    def _on_blocks(self, penalty: float) -> tuple[Blocks, Bands, Array]:
        """Return the blocks for a penalty, their matrices, and the factor of R + λA."""
        length = smoothing_length(penalty / self._weight, self._spacing)
        width = BLOCK * length if len(self.x) > EXACT_ROWS else 0.0
        # Widths by powers of two, so that few sets of blocks serve all penalties.
        level = math.floor(math.log2(width / self._spacing)) if width > TOO_CLOSE * self._spacing else None
        lowest = math.floor(math.log2(TOO_CLOSE))
        while True:
            blocks, bands = self._at(level)
            try:
                return blocks, bands, bands.factor(penalty)
            except np.linalg.LinAlgError:
                level = lowest if level is None else level + 1
                if 2.0**level * self._spacing > float(self.x[-1] - self.x[0]) / 4:
                    raise

    def _at(self, level: int | None) -> tuple[Blocks, Bands]:
        key = -(10**6) if level is None else level
        if key not in self._bands:
            which = np.arange(len(self.x)) if level is None else _grouped(self.x, 2.0**level * self._spacing)
            count = int(which[-1]) + 1
            weights, x = self.weights, self.x
            if count < len(self.x):
                weights = np.asarray(np.bincount(which, self.weights, count), dtype=np.float64)
                x = np.asarray(np.bincount(which, self.weights * self.x, count) / weights, dtype=np.float64)
            self._bands[key] = Blocks(which, x, weights), Bands(x, weights)
        return self._bands[key]

    def _means(self, blocks: Blocks, y: Array) -> Array:
        if len(blocks.x) == len(y):
            return y
        return np.asarray(np.bincount(blocks.which, self.weights * y, len(blocks.x)) / blocks.weights)

    def curve(self, y: Array, penalty: float) -> tuple[Array, Array]:
        """Return the knots and g at them."""
        blocks, bands, factor = self._on_blocks(penalty)
        return blocks.x, bands.fit(self._means(blocks, y), penalty, factor)[0]

    def leverage(self, penalty: float) -> Array:
        """Return the diagonal of H (n,): how far each point decides the curve at its own x."""
        blocks, bands, factor = self._on_blocks(penalty)
        shares = bands.leverage(penalty, factor) / blocks.weights
        return np.asarray(shares[blocks.which] * self.weights)

    def _inside(self, blocks: Blocks, rest: Array, level: Array) -> float:
        """Return the scatter inside blocks about the slope that the curve has there."""
        rise, run = np.diff(level), np.diff(blocks.x)
        slope = np.concatenate(
            [rise[:1] / run[:1], (rise[1:] + rise[:-1]) / (run[1:] + run[:-1]), rise[-1:] / run[-1:]]
        )
        rest = rest - slope[blocks.which] * (self.x - blocks.x[blocks.which])
        return float(np.sum(self.weights * rest**2))

    def score(self, y: Array, penalty: float) -> float:
        """Return what the best penalty makes least."""
        n = len(y)
        try:
            blocks, bands, factor = self._on_blocks(penalty)
            sides = [bands.factor(penalty * math.exp(way * STEP)) for way in (-1, 1)]
        except np.linalg.LinAlgError:
            return math.inf
        means = self._means(blocks, y)
        level, gamma = bands.fit(means, penalty, factor)
        inside = self._inside(blocks, y - means[blocks.which], level) if len(means) < n else 0.0
        below, value, above = (2 * float(np.sum(np.log(values[0]))) for values in (sides[0], factor, sides[1]))
        rest = n - len(means) + (above - below) / (2 * STEP)
        square = max(n - rest - (above - 2 * value + below) / STEP**2, 0.0)
        misfit = inside + float(np.sum(blocks.weights * (means - level) ** 2))
        # uᵀ(A + R/λ)⁻¹u = λ uᵀγ, and the determinant of A + R/λ is that of R + λA over λ^m.
        likely = inside + penalty * float(bands.second_differences(means) @ gamma)
        if rest <= 1e-6 * n or misfit <= 0 or likely <= 0:
            return math.inf
        cross = math.log(misfit / rest**2) + math.log(ROBUST + (1 - ROBUST) * square / n)
        return (n - 2) * math.log(likely) + value - len(gamma) * math.log(penalty) - bands.log_det + n / 2 * cross

    def best_penalty(self, y: Array) -> float:
        """Return λ by restricted likelihood and robust cross-validation together."""
        long = len(y) > LONG
        span = float(self.x[-1] - self.x[0])
        lengths = (math.log(SHORTEST * self._spacing), math.log(LONGEST * span))

        def penalty(length: float) -> float:
            return (math.exp(length) / (2 * math.pi)) ** 4 / self._spacing * self._weight

        grid = np.linspace(*lengths, LONG_GRID if long else GRID)
        values = [self.score(y, penalty(item)) for item in grid.tolist()]
        if not any(map(math.isfinite, values)):
            # Without scatter there is nothing to smooth.
            return penalty(lengths[0])
        best = int(np.argmin(values))
        low, high = float(grid[max(best - 1, 0)]), float(grid[min(best + 1, len(grid) - 1)])
        steps = LONG_STEPS if long else STEPS
        return penalty(least(lambda length: self.score(y, penalty(length)), low, high, steps))


def _grouped(x: Array, width: float) -> Rows:
    """Return the block of each of rising x: the cells of a grid, those without a point left out."""
    cells = np.floor((x - x[0]) / width)
    return np.asarray(np.concatenate([[0], np.cumsum(cells[1:] > cells[:-1])]), dtype=np.intp)
