"""Thin plates through the sites, and thin plates that smooth noisy ones.

Smoothing minimises Σ nₖ (s(pₖ) − zₖ)² + λ J(s), J being the plate's energy of bending and nₖ how often site k was measured.
With W = diag(nₖ), P̃ = W½ P, Q₂ what is orthogonal to P̃, and U diag(e) Uᵀ = Q₂ᵀ W½ Φ W½ Q₂,

    residuals W½(z − s) = Q₂ U diag(λ/(e + λ)) Uᵀ Q₂ᵀ W½ z,      tr(I − A) = Σ λ/(e + λ),

so that each λ costs n. λ minimises the robust generalised cross-validation (Lukas 2006)

    V(λ) (γ + (1 − γ) tr(A²)/n),    V = n |residuals|² / tr(I − A)²,

which, unlike V alone, does not now and then run through every point of noisy data. The noise of a reading is
σ² = |residuals|² / tr(I − A), and the variance of the surface that of the plate as a random field: σ²/λ times what
radial.py gives.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.kernel import go_on
from vettore.core.surface.radial import Radials, ThinPlate, patch_rows, squares
from vettore.core.surface.sites import Sites

# Of more sites λ is found from patches, whose spectra are quick.
MOST_AT_ONCE = 700
# How much of the plain criterion is kept (Lukas 2006 suggests 0.1 to 0.4).
KEPT = 0.3
# λ is looked for over so many powers of ten of the spectrum, first on a grid, then by halving.
GRID, HALVINGS = 61, 30
PLATE = ThinPlate()


def thin_plate(sites: Sites, check: Callable[[], object]) -> Radials:
    """Return the thin plate through the sites."""
    return Radials(sites, PLATE, np.zeros(len(sites)), check)


class Spectrum:
    """What smoothing by each λ leaves of sites (n, 2) with values z and counts (n,)."""

    def __init__(self, places: Array, z: Array, count: Array) -> None:
        root = np.sqrt(count)
        drift = np.hstack([np.ones((len(places), 1)), places - places.mean(axis=0)]) * root[:, None]
        q, _ = np.linalg.qr(drift, mode="complete")
        rest = q[:, 3:]
        plate = PLATE.value(squares(places, places)) * root[:, None] * root[None, :]
        energies, vectors = np.linalg.eigh(rest.T @ plate @ rest)
        self.energies = np.maximum(energies, 0)
        self.parts = vectors.T @ (rest.T @ (root * z))
        self.sites = len(places)

    def left(self, penalty: float) -> tuple[float, float, float]:
        """Return the sum of squares that is left, tr(I − A) and tr(A²)."""
        kept = penalty / (self.energies + penalty)
        return float(np.sum((kept * self.parts) ** 2)), float(np.sum(kept)), float(3 + np.sum((1 - kept) ** 2))


class Smoothing(Radials):
    """The smoothed thin plate; ``penalty`` is λ on the common scale, ``noise_of_reading`` the scatter of one reading."""

    def __init__(self, sites: Sites, penalty: float | None, check: Callable[[], object]) -> None:
        spectra = _spectra(sites, check)
        self.penalty = _best_penalty(spectra) if penalty is None else penalty
        super().__init__(sites, PLATE, self.penalty / sites.count, check)
        self.noise_of_reading = _scatter(spectra, self.penalty)

    def variance(self, u: Array, v: Array) -> Array:
        """Return σ²/λ (φ(0) − kᵀ M⁻¹ k)."""
        return self.noise_of_reading**2 / self.penalty * self.relative_variance(u, v)


def _spectra(sites: Sites, check: Callable[[], object]) -> list[Spectrum]:
    if len(sites) <= MOST_AT_ONCE:
        return [Spectrum(sites.places, sites.z, sites.count)]
    spectra = []
    parts = list(patch_rows(sites.places))
    # Some hundred patches tell λ as well as all.
    for _, _, rows in parts[:: max(len(parts) // 100, 1)]:
        check()
        spectra.append(Spectrum(sites.places[rows], sites.z[rows], sites.count[rows]))
    return spectra


def _best_penalty(spectra: list[Spectrum]) -> float:
    largest = max(float(spectrum.energies.max(initial=0)) for spectrum in spectra)
    if not largest:
        # Three sites are a plane, whatever the penalty.
        return 1.0

    def criterion(power: float) -> float:
        penalty = largest * 10**power
        squares_left, free, own = np.sum([spectrum.left(penalty) for spectrum in spectra], axis=0)
        n = sum(spectrum.sites for spectrum in spectra)
        return float(np.log(squares_left / n / (free / n) ** 2 + 1e-300) + np.log(KEPT + (1 - KEPT) * own / n))

    powers = np.linspace(-12, 3, GRID)
    best = int(np.argmin([criterion(power) for power in powers]))
    low, high = powers[max(best - 1, 0)], powers[min(best + 1, GRID - 1)]
    for _ in range(HALVINGS):
        first, second = low + (high - low) / 3, high - (high - low) / 3
        if criterion(first) <= criterion(second):
            high = second
        else:
            low = first
    return float(largest * 10 ** ((low + high) / 2))


def noise_of(sites: Sites) -> float:
    """Return the scatter of one reading about a smooth surface, whichever way the sites are filled between."""
    if len(sites) < 6 or not np.ptp(sites.z):
        return 0.0
    spectra = _spectra(sites, go_on)
    return _scatter(spectra, _best_penalty(spectra))


def _scatter(spectra: list[Spectrum], penalty: float) -> float:
    """Return σ of one reading under a penalty; three sites leave none."""
    squares_left, free, _ = np.sum([spectrum.left(penalty) for spectrum in spectra], axis=0)
    return float(np.sqrt(squares_left / free)) if free > 0 else 0.0
