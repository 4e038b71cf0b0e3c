"""Which roots of a polynomial are multiple, exactly: its squarefree parts.

The coefficients are doubles, so whole numbers times a power of two; with whole numbers Yun's (1976) decomposition

    p = p₁ p₂² p₃³ …,   gᶜᵈ(p, p′) = p₂ p₃² …

is exact. Whether there is a common divisor at all is asked first modulo primes, which takes no time: no common divisor
modulo a prime that does not divide the leading coefficients means none.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction

# Mersenne primes: modulo either, chance makes a common divisor once in 10¹⁸.
PRIMES = (2**61 - 1, 2**89 - 1)

Whole = list[int]


def whole_coefficients(coefficients: Sequence[float]) -> Whole:
    """Return doubles as whole numbers without a common divisor, all multiplied by the same power of two."""
    exact = [Fraction(value) for value in coefficients]
    denominator = math.lcm(*(value.denominator for value in exact))
    return _primitive([int(value * denominator) for value in exact])


def squarefree_parts(p: Whole) -> list[tuple[Whole, int]]:
    """Return polynomials with simple roots only, each with the multiplicity that its roots have in p; constants left out."""
    if len(p) < 2:
        return []
    slope = _slope(p)
    common = common_part(p, slope)
    if len(common) == 1:
        return [(p, 1)]
    out = []
    left, rest = _quotient(p, common), _quotient(slope, common)
    multiplicity = 1
    while len(left) > 1:
        change = _trimmed([a - b for a, b in _padded(rest, _slope(left))])
        part = _common(left, change) if any(change) else _primitive(left)
        if len(part) > 1:
            out.append((part, multiplicity))
        left, rest = _quotient(left, part), _quotient(change, part) if any(change) else [0]
        multiplicity += 1
    return out


def common_part(a: Whole, b: Whole) -> Whole:
    """Return the greatest common divisor of two polynomials that are not 0, primitive; [1] where they have none."""
    if any(_coprime_modulo(a, b, prime) for prime in PRIMES):
        return [1]
    return _common(a, b)


def _padded(a: Whole, b: Whole) -> list[tuple[int, int]]:
    size = max(len(a), len(b))
    return list(zip(a + [0] * (size - len(a)), b + [0] * (size - len(b)), strict=True))


def _slope(p: Whole) -> Whole:
    return [k * value for k, value in enumerate(p)][1:] or [0]


def _trimmed(p: Whole) -> Whole:
    while len(p) > 1 and not p[-1]:
        p = p[:-1]
    return p


def _primitive(p: Whole) -> Whole:
    p = _trimmed(p)
    divisor = math.gcd(*p)
    return [value // divisor for value in p] if divisor > 1 else p


def _common(a: Whole, b: Whole) -> Whole:
    """Return the greatest common divisor, primitive, by pseudo-remainders."""
    a, b = _primitive(a), _primitive(b)
    while len(b) > 1 or b[0]:
        if len(b) == 1:
            return [1]
        a, b = b, _primitive(_pseudo_remainder(a, b))
    return a if a[-1] > 0 else [-value for value in a]


def _pseudo_remainder(a: Whole, b: Whole) -> Whole:
    rest = list(a)
    while len(rest) >= len(b) and any(rest):
        lead, shift = rest[-1], len(rest) - len(b)
        divisor = math.gcd(lead, b[-1])
        up, down = b[-1] // divisor, lead // divisor
        rest = [up * value for value in rest]
        for k, value in enumerate(b):
            rest[k + shift] -= down * value
        rest = _trimmed(rest[:-1] or [0])
    return rest


def _quotient(a: Whole, b: Whole) -> Whole:
    """Return a/b, which goes without a remainder but for a constant factor."""
    rest, out = [Fraction(value) for value in a], [Fraction(0)] * (len(a) - len(b) + 1)
    for k in range(len(out) - 1, -1, -1):
        out[k] = rest[k + len(b) - 1] / b[-1]
        for j, value in enumerate(b):
            rest[k + j] -= out[k] * value
    # The factor has to be kept, since Yun's differences compare two quotients.
    denominator = math.lcm(*(value.denominator for value in out))
    return [int(value * denominator) for value in out] if denominator > 1 else [int(value) for value in out]


def _coprime_modulo(a: Whole, b: Whole, prime: int) -> bool:
    if a[-1] % prime == 0 or b[-1] % prime == 0:
        return False
    numbers, other = [value % prime for value in a], [value % prime for value in b]
    while len(other) > 1:
        inverse = pow(other[-1], -1, prime)
        rest = numbers
        while len(rest) >= len(other):
            factor = rest[-1] * inverse % prime
            shift = len(rest) - len(other)
            rest = [
                (value - factor * other[k - shift]) % prime if k >= shift else value
                for k, value in enumerate(rest[:-1])
            ]
            while len(rest) > 1 and not rest[-1]:
                rest.pop()
            if len(rest) == 1 and not rest[0]:
                break
        numbers, other = other, rest
    return other[0] != 0
