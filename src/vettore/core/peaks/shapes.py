"""The shapes of peaks: one height at u = 0, one scale of u = (x − m)/w, and what a shape has beside.

Each stands here twice: as arrays, for the search, and as a formula, for the fit that is reported (a test holds both together).
w is the full width at half maximum but for Voigt (about it), tailed (that of the Gaussian before its tail) and log-normal
(w·sinh(b)/b): the numbers of a peak that are reported are worked out from the curve, see numbers.py.

Voigt profiles are those of scipy.special.wofz; the Gaussian with an exponential tail is that of formula/peak_functions.py.
The log-normal has its top at u = 0 (Fraser & Suzuki 1969). Split halves are those of Gaussians with two half widths.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.peak_functions import tailed, voigt
from vettore.core.formula.tree import Binary, Name, replaced
from vettore.core.formula.write import to_text

LN2 = math.log(2)
# FWHM of a Gaussian beside its standard deviation.
FWHM = 2 * math.sqrt(2 * LN2)
# The area of a Gaussian of height 1 and FWHM 1.
GAUSSIAN_AREA = math.sqrt(math.pi / LN2) / 2
# A tail this short beside σ has slopes by its series: the next terms are s² of them.
SHORT_TAIL = 1e-3
# Steps by which shapes are differentiated by u and by what they have beside.
NUDGE = 1e-5

# Returns the shape at u; what it has beside the width has the shape of u, or is a number.
Unit = Callable[..., Array]


@dataclass(frozen=True)
class Extra:
    """A coefficient that a shape has beside place, width and height, with where it begins and its limits."""

    name: str
    start: float
    low: float
    high: float


@dataclass(frozen=True)
class PeakShape:
    """A shape: ``unit(u, *extras)``, its formula in u, x0, width and extras, and the area under it for w = 1 where it is known.

    ``reach`` is how many w from its top it has come down to a thousandth.
    """

    key: str
    called: str
    unit: Unit
    formula: str
    extras: tuple[Extra, ...] = ()
    area: Callable[..., float] | None = None
    # The full width at half maximum for w = 1, where it is known and the top is one at u = 0.
    width: Callable[..., float] | None = None
    slopes: Callable[..., tuple[Array, ...]] | None = None
    reach: float = 1.6

    def with_slopes(self, u: Array, extras: Sequence[Array]) -> tuple[Array, list[Array]]:
        """Return the shape at u, and its derivatives by u and by each extra."""
        if self.slopes is not None:
            value, *known = self.slopes(u, *extras)
            return value, known
        value, out = self.unit(u, *extras), []
        for place, of in enumerate((u, *extras)):
            above, below = [[u, *extras] for _ in range(2)]
            above[place], below[place] = of + NUDGE, of - NUDGE
            if place:
                # Not beyond what the shape has a value for.
                extra = self.extras[place - 1]
                above[place], below[place] = np.minimum(above[place], extra.high), np.maximum(below[place], extra.low)
            out.append((self.unit(*above) - self.unit(*below)) / (above[place] - below[place]))
        return value, out

    def written(self, place: str, width: str, extras: Sequence[str], x: str) -> str:
        """Return the formula of a peak of height 1 with coefficients of such names over a column."""
        return self.formula.format(u=f"(({x} - {place})/{width})", **dict(zip(self._names, extras, strict=True)))

    @cached_property
    def _names(self) -> tuple[str, ...]:
        return tuple(extra.name for extra in self.extras)


def _gaussian(u: Array) -> Array:
    return np.exp(-4 * LN2 * u * u)


def _gaussian_slopes(u: Array) -> tuple[Array, ...]:
    value = _gaussian(u)
    return value, -8 * LN2 * u * value


def _lorentzian(u: Array) -> Array:
    return 1 / (1 + 4 * u * u)


def _lorentzian_slopes(u: Array) -> tuple[Array, ...]:
    value = _lorentzian(u)
    return value, -8 * u * value * value


def _mixed(u: Array, share: Array) -> Array:
    return share * _lorentzian(u) + (1 - share) * _gaussian(u)


def _mixed_slopes(u: Array, share: Array) -> tuple[Array, ...]:
    (broad, by_broad), (narrow, by_narrow) = _lorentzian_slopes(u), _gaussian_slopes(u)
    value, slope = (share * a + (1 - share) * b for a, b in ((broad, narrow), (by_broad, by_narrow)))
    return value, slope, broad - narrow


def _voigt(u: Array, share: Array) -> Array:
    y = math.sqrt(LN2) * share / (1 - share)
    return np.asarray(voigt(2 * math.sqrt(LN2) * u / (1 - share), y) / voigt(0.0, y))


def _voigt_slopes(u: Array, share: Array) -> tuple[Array, ...]:
    """Return the profile and its slopes, from w′(z) = 2i/√π − 2z w(z)."""
    from scipy.special import erfcx, wofz

    left = 1 - share
    x, y = 2 * math.sqrt(LN2) * u / left, math.sqrt(LN2) * share / left
    w = wofz(x + 1j * y)
    along, across, top = w.real, w.imag, erfcx(y)
    by_x = 2 * (y * across - x * along)
    by_y = 2 * (x * across + y * along) - 2 / math.sqrt(math.pi)
    value = along / top
    by_share = by_x * x / left + (by_y - value * (2 * y * top - 2 / math.sqrt(math.pi))) * math.sqrt(LN2) / left**2
    return value, by_x * 2 * math.sqrt(LN2) / left / top, by_share / top


def _tailed_slopes(u: Array, tail: Array) -> tuple[Array, ...]:
    """Return a tailed peak and its slopes, from s ∂u/∂z + u = g; for hardly any tail from its series, g − s g′ + s² g″ …"""
    z, value = FWHM * u, _tailed(u, tail)
    g = np.exp(-z * z / 2)
    short = np.abs(tail) < SHORT_TAIL
    s = np.where(short, 1.0, tail)
    by_z = np.where(short, g * (-z - tail * (z * z - 1)), (g - value) / s)
    by_tail = np.where(short, g * (z + 2 * tail * (z * z - 1)), (g - value * (1 - z * s + s * s)) / s**3)
    return value, FWHM * by_z, by_tail


def _voigt_area(share: float) -> float:
    y = math.sqrt(LN2) * share / (1 - share)
    return float(math.sqrt(math.pi) * (1 - share) / (2 * math.sqrt(LN2) * voigt(0.0, y)))


def _tailed(u: Array, tail: Array) -> Array:
    return np.asarray(tailed(FWHM * u, tail))


def _split(u: Array, lean: Array) -> Array:
    half = np.where(u < 0, 1 - lean, 1 + lean) / 2
    return np.asarray(np.exp(-LN2 * (u / half) ** 2))


def _log_normal(u: Array, skew: Array) -> Array:
    small = np.abs(skew) < 1e-6
    safe = np.where(small, 1.0, skew)
    inside = 1 + 2 * safe * u
    with np.errstate(all="ignore"):
        value = np.exp(-LN2 * (np.log(np.maximum(inside, 1e-300)) / safe) ** 2)
    return np.where(small, _gaussian(u), np.where(inside > 0, value, 0.0))


SHAPES: dict[str, PeakShape] = {
    shape.key: shape
    for shape in (
        PeakShape(
            "gaussian",
            "Gaussian",
            _gaussian,
            "exp(-4*ln(2)*{u}^2)",
            area=lambda: GAUSSIAN_AREA,
            width=lambda: 1.0,
            slopes=_gaussian_slopes,
        ),
        PeakShape(
            "lorentzian",
            "Lorentzian",
            _lorentzian,
            "1/(1 + 4*{u}^2)",
            area=lambda: math.pi / 2,
            width=lambda: 1.0,
            slopes=_lorentzian_slopes,
            reach=16,
        ),
        PeakShape(
            "mixed",
            "sum of a Lorentzian and a Gaussian",
            _mixed,
            "({share}/(1 + 4*{u}^2) + (1 - {share})*exp(-4*ln(2)*{u}^2))",
            (Extra("share", 0.4, 0.0, 1.0),),
            area=lambda share: share * math.pi / 2 + (1 - share) * GAUSSIAN_AREA,
            width=lambda share: 1.0,
            slopes=_mixed_slopes,
            reach=12,
        ),
        PeakShape(
            "voigt",
            "Voigt",
            _voigt,
            "voigt(2*sqrt(ln(2))*{u}/(1 - {share}), sqrt(ln(2))*{share}/(1 - {share}))"
            "/voigt(0, sqrt(ln(2))*{share}/(1 - {share}))",
            (Extra("share", 0.4, 0.0, 0.999),),
            area=_voigt_area,
            slopes=_voigt_slopes,
            reach=12,
        ),
        PeakShape(
            "tailed",
            "Gaussian with an exponential tail",
            _tailed,
            "tailed(2*sqrt(2*ln(2))*{u}, {tail})",
            (Extra("tail", 0.5, 0.02, 10.0),),
            area=lambda tail: math.sqrt(2 * math.pi) / FWHM,
            slopes=_tailed_slopes,
            reach=5,
        ),
        PeakShape(
            "split",
            "Gaussian with two half widths",
            _split,
            "if({u} < 0, exp(-4*ln(2)*({u}/(1 - {lean}))^2), exp(-4*ln(2)*({u}/(1 + {lean}))^2))",
            (Extra("lean", 0.0, -0.9, 0.9),),
            area=lambda lean: GAUSSIAN_AREA,
            width=lambda lean: 1.0,
            reach=2.5,
        ),
        PeakShape(
            "log-normal",
            "log-normal",
            _log_normal,
            "if(1 + 2*{skew}*{u} > 0, exp(-ln(2)*(ln(max(1 + 2*{skew}*{u}, 1e-300))/{skew})^2), 0)",
            (Extra("skew", 0.2, -2.0, 2.0),),
            area=lambda skew: GAUSSIAN_AREA * math.exp(skew * skew / (4 * LN2)),
            width=lambda skew: math.sinh(skew) / skew if skew else 1.0,
            reach=4,
        ),
    )
}


def shape_of(text: str) -> PeakShape:
    """Return a shape by its key, or that of a formula in u = (x − m)/w with its top of 1 at u = 0. Raises VettoreError."""
    if text in SHAPES:
        return SHAPES[text]
    if not any(sign in text for sign in "(^*/+"):
        raise DataError(
            f"There is no shape “{text}”. The shapes are {', '.join(SHAPES)}; or write a formula of u = (x - m)/w, as "
            "exp(-abs(u)^3).",
            Fault.NO_SUCH_CHOICE,
        )
    tree = read_formula(text, ["u"]).right
    program = Program(tree)
    strange = [name for name in program.inputs if name != "u"]
    if strange:
        raise DataError(f"The shape of a peak is a formula of u alone; {strange[0]} has no value.", Fault.MISSING)
    if "u" not in program.inputs:
        raise DataError("The shape of a peak is a formula of u = (x - m)/w, and names no u.", Fault.MISSING)

    def unit(u: Array) -> Array:
        flat = np.asarray(u, dtype=np.float64)
        with np.errstate(all="ignore"):
            return np.asarray(program({"u": flat.ravel()}), dtype=np.float64).reshape(flat.shape)

    top = float(unit(np.zeros(1))[0])
    if not (math.isfinite(top) and top > 0 and unit(np.array([-50.0, 50.0])).max() < top / 2):
        raise DataError(
            "The shape of a peak is above 0 at u = 0 and comes down to both sides; this formula does not.",
            Fault.NO_VALUE,
        )
    marked = replaced(tree, "u", Binary("/", Binary("-", Name("QX"), Name("QM")), Name("QW")))
    written = to_text(marked).replace("{", "{{").replace("}", "}}")
    return PeakShape(text, "of a formula", unit, "(" + written.replace("(QX - QM)/QW", "{u}") + ")", reach=6)
