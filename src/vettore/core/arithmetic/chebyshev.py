"""Chebyshev series on t in −1 … 1, the basis in which polynomials of measured x stay accurate.

    T₀ = 1,  T₁ = t,  Tₖ₊₁ = 2t·Tₖ − Tₖ₋₁,   p(t) = Σ cₖ Tₖ(t)

x maps to t = (x − middle)/half, with ``half`` a power of two so that the division is exact.
Sources: Clenshaw (1955) for the sums; Mason & Handscomb, Chebyshev Polynomials (2003), ch. 2.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from vettore.core.arithmetic import dyadic
from vettore.core.arithmetic.numbers import DoubleDouble, power_of_two_near, two_sum
from vettore.core.arrays import Array


@dataclass(frozen=True)
class Scale:
    """The map from x to t = (x − middle)/half."""

    middle: float
    half: float

    @classmethod
    def over(cls, low: float, high: float) -> Scale:
        """Return the map that takes low … high into −1 … 1."""
        return cls(low / 2 + high / 2, power_of_two_near(high / 2 - low / 2))

    def t(self, x: Array) -> Array:
        """Map x to t."""
        # Division by a power of two is a multiplication by another.
        t = x - self.middle
        t *= 1 / self.half
        return t

    def exact_t(self, x: Array) -> DoubleDouble:
        """Map x to t without rounding."""
        s, e = two_sum(x, np.array(-self.middle))
        return DoubleDouble(s / self.half, e / self.half)


def columns(t: Array, count: int) -> Array:
    """Return T₀ … of the given count at ``t``: shape (n, count), each column in one piece."""
    out = np.empty((count, len(t)))
    write_columns(t, out)
    return out.T


def write_columns(t: Array, out: Array) -> None:
    """Write T₀ … at ``t`` (n,) into the lines of ``out`` (count, n)."""
    out[0] = 1.0
    if len(out) > 1:
        out[1] = t
        double = 2 * t
    for k in range(2, len(out)):
        np.multiply(double, out[k - 1], out=out[k])
        out[k] -= out[k - 2]


def exact_columns(t: DoubleDouble, count: int) -> DoubleDouble:
    """Return T₀ … of the given count at ``t`` (n,) in double-double, one in each line (count, n)."""
    out = DoubleDouble(*np.empty((2, count, len(t.high))))
    out.high[0], out.low[0] = 1.0, 0.0
    if count > 1:
        out.high[1], out.low[1] = t.high, t.low
    double = t.scaled(2.0)
    for k in range(2, count):
        out.high[k], out.low[k] = double.times_less(out[k - 1], out[k - 2])
    return out


def evaluate(c: Array, t: Array) -> Array:
    """Return Σ cₖ Tₖ(t) by Clenshaw's recurrence; same shape as ``t``."""
    above = np.zeros_like(t)
    values = np.zeros_like(t)
    for coefficient in c[:0:-1]:
        values, above = 2 * t * values - above + coefficient, values
    return t * values - above + c[0]


def derivative(c: Array) -> Array:
    """Return the series of dp/dt; its length is one less (at least 1)."""
    n = len(c)
    out = np.zeros((max(n - 1, 1), *c.shape[1:]))
    for k in range(n - 1, 0, -1):
        higher = out[k + 1] if k + 1 < n - 1 else 0.0
        out[k - 1] = higher + 2 * k * c[k]
    out[0] = out[0] / 2
    return out


def antiderivative(c: Array) -> Array:
    """Return a series whose derivative is ``c``; its length is one more and it is zero at t = 0 up to a constant."""
    n = len(c)
    padded = np.zeros((n + 2, *c.shape[1:]))
    padded[:n] = c
    out = np.zeros((n + 1, *c.shape[1:]))
    out[1] = padded[0] - padded[2] / 2
    for k in range(2, n + 1):
        out[k] = (padded[k - 1] - padded[k + 1]) / (2 * k)
    return out


def times_x(scale: Scale, count: int) -> Array:
    """Return the matrix, shape (count + 1, count), that turns a series p into the series of x·p."""
    out = np.zeros((count + 1, count))
    for k in range(count):
        out[k, k] += scale.middle
        out[k + 1, k] += scale.half * (0.5 if k else 1.0)
        if k:
            out[k - 1, k] += scale.half / 2
    return out


def as_powers(scale: Scale, count: int) -> tuple[list[list[int]], int]:
    """Return, exactly, the coefficients of 1, x, x² … in each Tₖ((x − middle)/half), over one power of two (dyadic.py)."""
    # z = (x − middle)/half = (u x − v)·2**power
    whole, power = dyadic.of_floats((1.0, scale.middle))
    down = dyadic.power_of(scale.half)
    power -= max(down, 0)
    u, v = (w << max(-down, 0) for w in whole)
    table = [[1]]
    for k in range(1, count):
        factor = 1 if k == 1 else 2
        row = [-factor * v * w for w in table[-1]] + [0]
        for i, w in enumerate(table[-1]):
            row[i + 1] += factor * u * w
        if k > 1:
            for i, w in enumerate(table[-2]):
                row[i] -= w << (-2 * power)
        table.append(row)
    # Row k is over 2**(k·power) so far.
    return [[w << (power * (k + 1 - count)) for w in row] for k, row in enumerate(table)], power * (count - 1)


# A tangent root is reported when the turning point misses zero by no more than this many units
# of the rounding of the series' largest terms.
TANGENT_ROUNDING = 64 * float(np.finfo(np.float64).eps)


def real_roots(c: Array, low: float = -1.0, high: float = 1.0) -> Array:
    """Return the real roots of the series in low … high, rising, each once.

    Between neighbouring turning points the series is monotone, so each such piece holds at most
    one root, which bisection finds to the last digit. The turning points come from the derivative
    in the same way, down to a straight line. A series that is zero throughout has no roots here.
    """
    c = np.trim_zeros(c, "b")
    if len(c) < 2:
        return np.empty(0)
    inner = real_roots(derivative(c), low, high)
    ends = np.concatenate([[low], inner, [high]])
    values = evaluate(c, ends)
    rounding = TANGENT_ROUNDING * float(np.sum(np.abs(c)))
    roots: list[float] = []
    for i, (a, b) in enumerate(itertools.pairwise(ends)):
        start, end = values[i], values[i + 1]
        if i and abs(start) <= rounding:
            roots.append(float(a))
            continue
        if abs(end) <= rounding and i + 1 < len(ends) - 1:
            continue
        if start == 0.0:
            roots.append(float(a))
        elif end == 0.0:
            roots.append(float(b))
        elif start * end < 0:
            roots.append(_bisect(c, float(a), float(b), start > 0))
    return np.unique(roots)


def _bisect(c: Array, a: float, b: float, falling: bool) -> float:
    for _ in range(200):
        middle = a / 2 + b / 2
        if middle in (a, b):
            break
        above = float(evaluate(c, np.array([middle]))[0]) > 0
        if above == falling:
            a = middle
        else:
            b = middle
    values = np.abs(evaluate(c, np.array([a, b])))
    return a if values[0] <= values[1] else b
