"""The simple roots of a polynomial, each in a disc of its own that proves it.

All roots together by Aberth's (1973) iteration, z ← z − N/(1 − N Σⱼ 1/(z − zⱼ)) with N = p/p′, from the eigenvalues of
the companion matrix or, where scales are too wide for doubles, from the Newton polygon of the coefficients (Bini 1996).
The disc about zᵢ of radius

    rᵢ = n (|p(zᵢ)| + its rounding) / |aₙ Π_{j≠i} (zᵢ − zⱼ)|        (Smith 1970)

holds a root, and exactly one where the discs do not meet. Digits are doubled until they part, and each is smaller than a
double can tell: with simple roots that always ends. A disc that meets the real axis and, mirrored, none but itself holds
a real root. Arithmetic is decimal, whose exponents have no end.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Context, Decimal, localcontext
from itertools import pairwise
from typing import NamedTuple

import numpy as np

FIRST_DIGITS, MOST_DIGITS = 40, 6000
MOST_STEPS = 120
# A disc smaller than this share of its root is beyond what a double tells.
SMALL = Decimal("1e-19")
WIDEST = 300
# How far starts are moved off the real axis, beside their size.
OFF_AXIS = Decimal("1e-9")


class Complex(NamedTuple):
    """A complex number of any precision."""

    real: Decimal
    imaginary: Decimal


class Disc(NamedTuple):
    """A root within ``radius`` of ``middle``."""

    middle: Complex
    radius: Decimal


def root_discs(p: Sequence[int]) -> list[Disc]:
    """Return one disc for each root of a polynomial with whole coefficients and simple roots; real ones are on the axis.

    Raises ArithmeticError when MOST_DIGITS do not part the roots.
    """
    roots = _starts(p)
    digits = FIRST_DIGITS
    while digits <= MOST_DIGITS:
        context = Context(prec=digits, Emax=10**12, Emin=-(10**12))
        with localcontext(context):
            c = [Decimal(value) for value in p]
            roots = _iterated(c, roots, digits)
            discs = _discs(c, roots, digits)
            if discs is not None:
                return discs
        digits *= 2
    raise ArithmeticError("The roots of this polynomial could not be told apart.")


def _times(a: Complex, b: Complex) -> Complex:
    return Complex(a.real * b.real - a.imaginary * b.imaginary, a.real * b.imaginary + a.imaginary * b.real)


def _over(a: Complex, b: Complex) -> Complex:
    size = b.real * b.real + b.imaginary * b.imaginary
    return Complex(
        (a.real * b.real + a.imaginary * b.imaginary) / size, (a.imaginary * b.real - a.real * b.imaginary) / size
    )


def size_of(a: Complex) -> Decimal:
    """Return |a|."""
    return (a.real * a.real + a.imaginary * a.imaginary).sqrt()


def values_at(c: Sequence[Decimal], z: Complex) -> tuple[Complex, Complex, Decimal]:
    """Return p, p′ and Σ |cₖ||z|ᵏ at z by Horner's rule."""
    x, y = z
    a = b = d = e = total = Decimal(0)
    size = size_of(z)
    for value in reversed(c):
        d, e = d * x - e * y + a, d * y + e * x + b
        a, b = a * x - b * y + value, a * y + b * x
        total = total * size + abs(value)
    return Complex(a, b), Complex(d, e), total


def _iterated(c: Sequence[Decimal], roots: list[Complex], digits: int) -> list[Complex]:
    z = list(roots)
    waiting = set(range(len(z)))
    rounding = Decimal(10) ** (2 - digits)
    item = Complex(Decimal(1), Decimal(0))
    for _ in range(MOST_STEPS):
        for i in sorted(waiting):
            value, slope, total = values_at(c, z[i])
            if size_of(value) <= rounding * total * len(c):
                waiting.discard(i)
                continue
            if not any(slope):
                z[i] = Complex(z[i].real * Decimal("1.01") + Decimal("1e-3"), z[i].imaginary)
                continue
            newton = _over(value, slope)
            x = y = Decimal(0)
            for j, other in enumerate(z):
                if j != i:
                    apart = Complex(z[i].real - other.real, z[i].imaginary - other.imaginary)
                    if any(apart):
                        part = _over(item, apart)
                        x, y = x + part.real, y + part.imaginary
            turned = _times(newton, Complex(x, y))
            below = Complex(1 - turned.real, -turned.imaginary)
            step = _over(newton, below) if any(below) else newton
            z[i] = Complex(z[i].real - step.real, z[i].imaginary - step.imaginary)
            if size_of(step) <= rounding * size_of(z[i]):
                waiting.discard(i)
        if not waiting:
            break
    return z


