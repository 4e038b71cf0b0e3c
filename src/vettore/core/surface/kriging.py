"""Ordinary kriging (Matheron 1963): the best linear unbiased estimate from the sites, by the variogram of their values.

The level is constant and unknown. Without a nugget the surface passes through the sites; with one it runs beside them,
since the nugget is what a second reading at the same place would differ by. Whether that is noise or variation too fine
for the sites cannot be told, so the ± is that of a value found there, nugget included.

Few sites hardly tell their variogram. Of them the ± is taken over all that the sites leave likely, by restricted likelihood
(Handcock & Stein 1993): with the best one alone 95 % intervals of 10 to 20 sites held in 86 to 89 % (docs/ACCURACY.md).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import t_quantile
from vettore.core.surface.radial import Radials, System
from vettore.core.surface.sites import Sites
from vettore.core.surface.variogram import Shape, fit_variogram, likely_variograms

# Of more sites patches are made: the ± costs the square of their number at every place.
MOST_DENSE = 500
# Nugget, sill and range.
VARIOGRAM_NUMBERS = 3
# Up to so many sites the ± is taken over all likely variograms, at so many places at once.
MOST_FEW, AT_ONCE = 100, 2000


class Kriging(Radials):
    """The kriged surface; ``variogram`` is what it rests on."""

    def __init__(self, sites: Sites, shape: Shape | None, check: Callable[[], object]) -> None:
        self.variogram = fit_variogram(sites, shape)
        noise = np.full(len(sites), self.variogram.noise) / sites.count
        super().__init__(sites, self.variogram, noise, check, MOST_DENSE)

    @property
    def noise_of_reading(self) -> float:
        """The scatter of one reading that the nugget stands for."""
        return float(np.sqrt(self.variogram.nugget))

    def variance(self, u: Array, v: Array) -> Array:
        """Return the kriging variance of a value found there."""
        if len(self.sites) <= MOST_FEW and np.ptp(self.sites.z) > 0:
            parts = np.array_split(np.column_stack([u, v]), len(u) // AT_ONCE + 1)
            return np.concatenate([self._over_likely(part) for part in parts])
        # The three numbers of the variogram were found from the same sites.
        few = (len(self.sites) - 1) / max(len(self.sites) - 1 - VARIOGRAM_NUMBERS, 1)
        return few * (self.relative_variance(u, v) + self.variogram.noise)

    @cached_property
    def _likely(self) -> list[tuple[float, float, System]]:
        """Likely variograms as systems: the probability and the noise of each, and the system."""
        sites = self.sites
        return [
            (
                weight,
                variogram.noise,
                System(variogram, sites.places, sites.z, np.full(len(sites), variogram.noise) / sites.count),
            )
            for weight, variogram in likely_variograms(sites, self.variogram)
        ]

    def _over_likely(self, at: Array) -> Array:
        """Return the variance of a value at places (k, 2): of each likely system, and of them about the surface."""
        self._check()
        level = System(self.variogram, self.sites.places, self.sites.z, self.noise).value(at)
        total = np.zeros(len(at))
        for weight, noise, system in self._likely:
            total += weight * (np.maximum(system.variance(at), 0.0) + noise + (system.value(at) - level) ** 2)
        # So that 1.96 ± holds as often as the t range of as many sites.
        return total * (t_quantile(0.95, len(self.sites) - 1) / t_quantile(0.95, math.inf)) ** 2

    def smooth_variance(self, u: Array, v: Array) -> Array:
        """Return the kriging variance without the nugget."""
        return self.relative_variance(u, v)
