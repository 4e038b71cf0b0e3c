"""Polynomials as objects: Σ cₖ xᵏ with coefficients in rising order.

Sums, products and quotients are worked out in exact fractions and rounded once, so that what is divided and multiplied
back comes out to the last digit that a double can hold.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from typing import Literal

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault, a_number
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.result import FitResult
from vettore.core.formula.tree import Binary, Name, Node, Number
from vettore.core.polynomials.multiple import common_part, whole_coefficients
from vettore.core.polynomials.roots import Root, find_roots

HIGHEST_DEGREE = 200
# Roots of two polynomials this near, relative to their size, are one when they are common to rounding.
SAME_ROOT = 1e-7
# A remainder this small beside what was divided is rounding.
ONLY_ROUNDING = 1e-9


@dataclass(frozen=True)
class Turn:
    """A top, a bottom, or a point of inflection."""

    x: float
    y: float
    kind: Literal["top", "bottom", "inflection"]


class Polynomial:
    """Immutable. ``covariance`` of shape (n, n) is that of the coefficients, or None when they are exact."""

    def __init__(self, coefficients: Iterable[float], covariance: Array | None = None) -> None:
        values = [a_number(value, f"The coefficient of x^{power}") for power, value in enumerate(coefficients)]
        if not values:
            raise DataError("A polynomial needs at least one coefficient.", Fault.TOO_FEW)
        for power, value in enumerate(values):
            if math.isinf(value):
                raise DataError(
                    f"The coefficient of x^{power} is {value}, which is no finite number.", Fault.NOT_A_NUMBER
                )
        while len(values) > 1 and values[-1] == 0.0:
            values.pop()
        _check_degree(len(values) - 1)
        self._coefficients = tuple(values)
        self.covariance = None if covariance is None else np.asarray(covariance)[: len(values), : len(values)]

    @classmethod
    def from_roots(cls, roots: Iterable[complex], leading: float = 1.0) -> Polynomial:
        """Return leading·Π (x − r). Complex roots come in conjugate pairs. Raises DataError for one without its partner."""
        given = [complex(root) for root in roots]
        if any(not (math.isfinite(z.real) and math.isfinite(z.imag)) for z in given):
            raise DataError("A root is no finite number.", Fault.NOT_A_NUMBER)
        total = [Fraction(leading)]
        waiting: list[complex] = []
        for z in given:
            if z.imag == 0.0:
                total = _product(total, [-Fraction(z.real), Fraction(1)])
            elif z.conjugate() in waiting:
                waiting.remove(z.conjugate())
                size = Fraction(z.real) ** 2 + Fraction(z.imag) ** 2
                total = _product(total, [size, -2 * Fraction(z.real), Fraction(1)])
            else:
                waiting.append(z)
        if waiting:
            z = waiting[0]
            raise DataError(
                f"The complex root {z.real:g} {'+' if z.imag > 0 else '−'} {abs(z.imag):g}i stands without its conjugate; "
                "a polynomial with real coefficients has both. Add the other.",
                Fault.WRONG_KIND,
            )
        return cls(_rounded(total))

    @classmethod
    def from_fit(cls, result: FitResult) -> Polynomial:
        """Return a fitted polynomial with the covariance of its coefficients. Raises DataError for other models."""
        powers = result.powers
        if not powers:
            raise DataError("This fit is no polynomial with coefficients a0, a1, …", Fault.UNAVAILABLE)
        count = max(powers.values()) + 1
        values, table = [0.0] * count, np.zeros((count, count))
        for name, power in powers.items():
            values[power] = result.coefficients[name].value
        if result.covariance is not None:
            places = [powers[name] for name in result.fitted_names]
            table[np.ix_(places, places)] = result.covariance
            return cls(values, table)
        return cls(values)

    @property
    def coefficients(self) -> tuple[float, ...]:
        """The coefficients in rising order; the last is not zero unless there is only one."""
        return self._coefficients

    @property
    def degree(self) -> int:
        """The highest power; 0 for a constant."""
        return len(self._coefficients) - 1

    @property
    def is_zero(self) -> bool:
        """Whether this is the constant 0."""
        return self._coefficients == (0.0,)

    def __call__(self, x: Array | float) -> Array:
        """Return the value at x, same shape, by Horner's rule."""
        x = np.asarray(x, dtype=np.float64)
        total = np.zeros_like(x)
        for coefficient in reversed(self._coefficients):
            total = total * x + coefficient
        return total

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Polynomial) and self._coefficients == other._coefficients

    def __hash__(self) -> int:
        return hash(self._coefficients)

    def __repr__(self) -> str:
        return f"Polynomial({list(self._coefficients)})"

    def __add__(self, other: Polynomial | float) -> Polynomial:
        pairs = itertools.zip_longest(self._exact, _as_polynomial(other)._exact, fillvalue=Fraction(0))
        return Polynomial(_rounded([a + b for a, b in pairs]))

    def __neg__(self) -> Polynomial:
        return Polynomial([-value for value in self._coefficients], self.covariance)

    def __sub__(self, other: Polynomial | float) -> Polynomial:
        return self + (-_as_polynomial(other))

    def __mul__(self, other: Polynomial | float) -> Polynomial:
        """Return the product, whose coefficients are the convolution of both."""
        return Polynomial(_rounded(_product(self._exact, _as_polynomial(other)._exact)))

    __radd__, __rmul__ = __add__, __mul__

    def __rsub__(self, other: Polynomial | float) -> Polynomial:
        return _as_polynomial(other) - self

    def __pow__(self, exponent: int) -> Polynomial:
        if not isinstance(exponent, int) or exponent < 0:
            raise DataError(
                f"A polynomial can be raised to a whole power of 0 or more, not to {exponent}.", Fault.OUT_OF_BOUNDS
            )
        _check_degree(self.degree * exponent)
        total = [Fraction(1)]
        for _ in range(exponent):
            total = _product(total, self._exact)
        return Polynomial(_rounded(total))

    def __divmod__(self, other: Polynomial | float) -> tuple[Polynomial, Polynomial]:
        """Return quotient and remainder. Raises DataError for a division by zero."""
        divisor = _as_polynomial(other)
        if divisor.is_zero:
            raise DataError("A polynomial cannot be divided by zero.", Fault.NO_VALUE)
        quotient, rest = _divided(self._exact, divisor._exact)
        return Polynomial(_rounded(quotient)), Polynomial(_rounded(rest))

    def __floordiv__(self, other: Polynomial | float) -> Polynomial:
        return divmod(self, other)[0]

    def __mod__(self, other: Polynomial | float) -> Polynomial:
        return divmod(self, other)[1]

    def compose(self, inner: Polynomial) -> Polynomial:
        """Return p(q(x)). Raises DataError when the degree gets too high."""
        _check_degree(self.degree * inner.degree)
        total = [Fraction(0)]
        for coefficient in reversed(self._exact):
            total = _product(total, inner._exact)
            total[0] += coefficient
        return Polynomial(_rounded(total))

    def shifted(self, by: float) -> Polynomial:
        """Return p(x + by)."""
        return self.compose(Polynomial([by, 1.0]))

    def slope(self) -> Polynomial:
        """Return the derivative, with the covariance that follows."""
        if self.degree == 0:
            return Polynomial([0.0])
        factors = np.arange(1, self.degree + 1)
        covariance = None if self.covariance is None else self.covariance[1:, 1:] * np.outer(factors, factors)
        return Polynomial([k * value for k, value in enumerate(self._coefficients)][1:], covariance)

    def antiderivative(self, constant: float = 0.0) -> Polynomial:
        """Return the polynomial whose slope this is, with the value ``constant`` at 0."""
        return Polynomial([constant, *(value / (k + 1) for k, value in enumerate(self._coefficients))])

    def area(self, a: float, b: float) -> float:
        """Return the exact integral from a to b."""
        total = [Fraction(0), *(value / (k + 1) for k, value in enumerate(self._exact))]
        return float(_value(total, Fraction(b)) - _value(total, Fraction(a)))

    @cached_property
    def root_list(self) -> tuple[Root, ...]:
        """The roots with multiplicity, residual, condition and uncertainty. Raises DataError for the constant 0."""
        if self.is_zero:
            raise DataError("The constant 0 is zero everywhere: every x is a root.", Fault.NO_VALUE)
        return find_roots(self._coefficients, self.covariance)

    def roots(self) -> tuple[complex, ...]:
        """Return all roots, each as often as it counts: real ones rising, then complex pairs."""
        return tuple(itertools.chain.from_iterable([root.value] * root.multiplicity for root in self.root_list))

    def real_roots(self) -> tuple[float, ...]:
        """Return the different real roots, rising."""
        return tuple(root.value.real for root in self.root_list if root.is_real)

    def turns(self) -> tuple[Turn, ...]:
        """Return tops, bottoms and inflections by rising x."""
        return self._turns

    @cached_property
    def _turns(self) -> tuple[Turn, ...]:
        return _turns_of(self)

    def common_divisor(self, other: Polynomial) -> Polynomial:
        """Return the greatest common divisor with leading coefficient 1: exact, or of roots common to rounding."""
        if self.is_zero and other.is_zero:
            raise DataError("Two zeros have no greatest common divisor.", Fault.NO_VALUE)
        if self.is_zero or other.is_zero:
            only = other if self.is_zero else self
            return Polynomial(
                _rounded([Fraction(value) / Fraction(only.coefficients[-1]) for value in only.coefficients])
            )
        exact = common_part(whole_coefficients(self._coefficients), whole_coefficients(other._coefficients))
        if len(exact) > 1:
            return Polynomial(_rounded([Fraction(value, exact[-1]) for value in exact]))
        left, common = list(other.roots()), []
        for z in self.roots():
            near = [w for w in left if abs(w - z) <= SAME_ROOT * max(abs(z), 1e-9)]
            if near:
                common.append((z + min(near, key=lambda w: abs(w - z))) / 2)
                left.remove(near[0])
        return _from_near_pairs(common)

    def formula(self, x: str = "x") -> str:
        """Return the polynomial in the formula language with all its digits, as ``1 - 3.0*x + x^3``."""
        return _written(self.coefficients, x)

    def curve(self, low: float, high: float) -> FormulaCurve:
        """Return the polynomial as a curve over a span."""
        names = tuple(f"a{k}" for k in range(len(self._coefficients)))
        tree: Node = Name(names[-1])
        for name in reversed(names[:-1]):
            tree = Binary("+", Name(name), Binary("*", Name("x"), tree))
        values = dict(zip(names, self._coefficients, strict=True))
        return FormulaCurve(
            tree if self.degree else Binary("+", Name(names[0]), Binary("*", Number(0.0), Name("x"))),
            "x",
            values,
            names,
            self.covariance,
            (low, high),
            None,
            0,
        )

    def standard_error(self, x: Array | float) -> Array:
        """Return the standard error at x from the covariance of the coefficients; NaN without one."""
        x = np.asarray(x, dtype=np.float64)
        if self.covariance is None:
            return np.full(x.shape, np.nan)
        powers = x.ravel()[:, None] ** np.arange(len(self._coefficients))
        variance = np.einsum("ij,jk,ik->i", powers, self.covariance, powers)
        return np.sqrt(np.maximum(variance, 0.0)).reshape(x.shape)

    @cached_property
    def _exact(self) -> list[Fraction]:
        return [Fraction(value) for value in self._coefficients]


