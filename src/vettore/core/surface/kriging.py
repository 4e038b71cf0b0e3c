"""Ordinary kriging (Matheron 1963): the best linear unbiased estimate from the sites, by the variogram of their values.

The level is constant and unknown. Without a nugget the surface passes through the sites; with one it runs beside them,
since the nugget is what a second reading at the same place would differ by. Whether that is noise or variation too fine
for the sites cannot be told, so the ± is that of a value found there, nugget included.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.radial import Radials
from vettore.core.surface.sites import Sites
from vettore.core.surface.variogram import Shape, fit_variogram

# Of more sites patches are made: the ± costs the square of their number at every place.
MOST_DENSE = 500
# Nugget, sill and range.
VARIOGRAM_NUMBERS = 3


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
        # The three numbers of the variogram were found from the same sites.
        few = (len(self.sites) - 1) / max(len(self.sites) - 1 - VARIOGRAM_NUMBERS, 1)
        return few * (self.relative_variance(u, v) + self.variogram.noise)

    def smooth_variance(self, u: Array, v: Array) -> Array:
        """Return the kriging variance without the nugget."""
        return self.relative_variance(u, v)
