"""Polynomials: algebra that comes back to the last digit, roots with their doubts, turning points."""

import math
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import vettore.core as core
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.polynomials.words import doubts_in_words
from vettore.core.rounding import NumberStyle


def exact_value(c, z):
    """Real and imaginary part of p(z) without rounding."""
    real, imaginary = Fraction(z.real), Fraction(z.imag)
    a, b = Fraction(0), Fraction(0)
    for coefficient in reversed(c):
        a, b = a * real - b * imaginary + Fraction(coefficient), a * imaginary + b * real
    return a, b


whole = st.lists(st.integers(-50, 50).map(float), min_size=1, max_size=7)


@given(whole, whole, whole)
@settings(max_examples=80)
def test_algebra_keeps_its_laws(a, b, c):
    """Distribution, division with remainder, powers, composition and the slope of a product, exactly."""
    p, q, r = Polynomial(a), Polynomial(b), Polynomial(c)
    assert p * (q + r) == p * q + p * r
    assert (p * q).slope() == p.slope() * q + p * q.slope()
    if not q.is_zero:
        quotient, rest = divmod(p * q + Polynomial([rest_of(q)]), q)
        if q.degree:
            assert quotient == p
            assert rest == Polynomial([rest_of(q)])
    assert p**2 == p * p
    x = np.linspace(-1, 1, 5)
    if p.degree * q.degree <= 20:
        composed = p.compose(q)
        # Where terms of 1e11 cancel no more digits are left than theirs.
        left = 1e-6 + 1e-14 * float(np.sum(np.abs(composed.coefficients)))
        np.testing.assert_allclose(composed(x), p(q(x)), rtol=1e-9, atol=left)
    np.testing.assert_allclose(p.shifted(0.5)(x), p(x + 0.5), rtol=1e-9, atol=1e-6)
    assert p.antiderivative().slope() == p or p.degree > 2
    assert p.area(-1, 2) == pytest.approx(float(p.antiderivative()(2.0) - p.antiderivative()(-1.0)), abs=1e-6)


def rest_of(q):
    return 3.0 if q.degree else 0.0


@pytest.mark.parametrize("degree", [1, 2, 5, 12, 20, 30])
def test_roots_of_random_polynomials_have_tiny_backward_errors(degree):
    """|p(z)| ≤ 1e-14 of the sum of the sizes of its terms, and there are as many as the degree."""
    rng = np.random.default_rng(degree)
    for _ in range(4):
        c = tuple((rng.normal(0, 1, degree + 1) * 10 ** rng.uniform(-3, 3, degree + 1)).tolist())
        roots = Polynomial(c).roots()
        assert len(roots) == degree
        for z in roots:
            value = exact_value(c, z)
            size = sum(abs(one) * abs(z) ** k for k, one in enumerate(c))
            assert math.hypot(float(value[0]), float(value[1])) <= 1e-14 * size
        assert all(z.conjugate() in roots for z in roots)


@pytest.mark.parametrize(
    ("roots", "expected"),
    [
        ([1, 1, 1], [(1, 3)]),
        ([2, 2, -3, 0, 0], [(-3, 1), (0, 2), (2, 2)]),
        ([0.25, 0.25, 0.5], [(0.25, 2), (0.5, 1)]),
        ([0.75] * 4 + [1.5], [(0.75, 4), (1.5, 1)]),
        ([1] * 10, [(1, 10)]),
        ([1, 2, 3] * 5, [(1, 5), (2, 5), (3, 5)]),
        ([1 + 2j, 1 - 2j, 1 + 2j, 1 - 2j], [(1 - 2j, 2), (1 + 2j, 2)]),
        ([1.0, 1.0001], [(1, 1), (1.0001, 1)]),
    ],
)
def test_multiple_roots_are_recognised(roots, expected):
    """And near ones are kept apart."""
    found = Polynomial.from_roots(roots).root_list
    assert [one.multiplicity for one in found] == [count for _, count in expected]
    for one, (value, _) in zip(found, expected, strict=True):
        assert one.value == pytest.approx(value, abs=1e-8)
        assert one.is_zero


