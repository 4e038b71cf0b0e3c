"""Double-double numbers: twice the digits of a float64, from error-free sums and products.

A number is the unevaluated sum ``high + low`` with ``|low| ≤ ulp(high)/2``, about 32 digits.
Sources: Dekker (1971), Knuth (TAOCP 2, 4.2.2), Ogita, Rump & Oishi (2005).
``numpy.longdouble`` is not used: it is plain double on some platforms.
Notation: s, e and p, e are a rounded sum or product and its exact error.
"""

from __future__ import annotations

import math

import numpy as np

from vettore.core.arrays import Array, largest

# 2²⁷ + 1 splits a 53-bit significand into two halves whose products are exact.
SPLITTER = 134217729.0
EPSILON = float(np.finfo(np.float64).eps)
# Sums of larger numbers may leave the range of doubles.
MOST = 1e307


def two_sum(a: Array, b: Array) -> tuple[Array, Array]:
    """Return the rounded sum of ``a`` and ``b`` and its exact error."""
    s = a + b
    t = s - a
    return s, (a - (s - t)) + (b - t)


def two_product(a: Array, b: Array) -> tuple[Array, Array]:
    """Return the rounded product of ``a`` and ``b`` and its exact error (no overflow below 1e300)."""
    p = a * b
    t = SPLITTER * a
    a_high = t - (t - a)
    a_low = a - a_high
    t = SPLITTER * b
    b_high = t - (t - b)
    b_low = b - b_high
    return p, ((a_high * b_high - p) + a_high * b_low + a_low * b_high) + a_low * b_low


def _added(high: Array, low: Array, other_high: Array, other_low: Array) -> tuple[Array, Array]:
    s, e = two_sum(high, other_high)
    t, f = two_sum(low, other_low)
    s, e = two_sum(s, e + t)
    return two_sum(s, e + f)


class DoubleDouble:
    """An array (or scalar) of double-double numbers with ``+ − × ÷`` and ``sum``."""

    __slots__ = ("high", "low")

    def __init__(self, high: Array | float, low: Array | float = 0.0) -> None:
        self.high: Array = np.asarray(high, dtype=np.float64)
        self.low: Array = np.asarray(low, dtype=np.float64)

    def __add__(self, other: DoubleDouble) -> DoubleDouble:
        return DoubleDouble(*_added(self.high, self.low, other.high, other.low))

    def __neg__(self) -> DoubleDouble:
        return DoubleDouble(-self.high, -self.low)

    def __sub__(self, other: DoubleDouble) -> DoubleDouble:
        return self + (-other)

    def __mul__(self, other: DoubleDouble) -> DoubleDouble:
        return DoubleDouble(*two_sum(*_loose_product(self, other)))

    def __truediv__(self, other: DoubleDouble) -> DoubleDouble:
        quotient = DoubleDouble(self.high / other.high)
        for _ in range(2):
            rest = self - other * quotient
            quotient = quotient + DoubleDouble(rest.high / other.high)
        return quotient

    def __getitem__(self, index: slice | int) -> DoubleDouble:
        low = self.low if self.low.shape == self.high.shape else np.broadcast_to(self.low, self.high.shape)
        return DoubleDouble(self.high[index], low[index])

    def scaled(self, factor: float) -> DoubleDouble:
        """Multiply by a power of two, exactly."""
        return DoubleDouble(self.high * factor, self.low * factor)

    def sum(self) -> DoubleDouble:
        """Add up along the last axis.

        Cut off at the same power of two, many numbers add up without any rounding (Rump, Ogita & Oishi 2008). Two cuts are
        taken, and what is left needs no more than the digits of a double.
        """
        n = self.high.shape[-1]
        if not n:
            return DoubleDouble(np.zeros(self.high.shape[:-1]))
        size = np.maximum.reduce(np.abs(self.high), axis=-1, keepdims=True)
        room = 2.0 ** math.ceil(math.log2(n) + 1)
        if not float(size.max()) * room < MOST:
            # Beyond the range of numbers, as the caller will find.
            with np.errstate(over="ignore", invalid="ignore"):
                return DoubleDouble(np.add.reduce(self.high, axis=-1))
        cut = room * np.exp2(np.frexp(size)[1])
        first = (self.high + cut) - cut
        rest = self.high - first
        cut *= room * EPSILON
        second = (rest + cut) - cut
        rest -= second
        rest += self.low
        high, e = two_sum(np.add.reduce(first, axis=-1), np.add.reduce(second, axis=-1))
        return DoubleDouble(*two_sum(high, e + np.add.reduce(rest, axis=-1)))

    def dot(self, other: DoubleDouble) -> DoubleDouble:
        """Return the sums of the products of every line with ``other``, along the last axis."""
        return DoubleDouble(*_loose_product(self, other)).sum()

    def times_less(self, other: DoubleDouble, less: DoubleDouble) -> tuple[Array, Array]:
        """Return the high and the low part of self·other − less."""
        p, e = _loose_product(self, other)
        s, f = two_sum(p, -less.high)
        return two_sum(s, (e - less.low) + f)

    def rounded(self) -> Array:
        """Return the nearest float64 values."""
        return self.high + self.low


