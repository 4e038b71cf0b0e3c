"""Roots of a polynomial with their multiplicity, residual, condition and uncertainty.

Eigenvalues of the balanced companion matrix, each polished by Newton's steps with residuals free of rounding (exact
fractions). A group of m eigenvalues within ε^{1/m} of each other is one m-fold root when p, p′ … p⁽ᵐ⁻¹⁾ all vanish to
rounding at the root of p⁽ᵐ⁻¹⁾ between them.

Condition of a simple root (Higham 2002, §5): relative changes of size ε of the coefficients move z by
κ ε |z|, κ = Σ |cₖ||z|ᵏ / (|z||p′(z)|). With a covariance Σ of the coefficients var z = g Σ gᵀ / |p′(z)|², gₖ = zᵏ.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from vettore.core.arrays import Array

EPS = float(np.finfo(np.float64).eps)
NEWTON_STEPS = 12
# How far apart the eigenvalues of an m-fold root may lie: this to the power 1/m, times the size of the root.
SPREAD = 1e-12
# A derivative counts as zero when it is below this share of the sum of the sizes of its terms.
VANISHES = 1e-11
# A root with fewer than this many sure digits is ill-conditioned.
FEW_DIGITS = 6.0


@dataclass(frozen=True)
class Root:
    """``residual`` is |p(z)| at the rounded root, exact; ``is_zero`` says that it is no more than rounding.

    ``digits`` is how many digits of z survive rounding of the coefficients; ``standard_error`` follows from their
    uncertainty (None where there is none, or for a multiple root).
    """

    value: complex
    multiplicity: int
    residual: float
    is_zero: bool
    digits: float
    standard_error: float | None = None

    @property
    def is_real(self) -> bool:
        """Whether the root lies on the real axis."""
        return self.value.imag == 0.0

    @property
    def ill_conditioned(self) -> bool:
        """Whether rounding of the coefficients leaves few digits of it."""
        return self.multiplicity == 1 and self.digits < FEW_DIGITS


def find_roots(coefficients: tuple[float, ...], covariance: Array | None = None) -> tuple[Root, ...]:
    """Return the roots of Σ cₖ xᵏ (highest coefficient not zero): real ones rising, then pairs, each pair together."""
    zeros = 0
    while zeros < len(coefficients) - 1 and coefficients[zeros] == 0.0:
        zeros += 1
    rest = coefficients[zeros:]
    raw = [_polished(rest, complex(z)) for z in _eigenvalues(rest)]
    raw = _conjugated(raw)
    groups = [(0j, zeros)] if zeros else []
    groups += _grouped(rest, raw)
    out = [_told(coefficients, z, count, covariance) for z, count in groups]
    real = sorted((one for one in out if one.is_real), key=lambda one: one.value.real)
    pairs = sorted(
        (one for one in out if not one.is_real), key=lambda one: (one.value.real, abs(one.value.imag), one.value.imag)
    )
    return (*real, *pairs)


def _eigenvalues(c: tuple[float, ...]) -> Array:
    degree = len(c) - 1
    if degree < 1:
        return np.empty(0)
    # Scaling x by a power of two brings the first and the last coefficient to like size.
    ratio = abs(c[0] / c[-1]) if c[-1] else 1.0
    scale = 2.0 ** round(math.log2(ratio) / degree) if 0 < ratio < math.inf else 1.0
    exponents = np.arange(degree + 1)
    with np.errstate(all="ignore"):
        scaled = np.array(c) * scale**exponents
    if not np.isfinite(scaled).all() or scaled[-1] == 0.0:
        scale, scaled = 1.0, np.array(c)
    companion = np.zeros((degree, degree))
    companion[np.arange(1, degree), np.arange(degree - 1)] = 1.0
    companion[:, -1] = -scaled[:-1] / scaled[-1]
    from scipy.linalg import matrix_balance

    balanced = matrix_balance(companion)[0]
    return np.asarray(np.linalg.eigvals(balanced) * scale)


Exact = tuple[Fraction, Fraction]


def exact_value(c: tuple[float, ...], z: complex) -> Exact:
    """Return real and imaginary part of p(z) without rounding."""
    real, imaginary = Fraction(z.real), Fraction(z.imag)
    a, b = Fraction(0), Fraction(0)
    for coefficient in reversed(c):
        a, b = a * real - b * imaginary + Fraction(coefficient), a * imaginary + b * real
    return a, b


def _size(value: Exact) -> float:
    return math.hypot(float(value[0]), float(value[1]))


def _slope(c: tuple[float, ...]) -> tuple[float, ...]:
    return tuple(k * value for k, value in enumerate(c))[1:] or (0.0,)


def _horner(c: tuple[float, ...], z: complex) -> complex:
    total = 0j
    for coefficient in reversed(c):
        total = total * z + coefficient
    return total


def _terms(c: tuple[float, ...], z: complex) -> float:
    size = abs(z)
    total = 0.0
    for coefficient in reversed(c):
        total = total * size + abs(coefficient)
    return total


def _polished(c: tuple[float, ...], z: complex) -> complex:
    slope = _slope(c)
    best, left = z, _size(exact_value(c, z))
    for _ in range(NEWTON_STEPS):
        steep = _horner(slope, best)
        if left == 0.0 or steep == 0:
            break
        value = exact_value(c, best)
        there = best - complex(float(value[0]), float(value[1])) / steep
        if not (math.isfinite(there.real) and math.isfinite(there.imag)):
            break
        rest = _size(exact_value(c, there))
        if rest >= left:
            break
        best, left = there, rest
    return best


def _conjugated(roots: list[complex]) -> list[complex]:
    """Return roots that are real where they are to rounding, and pairs that are exact conjugates."""
    out = [complex(z.real, 0.0) if abs(z.imag) <= 64 * EPS * abs(z) else z for z in roots]
    upper = [z for z in out if z.imag > 0]
    lower = [z for z in out if z.imag < 0]
    real = [z for z in out if z.imag == 0]
    for z in upper:
        if lower:
            partner = min(lower, key=lambda other: abs(other - z.conjugate()))
            lower.remove(partner)
            real += [z, z.conjugate()]
        else:
            real.append(complex(z.real, 0.0))
    return real + [complex(z.real, 0.0) for z in lower]


def _grouped(c: tuple[float, ...], roots: list[complex]) -> list[tuple[complex, int]]:
    """Return roots with their multiplicity."""
    left, out = sorted(roots, key=lambda z: (z.real, z.imag)), []
    while left:
        first = left[0]
        near = sorted(left, key=lambda z: abs(z - first))
        taken = 1
        center = first
        for m in range(len(near), 1, -1):
            group = near[:m]
            middle = sum(group) / m
            reach = SPREAD ** (1 / m) * max(abs(middle), 1e-300) * 8
            if max(abs(z - middle) for z in group) > reach:
                continue
            candidate = _multiple(c, middle, m)
            if candidate is not None:
                taken, center = m, candidate
                break
        if (
            taken > 1
            and center.imag != 0
            and any(abs(z - center.conjugate()) < abs(z - center) for z in near[:taken])
        ):
            center = complex(center.real, 0.0)
        for z in near[:taken]:
            left.remove(z)
        out.append((center, taken))
    return out


def _multiple(c: tuple[float, ...], z: complex, m: int) -> complex | None:
    """Return the m-fold root near z, or None when there is none."""
    derivatives = [c]
    for _ in range(m - 1):
        derivatives.append(_slope(derivatives[-1]))
    root = _polished(derivatives[-1], z)
    if abs(root.imag) <= SPREAD ** (1 / m) * abs(root):
        on_axis = _polished(derivatives[-1], complex(root.real, 0.0))
        if all(_size(exact_value(d, on_axis)) <= VANISHES * _terms(d, on_axis) for d in derivatives):
            root = on_axis
    if all(_size(exact_value(d, root)) <= VANISHES * _terms(d, root) for d in derivatives):
        return root
    return None


def _told(c: tuple[float, ...], z: complex, count: int, covariance: Array | None) -> Root:
    residual = _size(exact_value(c, z))
    terms = _terms(c, z)
    slope = abs(_horner(_slope(c), z))
    rounding = 2 * len(c) * EPS * terms
    digits = 0.0
    if slope > 0 and abs(z) > 0:
        digits = max(0.0, -math.log10(max(EPS * terms / (abs(z) * slope), EPS)))
    elif abs(z) == 0:
        digits = 15.0
    error = None
    if covariance is not None and count == 1 and slope > 0:
        g = np.array([z**k for k in range(len(c))])
        error = math.sqrt(max(float((g @ covariance @ g.conj()).real), 0.0)) / slope
    return Root(z, count, residual, residual <= max(rounding, slope * abs(z) * EPS), digits, error)
