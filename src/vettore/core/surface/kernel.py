"""What every way to fill between sites can do, on the common scale."""

from __future__ import annotations

from abc import ABC, abstractmethod

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.sites import Sites, Whole

# Step of a central difference, as a share of the spacing of the sites.
STEP = 1e-4


def go_on() -> None:
    """Nobody gives the work up."""


class Kernel(ABC):
    """A surface over sites: u, v (k,) are places on the common scale, ``triangle`` (k,) the one that holds each."""

    # Whether it has values outside the sites, too.
    reaches_out = False

    def __init__(self, sites: Sites) -> None:
        self.sites = sites

    @abstractmethod
    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return the surface (k,)."""

    def gradient(self, u: Array, v: Array, triangle: Whole) -> tuple[Array, Array]:
        """Return ∂/∂u and ∂/∂v, each (k,); by central differences where nothing better is known."""
        step = STEP * self.sites.spacing
        slopes = []
        for du, dv in ((step, 0.0), (0.0, step)):
            # Beyond the sites a difference leans inward.
            ahead, behind = self._stepped(u + du, v + dv), self._stepped(u - du, v - dv)
            values = self.value(u, v, triangle)
            both = (ahead - behind) / (2 * step)
            one_sided = np.where(np.isnan(ahead), (values - behind) / step, (ahead - values) / step)
            slopes.append(np.where(np.isnan(both), one_sided, both))
        return slopes[0], slopes[1]

    def _stepped(self, u: Array, v: Array) -> Array:
        triangle = self.sites.triangle_at(u, v)
        if self.reaches_out:
            return self.value(u, v, triangle)
        inside = triangle >= 0
        values = np.full(len(u), np.nan)
        values[inside] = self.value(u[inside], v[inside], triangle[inside])
        return values

    def settle(self) -> None:
        """Ask no longer whether the work is given up."""
        return

    @abstractmethod
    def left_out(self, chosen: Whole) -> Array:
        """Return what the other sites say at each of the chosen sites, NaN where these do not reach."""

    def variance(self, u: Array, v: Array) -> Array | None:
        """Return the variance of the surface (k,), None where none is known."""
        return None

    def smooth_variance(self, u: Array, v: Array) -> Array | None:
        """Return the variance of what of the surface is smooth: without a nugget that every place has of its own."""
        return self.variance(u, v)
