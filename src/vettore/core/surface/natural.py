"""Sibson's natural neighbours (1981): each site counts by the area that a new site would take from its cell.

Put a place p among the sites: its Voronoi cell takes a piece from the cells of the sites around it, and

    f(p) = Σ (area taken from site k) / (area of the cell) zₖ.

The triangles whose circles hold p are a patch around it (its cavity). The corners of the new cell are the centres Gₑ of
the circles through p and each outer edge e of the cavity; the old cells meet at the centres O of the cavity's circles. The
piece of site k is the polygon that runs G of the edge that ends at k, G of the edge that begins at it, and back through the O
of the cavity's triangles around k. Its area is summed edge by edge (shoelace), so that all places are worked at once.
Every plane is reproduced.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.surface.kernel import Kernel
from vettore.core.surface.sites import Triangles, Whole, cross
from vettore.core.surface.triangulated import hole

# Places whose share of a hull triangle's corner is below this lie on the outer edge, where two sites share.
ON_EDGE = 1e-9
ANY = np.zeros(1, dtype=np.intp)
# Places worked on at once.
BLOCK = 20_000


class Natural(Kernel):
    """The surface by natural neighbours."""

    @cached_property
    def _circles(self) -> tuple[Array, Array]:
        return circles(self.sites.triangles)

    def value(self, u: Array, v: Array, triangle: Whole) -> Array:
        """Return the mean of the natural neighbours by the areas taken from them."""
        values = np.empty(len(u))
        for start in range(0, len(u), BLOCK):
            part = slice(start, start + BLOCK)
            values[part] = _natural(
                self.sites.triangles, self._circles, self.sites.z, np.column_stack([u[part], v[part]]), triangle[part]
            )
        return values

    def left_out(self, chosen: Whole) -> Array:
        """Return the mean of each site's own natural neighbours."""
        values = np.full(len(chosen), np.nan)
        for place, site in enumerate(chosen.tolist()):
            linked = self.sites.triangles.neighbours(site)
            cut = hole(self.sites, linked)
            if cut is None:
                continue
            at = self.sites.places[[site]]
            triangle = cut.at(at[:, 0], at[:, 1], ANY)
            if triangle[0] >= 0:
                values[place] = _natural(cut, circles(cut), self.sites.z[linked], at, triangle)[0]
        return values


def circles(cut: Triangles) -> tuple[Array, Array]:
    """Return the centres (m, 2) and squared radii (m,) of the circles around triangles."""
    a, b, c = (cut.places[cut.corners[:, k]] for k in range(3))
    from_a = _centre(b - a, c - a)
    return from_a + a, np.sum(from_a * from_a, axis=1)


def _centre(b: Array, c: Array) -> Array:
    """Return the centre of the circle through the origin, b and c, each (k, 2)."""
    twice = 2 * (b[:, 0] * c[:, 1] - b[:, 1] * c[:, 0])
    bb, cc = np.sum(b * b, axis=1), np.sum(c * c, axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.column_stack([(c[:, 1] * bb - b[:, 1] * cc) / twice, (b[:, 0] * cc - c[:, 0] * bb) / twice])


def _natural(cut: Triangles, known: tuple[Array, Array], z: Array, at: Array, triangle: Whole) -> Array:
    plane = cut.shares(triangle, at[:, 0], at[:, 1])
    values = np.sum(plane * z[cut.corners[triangle]], axis=1)
    # On the outer edge, and at a site, two sites or one share: the plane says it.
    border = ((plane < ON_EDGE) & (cut.beside[triangle] < 0)).any(axis=1) | (plane > 1 - ON_EDGE).any(axis=1)
    k = np.flatnonzero(~border)
    if len(k):
        values[k] = _shared(cut, known, z, at[k], triangle[k])
    return values


def _cavity(cut: Triangles, known: tuple[Array, Array], at: Array, triangle: Whole) -> tuple[Whole, Whole]:
    """Return the pairs (place, triangle) of triangles whose circle holds a place, sorted by place."""
    centres, squares = known
    total = len(cut)
    pairs = np.arange(len(at), dtype=np.intp) * total + triangle
    front = pairs
    while len(front):
        place, held = np.divmod(front, total)
        next_to = cut.beside[held].ravel()
        place = np.repeat(place, 3)
        real = next_to >= 0
        place, next_to = place[real], next_to[real]
        holds = np.sum((at[place] - centres[next_to]) ** 2, axis=1) < squares[next_to]
        reached = np.unique(place[holds] * total + next_to[holds])
        front = reached[~_among(reached, pairs)]
        pairs = np.union1d(pairs, front)
    return np.divmod(pairs, total)


def _among(values: Whole, ordered: Whole) -> Mask:
    where = np.minimum(np.searchsorted(ordered, values), len(ordered) - 1)
    return ordered[where] == values


def _shared(cut: Triangles, known: tuple[Array, Array], z: Array, at: Array, triangle: Whole) -> Array:
    place, held = _cavity(cut, known, at, triangle)
    total = len(cut)
    pairs = place * total + held
    old = known[0][held] - at[place]
    keys, areas = [], []
    outer_from, outer_to, outer_new = [], [], []
    sites = len(cut.places)
    for k in range(3):
        start = cut.corners[held, (k + 1) % 3]
        end = cut.corners[held, (k + 2) % 3]
        beside = cut.beside[held, k]
        inner = (beside >= 0) & _among(place * total + np.maximum(beside, 0), pairs)
        # Across an inner edge the pieces of both its sites run from one old centre to the next.
        other = known[0][beside[inner]] - at[place[inner]]
        half = cross(old[inner], other) / 2
        keys += [place[inner] * sites + start[inner]]
        areas += [-half]
        edge = ~inner
        new = _centre(cut.places[start[edge]] - at[place[edge]], cut.places[end[edge]] - at[place[edge]])
        step = cross(old[edge], new) / 2
        keys += [place[edge] * sites + start[edge], place[edge] * sites + end[edge]]
        areas += [-step, step]
        outer_from += [place[edge] * sites + start[edge]]
        outer_to += [place[edge] * sites + end[edge]]
        outer_new += [new]
    begins, ends, new = np.concatenate(outer_from), np.concatenate(outer_to), np.concatenate(outer_new)
    by_begin, by_end = np.argsort(begins, kind="stable"), np.argsort(ends, kind="stable")
    # Around the cavity each site ends one outer edge and begins another: its side of the new cell joins their centres.
    keys += [begins[by_begin]]
    areas += [cross(new[by_end], new[by_begin]) / 2]
    key, area = np.concatenate(keys), np.concatenate(areas)
    owner, site = np.divmod(key, sites)
    weight = np.bincount(owner, weights=area, minlength=len(at))
    return np.bincount(owner, weights=area * z[site], minlength=len(at)) / weight
