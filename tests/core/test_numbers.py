"""Double-double arithmetic against exact fractions."""

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vettore.core.arithmetic.numbers import DoubleDouble, mean_and_squares

NUMBERS = st.floats(-1e12, 1e12, allow_nan=False).filter(lambda value: value == 0 or abs(value) > 1e-12)


def exactly(number):
    return Fraction(float(number.high)) + Fraction(float(number.low))


def near(found, wanted, size):
    """Whether a double-double is its wanted fraction to 30 digits of the largest number that took part."""
    return abs(exactly(found) - wanted) <= Fraction(size) * Fraction(1, 10**29)


@given(NUMBERS, NUMBERS, NUMBERS)
@settings(max_examples=200)
def test_arithmetic_keeps_thirty_digits(a, b, c):
    """Sums, differences, products and quotients of numbers that are themselves sums."""
    x, y = DoubleDouble(a) + DoubleDouble(c * 1e-17), DoubleDouble(b)
    one, other = exactly(x), exactly(y)
    size = max(abs(float(x.high)), abs(b), 1e-300)
    assert near(x + y, one + other, size)
    assert near(x - y, one - other, size)
    assert near(x * y, one * other, size * size)
    if b:
        quotient = x / y
        assert abs(exactly(quotient) * other - one) <= abs(one) * Fraction(1, 10**28)


@pytest.mark.parametrize("n", [0, 1, 2, 63, 64, 65, 127, 129, 1000, 4097])
def test_sums_of_any_length_are_exact_to_thirty_digits(n):
    """Numbers of very different size that nearly cancel, with low parts."""
    rng = np.random.default_rng(n)
    high = rng.normal(size=n) * 10.0 ** rng.integers(-8, 9, n)
    high[n // 2 : 2 * (n // 2)] = -high[: n // 2] * (1 + 1e-12)
    low = high * rng.uniform(-1, 1, n) * 1e-17
    found = DoubleDouble(high, low).sum()
    wanted = sum(map(Fraction, [*high.tolist(), *low.tolist()]), Fraction(0))
    assert near(found, wanted, max(np.abs(high).max(initial=0.0), 1e-300) * max(n, 1))


def test_a_sum_beyond_the_range_of_numbers_is_infinite_and_one_with_a_blank_is_blank():
    """Nothing is raised; whoever uses the sum finds it not finite."""
    assert DoubleDouble(np.full(4, 1.5e308)).sum().high == np.inf
    assert np.isnan(DoubleDouble(np.array([1.0, np.nan])).sum().high)
    assert np.isnan(DoubleDouble(np.array([np.inf, -np.inf])).sum().high)


def test_the_squares_about_a_far_mean_keep_their_digits():
    """Ten digits of a mean of 1e9 do not spoil a scatter of 1e-3; weights alike."""
    values = 1e9 + np.array([1.0, 2.0, 4.0, 8.0]) * 2.0**-10
    mean, squares = mean_and_squares(values)
    wanted_mean = sum(map(Fraction, values.tolist()), Fraction(0)) / 4
    wanted = sum(((Fraction(v) - wanted_mean) ** 2 for v in values.tolist()), Fraction(0))
    assert mean == float(wanted_mean)
    assert squares == pytest.approx(float(wanted), rel=1e-15)
    weighted = mean_and_squares(values, DoubleDouble(np.array([1.0, 1.0, 2.0, 0.5])))
    repeated = mean_and_squares(np.repeat(values, [2, 2, 4, 1]))
    assert weighted[0] == repeated[0]
    assert weighted[1] * 2 == pytest.approx(repeated[1], rel=1e-14)