def _turns_of(p: Polynomial) -> tuple[Turn, ...]:
    out = []
    slope, bend = p.slope(), p.slope().slope()
    if not slope.is_zero and slope.degree:
        for root in slope.root_list:
            if root.is_real and root.multiplicity % 2:
                x = root.value.real
                rising = float(_sign_beside(slope, x, slope.real_roots()))
                out.append(Turn(x, float(p(x)), "top" if rising < 0 else "bottom"))
    if not bend.is_zero and bend.degree:
        out += [
            Turn(item.value.real, float(p(item.value.real)), "inflection")
            for item in bend.root_list
            if item.is_real and item.multiplicity % 2
        ]
    return tuple(sorted(out, key=lambda turn: turn.x))


def _written(coefficients: Sequence[float], x: str) -> str:
    parts: list[str] = []
    for k, value in enumerate(coefficients):
        if value == 0.0 and (len(coefficients) > 1 or k):
            continue
        power = "" if k == 0 else f"{x}^{k}" if k > 1 else x
        factor = repr(abs(value))
        body = factor if not power else f"{factor}*{power}"
        body = power if power and abs(value) == 1.0 else body
        sign = " - " if value < 0 else " + "
        parts.append(f"{sign}{body}" if parts else f"-{body}" if value < 0 else body)
    return "".join(parts) or "0"