def _loose_product(a: DoubleDouble, b: DoubleDouble) -> tuple[Array, Array]:
    """Return a product as a sum whose parts may overlap, for what adds it up."""
    p, e = two_product(a.high, b.high)
    e += a.high * b.low
    e += a.low * b.high
    return p, e


def less_mixture(y: Array, columns: DoubleDouble, c: DoubleDouble) -> DoubleDouble:
    """Return y − Σⱼ cⱼ aⱼ for y (n,) and ``columns`` (m, n), one in each line."""
    p, e = _loose_product(columns, DoubleDouble(c.high[:, None], c.low[:, None]))
    high, low = y, np.zeros(len(y))
    for part, rest in zip(p, e, strict=True):
        high, lost = two_sum(high, -part)
        low += lost - rest
    return DoubleDouble(*two_sum(high, low))


def power_of_two_near(value: float) -> float:
    """Return the power of two nearest above ``value`` (1 for zero): scaling by it is exact."""
    if value == 0.0 or not np.isfinite(value):
        return 1.0
    return float(2.0 ** np.clip(np.ceil(np.log2(abs(value))), -1000, 1000))


# Longer columns are summed in double, pairwise and in two passes, which keeps 14 digits.
MOST_ROWS_EXACT = 100_000


def mean_and_squares_in_double(values: Array, weights: Array | None) -> tuple[float, float]:
    """Return the (weighted) mean and the sum of squared deviations to about 14 digits."""
    if weights is None:
        first = float(np.add.reduce(values)) / len(values)
        rest = values - first
        # The second pass corrects the mean by what the first left over (Chan, Golub & LeVeque 1983).
        correction = float(np.add.reduce(rest)) / len(values)
        return first + correction, float(rest @ rest) - len(values) * correction**2
    total = float(weights.sum())
    first = float(np.sum(weights * values)) / total
    rest = values - first
    correction = float(np.sum(weights * rest)) / total
    return first + correction, float(np.sum(weights * rest * rest)) - total * correction**2


def mean_and_squares(values: Array, weights: DoubleDouble | None = None) -> tuple[float, float]:
    """Return the (weighted) mean and the sum of squared deviations from it, in double-double for all but long columns."""
    scale = power_of_two_near(largest(values))
    if len(values) > MOST_ROWS_EXACT:
        middle, sum_of_squares = mean_and_squares_in_double(values / scale, None if weights is None else weights.high)
        return middle * scale, sum_of_squares * scale * scale
    scaled = DoubleDouble(values / scale)
    if weights is None:
        mean = scaled.sum() / DoubleDouble(float(len(values)))
    else:
        mean = (scaled * weights).sum() / weights.sum()
    deviations = scaled - mean
    squares = deviations * deviations
    if weights is not None:
        squares = squares * weights
    # Scaled one factor at a time, so that scale² cannot overflow on its own.
    return float(mean.rounded()) * scale, float(squares.sum().rounded()) * scale * scale
