"""Surfaces that follow their triangle alone: the nearest site, and planes over triangles.

On a triangle with corners zₖ and barycentric shares sₖ(u, v) the plane is Σ sₖ zₖ.

Left out: the triangles that fill the hole where a site was are Delaunay's of its neighbours, so that each site is left out
by cutting those few anew.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError
from vettore.core.surface.kernel import Kernel
from vettore.core.surface.sites import Sites, Triangles, Whole


class Nearest(Kernel):
    """Every place has the value of the nearest site."""

    reaches_out = True

    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return z of the nearest site."""
        return self.sites.z[self.sites.nearest(u, v)[1]]

    def gradient(self, u: Array, v: Array, triangle: Whole) -> tuple[Array, Array]:
        """Steps are level."""
        return np.zeros(len(u)), np.zeros(len(u))

    def left_out(self, chosen: Whole) -> Array:
        """Return z of the nearest other site."""
        _, sites = self.sites.nearest(self.sites.u[chosen], self.sites.v[chosen], 2)
        return self.sites.z[np.where(sites[:, 0] == chosen, sites[:, 1], sites[:, 0])]


class Linear(Kernel):
    """A plane over each triangle."""

    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return the planes' values."""
        cut = self.sites.triangles
        return np.sum(cut.shares(triangle, u, v) * self.sites.z[cut.corners[triangle]], axis=1)

    def gradient(self, u: Array, v: Array, triangle: Whole) -> tuple[Array, Array]:
        """Return the planes' slopes."""
        cut = self.sites.triangles
        slopes = np.einsum(
            "kij,ki->kj", share_slopes(cut.places[cut.corners[triangle]]), self.sites.z[cut.corners[triangle]]
        )
        return slopes[:, 0], slopes[:, 1]

    def left_out(self, chosen: Whole) -> Array:
        """Return the planes over the triangles that fill the hole of each site."""
        corners, shares = around(self.sites, chosen)
        values = np.sum(shares * self.sites.z[corners], axis=1)
        return np.where(corners[:, 0] >= 0, values, np.nan)


def share_slopes(corners: Array) -> Array:
    """Return the gradients (k, 3, 2) of the barycentric shares of triangles (k, 3, 2)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    whole = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    slopes = np.empty((len(corners), 3, 2))
    for place, (start, end) in enumerate(((b, c), (c, a), (a, b))):
        slopes[:, place, 0] = (start[:, 1] - end[:, 1]) / whole
        slopes[:, place, 1] = (end[:, 0] - start[:, 0]) / whole
    return slopes


def around(sites: Sites, chosen: Whole) -> tuple[Whole, Array]:
    """Return the triangle of other sites (k, 3) that holds each chosen site, and its shares; −1 where there is none."""
    corners = np.full((len(chosen), 3), -1, dtype=np.intp)
    shares = np.zeros((len(chosen), 3))
    for place, site in enumerate(chosen.tolist()):
        linked = sites.triangles.neighbours(site)
        cut = hole(sites, linked)
        if cut is None:
            continue
        u, v = sites.u[[site]], sites.v[[site]]
        triangle = cut.at(u, v, np.zeros(1, dtype=np.intp))
        if triangle[0] >= 0:
            corners[place] = linked[cut.corners[triangle[0]]]
            shares[place] = cut.shares(triangle, u, v)[0]
    return corners, shares


def hole(sites: Sites, linked: Whole) -> Triangles | None:
    """Return the triangles over a site's neighbours, None when they are on one line."""
    if len(linked) < 3:
        return None
    try:
        return Triangles(sites.places[linked])
    except DataError:
        return None