def test_a_multiplicity_is_claimed_only_where_the_stored_coefficients_have_it():
    """(x − 0.1)²(x − 0.3) has no exact double: its two near roots stay two, and are said to be one within a last digit."""
    found = Polynomial.from_roots([0.1, 0.1, 0.3]).root_list
    assert [one.multiplicity for one in found] == [1, 1, 1]
    assert sorted(one.together for one in found) == [1, 2, 2]
    assert "2 roots near 0.1" in doubts_in_words(found, NumberStyle())
    four = Polynomial.from_roots([0.7] * 4 + [1.9]).root_list
    assert sorted(one.together for one in four) == [1, 4, 4, 4, 4]
    assert [one.multiplicity for one in Polynomial([6e150, -5e150, 1e150]).root_list] == [1, 1]
    assert Polynomial([1e150, 2e150, 1e150]).root_list[0].multiplicity == 2


FAMILIES = {
    "1 … 20": range(1, 21),
    "1 … 30": range(1, 31),
    "1/k": [1 / k for k in range(1, 16)],
    "powers of two": [2.0**k for k in range(-12, 13)],
    "Chebyshev": np.cos(np.pi * (np.arange(24) + 0.5) / 24).tolist(),
    "wide": [1e-30, 1.0, 1e30],
    "wider": [1e-100, -1e-3, 2.0, 1e100],
    "near": [1.0, 1.0 + 1e-9, 1.0 - 1e-9, 5.0],
    "pairs": [complex(1, k) for k in range(1, 7)] + [complex(1, -k) for k in range(1, 7)],
}


@pytest.mark.parametrize("name", FAMILIES)
def test_distinct_roots_stay_distinct_and_say_how_sure_they_are(name):
    """As many simple roots as the degree, each in a sign change or a disc, and off by what a last-digit change explains."""
    given = sorted(map(complex, FAMILIES[name]), key=lambda z: (z.real, z.imag))
    found = Polynomial.from_roots(given).root_list
    assert [one.multiplicity for one in found] == [1] * len(given)
    for z in given:
        near = min(found, key=lambda one: abs(one.value - z))
        assert abs(near.value - z) <= 30 * near.moved + 4e-16 * abs(z)
    assert all(one.is_zero for one in found)
    words = doubts_in_words(found, NumberStyle())
    assert bool(words) == any(one.ill_conditioned or one.together > 1 for one in found)


def test_wilkinson_like_roots_are_said_to_be_ill_conditioned():
    """20 whole roots, of the coefficients as stored: exact sign changes prove each; five have all of their digits."""
    p = Polynomial.from_roots(range(1, 21))
    found = p.root_list
    assert all(one.is_real for one in found)
    for one in found:
        x, step = one.value.real, abs(one.value.real) * 1e-15
        signs = [exact_value(p.coefficients, complex(x + way * step))[0] > 0 for way in (-1, 1)]
        assert signs[0] != signs[1]
    worst = min(found, key=lambda one: one.digits)
    assert worst.moved > 0.05
    assert "moves the root near" in doubts_in_words(found, NumberStyle())
    assert not any(one.ill_conditioned for one in Polynomial.from_roots(range(1, 6)).root_list)


@pytest.mark.parametrize("scale", [1e-150, 1.0, 1e150])
def test_coefficients_of_any_size_have_the_same_roots(scale):
    """Also where their products leave the range of numbers."""
    wide = Polynomial([scale * c for c in (-6.0, 11.0, -6.0, 1.0)])
    assert wide.real_roots() == pytest.approx((1, 2, 3), rel=1e-12)
    spread = Polynomial([1e-150, -3.0, 1e150]).real_roots()
    assert spread == pytest.approx(((3 - 5**0.5) / 2 * 1e-150, (3 + 5**0.5) / 2 * 1e-150), rel=1e-12)
    with pytest.raises(core.DataError, match="leaves the range"):
        Polynomial([1e300, 1e-300]).roots()