def _as_polynomial(value: Polynomial | float) -> Polynomial:
    return value if isinstance(value, Polynomial) else Polynomial([value])


def _check_degree(degree: int) -> None:
    if degree > HIGHEST_DEGREE:
        raise DataError(f"Degree {degree} is too high; the highest is {HIGHEST_DEGREE}.", Fault.TOO_MANY)


def _rounded(values: Sequence[Fraction]) -> list[float]:
    try:
        return [float(value) for value in values]
    except OverflowError:
        raise DataError("A coefficient of the result leaves the range of numbers here.", Fault.OVERFLOW) from None


def _product(a: Sequence[Fraction], b: Sequence[Fraction]) -> list[Fraction]:
    out = [Fraction(0)] * (len(a) + len(b) - 1)
    for i, fraction in enumerate(a):
        if fraction:
            for j, other in enumerate(b):
                out[i + j] += fraction * other
    return out


def _trimmed(values: list[Fraction]) -> list[Fraction]:
    while len(values) > 1 and not values[-1]:
        values.pop()
    return values


def _divided(a: Sequence[Fraction], b: Sequence[Fraction]) -> tuple[list[Fraction], list[Fraction]]:
    rest, lead = list(a), b[-1]
    steps = len(a) - len(b)
    if steps < 0:
        return [Fraction(0)], rest
    quotient = [Fraction(0)] * (steps + 1)
    for k in range(steps, -1, -1):
        factor = rest[k + len(b) - 1] / lead
        quotient[k] = factor
        if factor:
            for j, value in enumerate(b):
                rest[k + j] -= factor * value
    return quotient, _trimmed(rest[: max(len(b) - 1, 1)])


def _value(c: Sequence[Fraction], x: Fraction) -> Fraction:
    total = Fraction(0)
    for coefficient in reversed(c):
        total = total * x + coefficient
    return total


def _sign_beside(slope: Polynomial, x: float, roots: tuple[float, ...]) -> float:
    """Return the sign of a slope just right of one of its roots."""
    later = [r for r in roots if r > x]
    return float(np.sign(slope(np.float64((x + min(later)) / 2 if later else x + max(abs(x), 1.0)))))


def _from_near_pairs(roots: list[complex]) -> Polynomial:
    """Return the polynomial of roots among which pairs are conjugate to rounding only."""
    upper = [z for z in roots if z.imag > 0]
    paired = [w for z in upper for w in (z, z.conjugate())]
    return Polynomial.from_roots([z.real for z in roots if z.imag == 0] + paired)