def _discs(c: Sequence[Decimal], roots: list[Complex], digits: int) -> list[Disc] | None:
    """Return the discs, or None where they meet, are too large, or leave open which roots are real."""
    n = len(roots)
    rounding = Decimal(10) ** (1 - digits) * 8 * len(c)
    radii = []
    for i, z in enumerate(roots):
        value, _, total = values_at(c, z)
        below = c[-1] * c[-1]
        for j, other in enumerate(roots):
            if j != i:
                below *= _square(z, other)
        if not below:
            return None
        radius = n * (size_of(value) + rounding * total) / below.sqrt()
        if radius > SMALL * size_of(z):
            return None
        radii.append(radius)
    out: list[Disc] = []
    for i, z in enumerate(roots):
        mirrored = Complex(z.real, -z.imaginary)
        met = []
        for j, other in enumerate(roots):
            reach = (radii[i] + radii[j]) ** 2
            if j < i and _square(z, other) <= reach:
                return None
            if _square(mirrored, other) <= reach:
                met.append(j)
        if len(met) != 1:
            return None
        out.append(Disc(Complex(z.real, Decimal(0)) if met[0] == i else z, radii[i]))
    return out


def _square(a: Complex, b: Complex) -> Decimal:
    x, y = a.real - b.real, a.imaginary - b.imaginary
    return x * x + y * y


def _starts(p: Sequence[int]) -> list[Complex]:
    pairs = _eigenvalues(p)
    if pairs is None:
        pairs = _polygon(p)
    # Roots that came out alike are moved apart, and all a little off the axis: from places on it alone the iteration, whose
    # arithmetic is then real, would never find a pair.
    out, seen = [], set()
    for k, (x, y) in enumerate(pairs):
        while (x, y) in seen:
            x, y = x * (1 + Decimal(1) / (7 + k)), y + (abs(x) + Decimal("1e-30")) / (11 + k)
        seen.add((x, y))
        out.append(Complex(x, y + (abs(x) + abs(y)) * OFF_AXIS * (k % 7 + 1)))
    return out


def _eigenvalues(p: Sequence[int]) -> list[tuple[Decimal, Decimal]] | None:
    """Return the eigenvalues of the balanced companion matrix, or None where doubles do not hold them."""
    logs = [math.log10(abs(value)) for value in p if value]
    if max(logs) - min(logs) > WIDEST / 2 or max(logs) > WIDEST:
        return None
    from scipy.linalg import matrix_balance

    degree = len(p) - 1
    companion = np.zeros((degree, degree))
    companion[np.arange(1, degree), np.arange(degree - 1)] = 1.0
    companion[:, -1] = [-value / p[-1] for value in p[:-1]]
    with np.errstate(all="ignore"):
        values = np.linalg.eigvals(matrix_balance(companion)[0])
    if not np.isfinite(values).all():
        return None
    return [(Decimal(z.real), Decimal(z.imag)) for z in values.tolist()]


def _polygon(p: Sequence[int]) -> list[tuple[Decimal, Decimal]]:
    """Return places on circles whose radii follow from the upper hull of (k, log |cₖ|)."""
    points = [(k, _log(value)) for k, value in enumerate(p) if value]
    hull: list[tuple[int, float]] = []
    for point in points:
        while len(hull) > 1 and _turns_up(hull[-2], hull[-1], point):
            hull.pop()
        hull.append(point)
    out = []
    for (k, low), (m, high) in pairwise(hull):
        radius = Decimal(10) ** Decimal((low - high) / (m - k))
        for j in range(m - k):
            angle = 2 * math.pi * j / (m - k) + 0.7 + k
            out.append((radius * Decimal(math.cos(angle)), radius * Decimal(math.sin(angle))))
    return out


def _log(value: int) -> float:
    size = abs(value)
    shift = max(size.bit_length() - 60, 0)
    return math.log10(size >> shift) + shift * math.log10(2)


def _turns_up(a: tuple[int, float], b: tuple[int, float], c: tuple[int, float]) -> bool:
    return (b[1] - a[1]) * (c[0] - a[0]) <= (c[1] - a[1]) * (b[0] - a[0])
