"""A cubic surface over triangles whose slopes do not jump (Clough & Tocher 1965).

Each triangle V₀V₁V₂ is cut at its centre S into three. On the small triangle (Vᵢ, Vⱼ, S) with shares (a, b, s) the surface
is the Bernstein cubic Σ 3!/(p! q! r!) c_pqr aᵖ b^q sʳ. Values and gradients at the corners give the coefficients along the
edges and the first ring inside; the coefficient c₁₁₁ is the one for which the slope across the edge is linear along it, so
that both triangles of an edge agree on it; the rest make the slopes agree across the inner edges. Every quadratic is
reproduced, given its gradients.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.gradients import NEIGHBOURS, neighbours_of, slopes_at, without
from vettore.core.surface.kernel import Kernel
from vettore.core.surface.sites import Sites, Whole
from vettore.core.surface.triangulated import around, share_slopes

NEXT = ((1, 2), (2, 0), (0, 1))


class Cubic(Kernel):
    """Cubic triangles through the sites."""

    def __init__(self, sites: Sites) -> None:
        super().__init__(sites)
        # Slopes (n, 2) of the sites that were asked for; of many sites a grid asks for few.
        self._slopes = np.full((len(sites), 2), np.nan)

    def slopes(self, chosen: Whole) -> Array:
        """Return the gradients (…, 2) at sites (…,)."""
        values = np.unique(chosen)
        new = values[np.isnan(self._slopes[values, 0])]
        if len(new):
            self._slopes[new] = slopes_at(self.sites, new, neighbours_of(self.sites, new))
        return self._slopes[chosen]

    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return the cubics' values."""
        which, net = self._net(triangle)
        return net.value(self.sites.triangles.shares(triangle, u, v), which)

    def gradient(self, u: Array, v: Array, triangle: Whole) -> tuple[Array, Array]:
        """Return the cubics' slopes."""
        which, net = self._net(triangle)
        slopes = net.gradient(self.sites.triangles.shares(triangle, u, v), which)
        return slopes[:, 0], slopes[:, 1]

    def _net(self, triangle: Whole) -> tuple[Whole, _Net]:
        """Return the coefficients of the triangles that are asked for, each once, and which of them each place is in."""
        cut = self.sites.triangles
        distinct, which = np.unique(triangle, return_inverse=True)
        sites = cut.corners[distinct]
        return which.ravel(), _Net(cut.places[sites], self.sites.z[sites], self.slopes(sites))

    def left_out(self, chosen: Whole) -> Array:
        """Return the cubic over the triangle that fills the hole of each site, its slopes found without that site."""
        corners, shares = around(self.sites, chosen)
        reached = np.flatnonzero(corners[:, 0] >= 0)
        values = np.full(len(chosen), np.nan)
        corners, shares = corners[reached], shares[reached]
        array = np.repeat(chosen[reached], 3)
        ends = corners.ravel()
        near = without(neighbours_of(self.sites, ends, NEIGHBOURS + 1), array)
        slopes = slopes_at(self.sites, ends, near).reshape(-1, 3, 2)
        net = _Net(self.sites.places[corners], self.sites.z[corners], slopes)
        values[reached] = net.value(shares, np.arange(len(shares)))
        return values


class _Net:
    """The Bernstein coefficients of triangles (k, 3, 2) with values (k, 3) and gradients (k, 3, 2) at the corners.

    ``edge[i][j]`` is the coefficient next to corner i towards j, ``inner[i]`` that next to i towards the centre,
    ``middle[m]`` the one over the edge opposite m, ``ring[i]`` the one next to the centre towards i.
    """

    def __init__(self, corners: Array, values: Array, slopes: Array) -> None:
        self.corners, self.values = corners, values
        self.edge = [[np.empty(0)] * 3 for _ in range(3)]
        for i in range(3):
            for j in NEXT[i]:
                along = corners[:, j] - corners[:, i]
                self.edge[i][j] = values[:, i] + np.sum(slopes[:, i] * along, axis=1) / 3
        self.inner = [(values[:, i] + self.edge[i][NEXT[i][0]] + self.edge[i][NEXT[i][1]]) / 3 for i in range(3)]
        centre = corners.mean(axis=1)
        self.middle = []
        for m in range(3):
            i, j = NEXT[m]
            along = corners[:, j] - corners[:, i]
            foot = np.sum((centre - corners[:, i]) * along, axis=1) / np.sum(along * along, axis=1)
            first, second = self.edge[i][j], self.edge[j][i]
            straight = self.inner[i] + self.inner[j]
            bent = (1 - foot) * (values[:, i] - 2 * first + second) + foot * (first - 2 * second + values[:, j])
            self.middle.append((straight - bent) / 2)
        self.ring = [(self.inner[i] + self.middle[NEXT[i][0]] + self.middle[NEXT[i][1]]) / 3 for i in range(3)]
        self.top = (self.ring[0] + self.ring[1] + self.ring[2]) / 3

    def _small(self, shares: Array) -> list[tuple[Whole, int, int, int, Array, Array, Array]]:
        """Return, for each small triangle, the queries in it and their shares (a, b, s) of it."""
        least = np.argmin(shares, axis=1)
        parts = []
        for m in range(3):
            k = np.flatnonzero(least == m)
            i, j = NEXT[m]
            low = shares[k, m]
            parts.append((k, m, i, j, shares[k, i] - low, shares[k, j] - low, 3 * low))
        return parts

    def value(self, shares: Array, which: Whole) -> Array:
        """Return the surface where the corners of triangles ``which`` (q,) have these shares (q, 3)."""
        values = np.empty(len(shares))
        for places, m, i, j, a, b, s in self._small(shares):
            k = which[places]
            values[places] = (
                a * a * a * self.values[k, i]
                + b * b * b * self.values[k, j]
                + 3 * a * b * (a * self.edge[i][j][k] + b * self.edge[j][i][k])
                + 3 * s * (a * a * self.inner[i][k] + b * b * self.inner[j][k] + 2 * a * b * self.middle[m][k])
                + 3 * s * s * (a * self.ring[i][k] + b * self.ring[j][k])
                + s * s * s * self.top[k]
            )
        return values

    def gradient(self, shares: Array, which: Whole) -> Array:
        """Return the slopes (q, 2) there."""
        slopes = np.empty((len(shares), 2))
        by_share = share_slopes(self.corners)
        for places, m, i, j, a, b, s in self._small(shares):
            k = which[places]
            near, far = self.edge[i][j][k], self.edge[j][i][k]
            inner_i, inner_j, middle = self.inner[i][k], self.inner[j][k], self.middle[m][k]
            ring_i, ring_j, top = self.ring[i][k], self.ring[j][k], self.top[k]
            by_a = (
                a * a * self.values[k, i]
                + b * b * far
                + s * s * ring_i
                + 2 * (a * b * near + a * s * inner_i + b * s * middle)
            )
            by_b = (
                a * a * near
                + b * b * self.values[k, j]
                + s * s * ring_j
                + 2 * (a * b * far + a * s * middle + b * s * inner_j)
            )
            by_s = (
                a * a * inner_i
                + b * b * inner_j
                + s * s * top
                + 2 * (a * b * middle + a * s * ring_i + b * s * ring_j)
            )
            low = by_share[k, m]
            slopes[places] = 3 * (
                by_a[:, None] * (by_share[k, i] - low)
                + by_b[:, None] * (by_share[k, j] - low)
                + by_s[:, None] * (3 * low)
            )
        return slopes
