"""Whole numbers over one power of two, against fractions."""

import math
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from vettore.core.arithmetic import chebyshev, dyadic
from vettore.core.arithmetic.chebyshev import Scale

ANY = st.floats(allow_nan=False, allow_infinity=False)


@given(st.lists(ANY, max_size=6))
@settings(max_examples=200)
def test_floats_are_kept_to_the_last_bit_and_come_back(values):
    """Subnormal numbers and the largest alike."""
    whole, power = dyadic.of_floats(values)
    assert power <= 0
    assert [Fraction(one) * Fraction(2) ** power for one in whole] == [Fraction(value) for value in values]
    assert [dyadic.rounded(one, power) for one in whole] == values


@given(st.integers(-(10**40), 10**40), st.integers(-1400, 1200))
@settings(max_examples=200)
def test_a_number_is_rounded_once_and_infinite_beyond_the_range(number, power):
    """As Python rounds a fraction."""
    try:
        wanted = float(Fraction(number) * Fraction(2) ** power)
    except OverflowError:
        wanted = math.copysign(math.inf, number)
    assert dyadic.rounded(number, power) == wanted


@given(st.floats(-1e9, 1e9), st.integers(-30, 30), st.integers(1, 9))
@settings(max_examples=100)
def test_powers_of_x_in_chebyshev_polynomials_are_exact(middle, half, count):
    """Evaluated in fractions they are Tₖ by its recurrence."""
    table, power = chebyshev.as_powers(Scale(middle, 2.0**half), count)
    x, unit = Fraction(3, 7), Fraction(2) ** power
    t = (x - Fraction(middle)) / Fraction(2) ** half
    wanted = [Fraction(1), t]
    while len(wanted) < count:
        wanted.append(2 * t * wanted[-1] - wanted[-2])
    assert [sum(w * unit * x**i for i, w in enumerate(row)) for row in table] == wanted[:count]
