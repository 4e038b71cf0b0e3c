"""Roots of a polynomial with their multiplicity, residual, condition and uncertainty.

Multiplicities are those that the coefficients as stored have exactly (polynomial_multiple.py); simple roots are proved by
discs that do not meet (polynomial_discs.py). So no root is claimed that is none, and none is merged with another.

Condition of a simple root (Higham 2002, §5): changes of the coefficients in their last digit, of relative size ε, move z
by up to ε Σ |cₖ||z|ᵏ / |p′(z)|. Where that is more than two roots are apart, they may be one multiple root as far as the
digits tell. With a covariance Σ of the coefficients var z = g Σ gᵀ / |p′(z)|², gₖ = zᵏ.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Context, Decimal, localcontext

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.polynomials.discs import Complex, Disc, root_discs, size_of, values_at
from vettore.core.polynomials.multiple import squarefree_parts, whole_coefficients

EPS = float(np.finfo(np.float64).eps)
# A root with fewer than this many sure digits is ill-conditioned.
FEW_DIGITS = 6.0
MOST_DIGITS = 15.95
# Digits with which p is worked out at a root, and the share of its terms below which nothing is left.
DIGITS_AT_ROOTS = 400
BELOW_ALL = Decimal("1e-350")


@dataclass(frozen=True)
class Root:
    """``residual`` is |p(z)| at the rounded root, exact; ``is_zero`` says that rounding of z alone explains it.

    ``moved`` is how far a change of the coefficients in their last digit moves the root, ``digits`` how many of its digits
    that leaves, ``together`` how many roots lie so near that such a change may make them one (1 where none does).
    ``standard_error`` follows from the uncertainty of the coefficients (None where there is none, or for a multiple root).
    """

    value: complex
    multiplicity: int
    residual: float
    is_zero: bool
    digits: float
    standard_error: float | None = None
    moved: float = 0.0
    together: int = 1

    @property
    def is_real(self) -> bool:
        """Whether the root lies on the real axis."""
        return self.value.imag == 0.0

    @property
    def ill_conditioned(self) -> bool:
        """Whether rounding of the coefficients leaves few digits of it."""
        return self.multiplicity == 1 and self.digits < FEW_DIGITS


def find_roots(coefficients: tuple[float, ...], covariance: Array | None = None) -> tuple[Root, ...]:
    """Return the roots of Σ cₖ xᵏ (highest coefficient not zero): real ones rising, then pairs, each pair together.

    Raises DataError for roots that no double can hold, or that cannot be told apart.
    """
    zeros = next(k for k, value in enumerate(coefficients) if value)
    groups = [(0j, zeros)] if zeros else []
    for part, multiplicity in squarefree_parts(whole_coefficients(coefficients[zeros:])):
        try:
            discs = root_discs(part)
        except ArithmeticError as error:
            raise DataError(str(error), Fault.OVERFLOW) from None
        groups += [(_rounded(disc), multiplicity) for disc in discs]
    with localcontext(Context(prec=DIGITS_AT_ROOTS, Emax=10**12, Emin=-(10**12))):
        exact = [Decimal(value) for value in coefficients]
        out = [_root(exact, z, count, covariance) for z, count in groups]
    out = [replace(root, together=_near(root, out)) for root in out]
    real = sorted((root for root in out if root.is_real), key=lambda root: root.value.real)
    pairs = sorted(
        (root for root in out if not root.is_real),
        key=lambda root: (root.value.real, abs(root.value.imag), root.value.imag),
    )
    return (*real, *pairs)


def _rounded(disc: Disc) -> complex:
    try:
        value = complex(float(disc.middle.real), float(disc.middle.imaginary))
    except OverflowError:
        value = complex(math.inf)
    if not (math.isfinite(value.real) and math.isfinite(value.imag)) or (any(disc.middle) and not value):
        raise DataError("A root leaves the range of numbers. Change the unit of x.", Fault.OVERFLOW)
    return value


def _root(c: Sequence[Decimal], z: complex, count: int, covariance: Array | None) -> Root:
    at = Complex(Decimal(z.real), Decimal(z.imag))
    value, steep, terms = values_at(c, at)
    size, residual, slope = size_of(at), size_of(value), size_of(steep)
    if residual <= terms * BELOW_ALL:
        residual = Decimal(0)
    # p at the double nearest to a root: the slope there (or what terms of a multiple root allow) times the rounding.
    allowed = max(2 * slope * size * Decimal(EPS), 2 * len(c) * Decimal(EPS) * terms)
    moved, digits = Decimal(0), MOST_DIGITS
    if slope and size and count == 1:
        moved = Decimal(EPS) * terms / slope
        share = float(moved / size)
        digits = min(max(-math.log10(share), 0.0), MOST_DIGITS) if share > 0 else MOST_DIGITS
    elif count > 1 and size:
        # An m-fold root splits at a last-digit change, by about its m-th root.
        digits = MOST_DIGITS / count
        moved = size * Decimal(10.0**-digits)
    error = _standard_error(covariance, z, len(c), float(slope)) if count == 1 else None
    return Root(z, count, float(residual), residual <= allowed, digits, error, float(moved))


def _standard_error(covariance: Array | None, z: complex, count: int, slope: float) -> float | None:
    if covariance is None or not slope > 0:
        return None
    with np.errstate(all="ignore"):
        g = np.array([z]) ** np.arange(count)
        error = math.sqrt(max(float((g @ covariance @ g.conj()).real), 0.0)) / slope
    return error if math.isfinite(error) else None


def _near(root: Root, roots: Sequence[Root]) -> int:
    """Return how many roots, itself counted, a last-digit change may make one with it."""
    return (
        sum(
            other is root or abs(other.value - root.value) <= 4 * min(root.moved, other.moved)
            for other in roots
            if root.multiplicity == 1 and other.multiplicity == 1
        )
        or 1
    )
