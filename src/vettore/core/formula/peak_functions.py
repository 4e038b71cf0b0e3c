"""Functions of peaks that no elementary formula gives: the Voigt profile with its companion, and a Gaussian with a tail.

Voigt and dispersion are the real and the imaginary part of the Faddeeva function w(x + iy), y ≥ 0 (Abramowitz & Stegun 1964,
ch. 7; scipy.special.wofz): voigt(x, y) is the convolution of exp(−x²) with a Lorentzian of half width y, scaled so that
voigt(0, 0) = 1.

    tailed(z, s) = (g ∗ e)(z),    g = exp(−z²/2), e an exponential of area 1 and mean s

falls to the right for s > 0, to the left for s < 0, and is g for s = 0. With t = (1/s − z)/√2

    tailed = √(π/2)/s · exp(−z²/2)·erfcx(t),    for t < 0 as √(π/2)/s · exp(1/(2s²) − z/s)·erfc(t)

so that neither factor overflows where the other vanishes.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np

# Tails shorter than this share of σ are none to 16 digits: the next term is s² times the curve's bend.
NO_TAIL = 1e-9
ROOT = math.sqrt(math.pi / 2)


def voigt(x: Any, y: Any) -> Any:
    """Return Re w(x + iy); NaN for y < 0."""
    return _faddeeva(x, y).real


def dispersion(x: Any, y: Any) -> Any:
    """Return Im w(x + iy); NaN for y < 0."""
    return _faddeeva(x, y).imag


def _faddeeva(x: Any, y: Any) -> Any:
    from scipy.special import wofz

    y = np.where(np.asarray(y) >= 0, y, np.nan)
    return wofz(np.asarray(x) + 1j * y)


def tailed(z: Any, s: Any) -> Any:
    """Return a Gaussian of unit height and σ with an exponential tail of mean s; its area stays √(2π)."""
    from scipy.special import erfc, erfcx

    z, s = np.broadcast_arrays(np.asarray(z, dtype=np.float64), np.asarray(s, dtype=np.float64))
    # To the left it is the mirror image.
    z, size = np.where(s < 0, -z, z), np.abs(s)
    none = size < NO_TAIL
    size = np.where(none, 1.0, size)
    with np.errstate(all="ignore"):
        t = (1 / size - z) / math.sqrt(2)
        falling = np.exp(-z * z / 2)
        ahead = falling * erfcx(np.maximum(t, 0.0))
        behind = np.exp(np.minimum(1 / (2 * size * size) - z / size, 0.0)) * erfc(t)
        out = ROOT / size * np.where(t >= 0, ahead, behind)
    return np.where(none, falling, out)
