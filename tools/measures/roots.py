"""Roots of thirty families of polynomials: their digits, multiplicities that are none, and the time they take."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from decimal import Context, Decimal, localcontext

import numpy as np

from vettore.core.polynomials.discs import Complex, size_of, values_at
from vettore.core.polynomials.polynomial import Polynomial

# Digits in which a root is worked out again.
DIGITS = 300


def families() -> Iterator[tuple[str, Polynomial, dict[int, int]]]:
    """Yield names, polynomials, and how many roots of which multiplicity above 1 they have exactly."""
    for n in (5, 10, 15, 20, 25, 30):
        yield f"roots 1 … {n}", Polynomial.from_roots(range(1, n + 1)), {}
    for n in (10, 20, 40, 60):
        yield (
            f"Chebyshev nodes, degree {n}",
            Polynomial.from_roots(np.cos(np.pi * (np.arange(n) + 0.5) / n).tolist()),
            {},
        )
    for n in (10, 30, 60):
        yield f"random coefficients, degree {n}", Polynomial(np.random.default_rng(n).normal(size=n + 1)), {}
    for n in (20, 60):
        rng = np.random.default_rng(n)
        wide = rng.normal(size=n + 1) * 10.0 ** rng.uniform(-100, 100, n + 1)
        yield f"coefficients over 200 powers of ten, degree {n}", Polynomial(wide), {}
    yield "1e-30, 1, 1e30", Polynomial.from_roots([1e-30, 1.0, 1e30]), {}
    yield "1e-100, 2, 1e100", Polynomial.from_roots([1e-100, 2.0, 1e100]), {}
    yield "coefficients near 1e150", Polynomial([6e150, -5e150, 1e150]), {}
    yield "coefficients near 1e-150", Polynomial([6e-150, -5e-150, 1e-150]), {}
    for n in (12, 60):
        yield f"roots of one, degree {n}", Polynomial([-1.0] + [0.0] * (n - 1) + [1.0]), {}
    yield "two roots 1e-9 apart", Polynomial.from_roots([1.0, 1.0 + 1e-9, 5.0]), {}
    yield "1 three times", Polynomial.from_roots([1] * 3), {3: 1}
    yield "1 ten times", Polynomial.from_roots([1] * 10), {10: 1}
    yield "1, 2, 3 five times each", Polynomial.from_roots([1, 2, 3] * 5), {5: 3}
    yield "a pair three times", Polynomial.from_roots([1 + 2j, 1 - 2j] * 3), {3: 2}
    yield "0.1 twice, rounded", Polynomial.from_roots([0.1, 0.1, 0.3]), {}
    yield "0.7 four times, rounded", Polynomial.from_roots([0.7] * 4 + [1.9]), {}
    yield "powers of two", Polynomial.from_roots([2.0**k for k in range(-12, 13)]), {}
    yield "pairs on a line", Polynomial.from_roots([complex(1, s * k) for k in range(1, 9) for s in (-1, 1)]), {}


def digits(p: Polynomial, value: complex, multiplicity: int) -> float:
    """Return in how many digits a root agrees with the exact one, from Newton's steps in many digits."""
    with localcontext(Context(prec=DIGITS, Emax=10**12, Emin=-(10**12))):
        c = [Decimal(one) for one in p.coefficients]
        z = Complex(Decimal(value.real), Decimal(value.imag))
        if not any(z):
            return 16.0
        moved = Decimal(0)
        for _ in range(12):
            found, slope, _ = values_at(c, z)
            below = slope.real**2 + slope.imaginary**2
            if not any(found) or not below:
                break
            step = Complex(
                multiplicity * (found.real * slope.real + found.imaginary * slope.imaginary) / below,
                multiplicity * (found.imaginary * slope.real - found.real * slope.imaginary) / below,
            )
            z = Complex(z.real - step.real, z.imaginary - step.imaginary)
        moved = size_of(Complex(z.real - Decimal(value.real), z.imaginary - Decimal(value.imag))) / size_of(z)
        return 16.0 if moved < Decimal("1e-16") else -math.log10(float(moved))


def lines() -> list[str]:
    """Return the section."""
    rows, wrong, slowest, count = [], 0, 0.0, 0
    for name, p, multiple in families():
        began = time.process_time()
        roots = p.root_list
        took = time.process_time() - began
        slowest, count = max(slowest, took), count + 1
        found: dict[int, int] = {}
        for one in roots:
            if one.multiplicity > 1:
                found[one.multiplicity] = found.get(one.multiplicity, 0) + 1
        bad = found != multiple or sum(one.multiplicity for one in roots) != p.degree
        wrong += bad
        fewest = min(digits(p, one.value, one.multiplicity) for one in roots)
        moved = max((one.moved / abs(one.value) for one in roots if one.value), default=0.0)
        rows.append(f"| {name} | {fewest:.1f} | {moved:.0e} | {'yes' if bad else 'no'} | {took:.2f} |")
    return [
        "## Roots of polynomials",
        "",
        (
            "Digits in which every root agrees with the exact one of the coefficients as they are stored (16 is all a double "
            "holds), "
            "how far a change of the coefficients in their last digit may move a root (beside its size), and whether any "
            "multiplicity is wrong."
        ),
        "",
        "| family | digits | moved by a last digit | wrong multiplicity | seconds |",
        "|---|---|---|---|---|",
        *rows,
        "",
        f"{count} families, {wrong} with a wrong multiplicity; the slowest took {slowest:.2f} s of one core.",
    ]
