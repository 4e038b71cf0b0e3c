"""One polynomial through all points, in the second barycentric form (Berrut & Trefethen 2004).

    p(x) = Σ wⱼ yⱼ/(x − xⱼ) / Σ wⱼ/(x − xⱼ),   1/wⱼ = Π (xⱼ − xₖ)

Differences are scaled by a quarter of the span, and products kept as logarithms, so that nothing overflows. Slopes,
areas and roots come from the same polynomial as a Chebyshev series.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arithmetic import chebyshev
from vettore.core.arithmetic.chebyshev import Scale
from vettore.core.arrays import Array


class Barycentric:
    """The polynomial through points of different x."""

    def __init__(self, x: Array, y: Array) -> None:
        self.x, self.y = x, y
        capacity = (float(x[-1]) - float(x[0])) / 4
        differences = (x[:, None] - x[None, :]) / capacity
        np.fill_diagonal(differences, 1.0)
        logs = -np.sum(np.log(np.abs(differences)), axis=1)
        signs = np.prod(np.sign(differences), axis=1)
        self.weights = signs * np.exp(logs - logs.max())

    def __call__(self, x: Array) -> Array:
        """Return y at x (n,)."""
        with np.errstate(invalid="ignore"):
            return np.asarray(self.shares(x) @ self.y)

    def shares(self, x: Array) -> Array:
        """Return what each point adds to the value at x, shape (x, points)."""
        gaps = x[:, None] - self.x[None, :]
        exact = gaps == 0.0
        gaps[exact] = 1.0
        # Far outside many points there is no digit left; what then comes out is infinite, and shown as such.
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            terms = self.weights / gaps
            shares = terms / terms.sum(axis=1, keepdims=True)
        hit = exact.any(axis=1)
        shares[hit] = exact[hit]
        return np.asarray(shares)

    @property
    def swelling(self) -> float:
        """The Lebesgue constant: how many times larger than the errors of y those of the curve can be."""
        middles = (self.x[:-1] + self.x[1:]) / 2
        return float(np.max(np.sum(np.abs(self.shares(middles)), axis=1)))

    def series(self) -> tuple[Array, Scale]:
        """Return the polynomial as a Chebyshev series over the span of the points."""
        scale = Scale(float(self.x[0] + self.x[-1]) / 2, float(self.x[-1] - self.x[0]) / 2)
        n = len(self.x)
        angles = np.pi * (np.arange(n) + 0.5) / n
        t = np.cos(angles)
        values = self(t * scale.half + scale.middle)
        powers = np.cos(np.outer(np.arange(n), angles))
        series = 2 / n * (powers @ values)
        series[0] /= 2
        return series, scale

    def slope(self, x: Array) -> Array:
        """Return dy/dx at x."""
        series, scale = self.series()
        return np.asarray(chebyshev.evaluate(chebyshev.derivative(series), scale.t(x)) / scale.half)
