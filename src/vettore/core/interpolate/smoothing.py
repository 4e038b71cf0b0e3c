"""Smoothing spline: the natural cubic spline g that minimises  Σ wᵢ (yᵢ − g(xᵢ))² + λ ∫ g″²  (Reinsch 1967).

With Q (n, n − 2) the second differences and R (n − 2, n − 2) the tridiagonal matrix of the bending,

    (R + λ Qᵀ W⁻¹ Q) γ = Qᵀ y,   g = y − λ W⁻¹ Q γ,

two banded solves. λ by generalised cross-validation (Craven & Wahba 1979): least n Σ w (y − g)² / (n − tr H)². The
trace of H follows from the middle bands of the inverse (Hutchinson & de Hoog 1985), for long series from probing with
random signs.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array

# Above this many rows the trace is estimated by probing.
EXACT_ROWS, PROBES, SEED = 1500, 24, 11
GRID, GOLDEN_STEPS = 25, 30


class Smoother:
    """The banded matrices of one set of x and weights, for any λ."""

    def __init__(self, x: Array, weights: Array) -> None:
        self.x, self.h = x, np.diff(x)
        self.inverse_weights = 1 / weights
        h, n = self.h, len(x)
        self.q = np.stack([1 / h[:-1], -1 / h[:-1] - 1 / h[1:], 1 / h[1:]])
        self.r0, self.r1 = (h[:-1] + h[1:]) / 3, h[1:-1] / 6
        v = self.inverse_weights
        q0, q1, q2 = self.q
        self.a0 = q0**2 * v[: n - 2] + q1**2 * v[1 : n - 1] + q2**2 * v[2:]
        self.a1 = q1[:-1] * q0[1:] * v[1 : n - 2] + q2[:-1] * q1[1:] * v[2 : n - 1]
        self.a2 = q2[:-2] * q0[2:] * v[2 : n - 2]

    def _bands(self, penalty: float) -> Array:
        m = len(self.r0)
        bands = np.zeros((3, m))
        bands[0] = self.r0 + penalty * self.a0
        bands[1, : m - 1] = self.r1 + penalty * self.a1
        bands[2, : max(m - 2, 0)] = penalty * self.a2
        return bands

    def _second_differences(self, y: Array) -> Array:
        q = self.q if y.ndim == 1 else self.q[:, :, None]
        return np.asarray(q[0] * y[:-2] + q[1] * y[1:-1] + q[2] * y[2:])

    def fit(self, y: Array, penalty: float) -> Array:
        """Return g at the knots, shape of y."""
        from scipy.linalg import solveh_banded

        gamma = solveh_banded(self._bands(penalty), self._second_differences(y), lower=True, check_finite=False)
        q = self.q if y.ndim == 1 else self.q[:, :, None]
        bend = np.zeros(y.shape)
        bend[:-2] += q[0] * gamma
        bend[1:-1] += q[1] * gamma
        bend[2:] += q[2] * gamma
        v = self.inverse_weights if y.ndim == 1 else self.inverse_weights[:, None]
        return np.asarray(y - penalty * v * bend)

    def leverage(self, penalty: float) -> Array:
        """Return the diagonal of H (n,)."""
        from scipy.linalg import cholesky_banded

        factor = cholesky_banded(self._bands(penalty), lower=True, check_finite=False)
        m = factor.shape[1]
        d = factor[0] ** 2
        l1 = np.append(factor[1, :-1] / factor[0, :-1], 0.0) if m > 1 else np.zeros(m)
        l2 = np.append(factor[2, :-2] / factor[0, :-2], [0.0, 0.0]) if m > 2 else np.zeros(m)
        b0, b1, b2 = np.zeros(m + 2), np.zeros(m + 2), np.zeros(m + 2)
        # The middle bands of the inverse, from the last row up.
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

    def trace(self, penalty: float) -> float:
        """Return the trace of H."""
        n = len(self.x)
        if n <= EXACT_ROWS:
            return float(self.leverage(penalty).sum())
        root = np.sqrt(self.inverse_weights)[:, None]
        signs = np.random.default_rng(SEED).choice([-1.0, 1.0], (n, PROBES))
        return float(np.mean(np.sum(signs * self.fit(signs * root, penalty) / root, axis=0)))

    def best_penalty(self, y: Array) -> float:
        """Return λ by generalised cross-validation."""
        n = len(y)
        natural = float(np.mean(self.r0)) / float(np.mean(self.a0))
        exponents = np.linspace(-6, 14, GRID) if n <= EXACT_ROWS else np.linspace(-4, 16, GRID)

        def score(exponent: float) -> float:
            penalty = natural * 10.0**exponent
            r = y - self.fit(y, penalty)
            rest = n - self.trace(penalty)
            return n * float(np.sum(r * r / self.inverse_weights)) / rest**2 if rest > 1e-6 * n else np.inf

        values = [score(e) for e in exponents]
        best = int(np.argmin(values))
        low, high = float(exponents[max(best - 1, 0)]), float(exponents[min(best + 1, GRID - 1)])
        golden = (5**0.5 - 1) / 2
        a, b = high - golden * (high - low), low + golden * (high - low)
        at_a, at_b = score(a), score(b)
        for _ in range(GOLDEN_STEPS):
            if at_a <= at_b:
                high, b, at_b = b, a, at_a
                a = high - golden * (high - low)
                at_a = score(a)
            else:
                low, a, at_a = a, b, at_b
                b = low + golden * (high - low)
                at_b = score(b)
        return natural * 10.0 ** ((low + high) / 2)
