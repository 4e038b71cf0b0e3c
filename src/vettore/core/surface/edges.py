"""What pictures of a surface need at its outer edge: how far inside each place is, and heights a little beyond."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.surface import Surface

# Places beyond the edge that a picture may need.
BEYOND = 2


def outline_of(surface: Surface) -> Array:
    """Return the outermost sites (k, 2), counter-clockwise."""
    around = surface.sites.triangles.hull
    return np.column_stack([surface.x[around], surface.y[around]])


def inside_of(surface: Surface, x: Array, y: Array) -> Array:
    """Return how far inside the outline places are, on the common scale; below 0 outside.

    It is the least distance from the lines through its sides, so that between places of a grid it runs straight.
    """
    sites = surface.sites
    u, v = sites.across.scaled(x), sites.along.scaled(y)
    corners = sites.places[sites.triangles.hull]
    least = np.full(np.shape(u), np.inf)
    for (u0, v0), (u1, v1) in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        length = np.hypot(u1 - u0, v1 - v0)
        np.minimum(least, ((u1 - u0) * (v - v0) - (v1 - v0) * (u - u0)) / length, out=least)
    return least


def spread_out(z: Array, times: int = BEYOND) -> Array:
    """Return heights (rows, columns) with blanks beside known ones filled by their mean, so many times over."""
    z = z.copy()
    for _ in range(times):
        padded = np.pad(z, 1, constant_values=np.nan)
        beside = np.stack([padded[:-2, 1:-1], padded[2:, 1:-1], padded[1:-1, :-2], padded[1:-1, 2:]])
        known = np.isfinite(beside)
        count = known.sum(axis=0)
        fill = np.isnan(z) & (count > 0)
        z[fill] = np.where(known, beside, 0.0).sum(axis=0)[fill] / count[fill]
    return z