def test_turning_points_and_inflections():
    """x³ − 3x: a top, an inflection, a bottom; x⁴ has a bottom and no inflection; x³ an inflection only."""
    found = [(turn.kind, turn.x, turn.y) for turn in Polynomial([0, -3, 0, 1]).turns()]
    assert found == [("top", -1, 2), ("inflection", 0, 0), ("bottom", 1, -2)]
    assert [turn.kind for turn in Polynomial([0, 0, 0, 0, 1]).turns()] == ["bottom"]
    assert [turn.kind for turn in Polynomial([0, 0, 0, 1]).turns()] == ["inflection"]
    assert Polynomial([5]).turns() == ()


def test_a_fit_becomes_a_polynomial_with_uncertain_roots():
    """The standard error of a root is that of many fits."""
    rng, x = np.random.default_rng(1), np.linspace(0, 5, 40)
    found, told = [], []
    for _ in range(200):
        result = core.fit_polynomial(x, (x - 1) * (x - 4) + rng.normal(0, 0.1, 40), 2)
        root = Polynomial.from_fit(result).root_list[0]
        found.append(root.value.real)
        told.append(root.standard_error)
    assert np.std(found) == pytest.approx(np.mean(told), rel=0.15)
    p = Polynomial.from_fit(result)
    np.testing.assert_allclose(p.standard_error(x), result.curve.standard_error(x), rtol=1e-6)
    np.testing.assert_allclose(p.curve(0, 5).crossings(0.0, 0, 5), p.real_roots(), rtol=1e-9)
    assert p.slope().covariance.shape == (2, 2)


def test_common_divisors_exact_and_to_rounding():
    """(x−1)(x−2) and (x−2)(x−3); the same with roots that have no exact double."""
    one, other = Polynomial.from_roots([1, 2]), Polynomial.from_roots([2, 3])
    assert one.common_divisor(other) == Polynomial([-2, 1])
    rng = np.random.default_rng(6)
    common, *others = (Polynomial([*rng.integers(-9, 9, degree), 1]) for degree in (20, 90, 70))
    assert (common * others[0]).common_divisor(common * others[1]) == common
    # Fractions of such coefficients grow without measure.
    wide = [Polynomial(rng.normal(size=degree + 1)) for degree in (60, 50)]
    assert wide[0].common_divisor(wide[1]) == Polynomial([1])
    near = Polynomial.from_roots([0.1, 0.7]).common_divisor(Polynomial.from_roots([0.7, 0.3]))
    assert near.coefficients == pytest.approx((-0.7, 1), rel=1e-9)


@pytest.mark.parametrize(
    ("call", "words"),
    [
        (lambda: Polynomial([]), "at least one"),
        (lambda: Polynomial([1, math.nan]), "x\\^1"),
        (lambda: Polynomial.from_roots([1 + 1j]), "without its conjugate"),
        (lambda: divmod(Polynomial([1]), Polynomial([0])), "divided by zero"),
        (lambda: Polynomial([0]).roots(), "every x"),
        (lambda: Polynomial([1, 1]) ** -1, "whole power"),
    ],
)
def test_wrong_requests_are_refused(call, words):
    """In a sentence."""
    with pytest.raises(core.DataError, match=words):
        call()


@given(st.lists(st.floats(-1e6, 1e6, allow_subnormal=False), min_size=1, max_size=6))
def test_the_formula_of_a_polynomial_says_it_with_all_digits(coefficients):
    """Read back and worked out, it gives the same values to the last few digits."""
    p = Polynomial(coefficients)
    read = read_formula(p.formula(), ("x",))
    value = float(np.asarray(evaluate(read.right, {"x": np.array([1.5])}, 1))[0])
    size = sum(abs(c) * 1.5**k for k, c in enumerate(p.coefficients))
    assert abs(value - float(p(1.5))) <= 1e-14 * size
