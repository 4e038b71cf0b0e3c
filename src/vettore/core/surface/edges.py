"""What pictures of a surface need: how far inside each place is, heights a little beyond, the heights that colours tell."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.surface.surface import Surface

# Places beyond the edge that a picture may need.
BEYOND = 2
# Heights that differ by less than this share of their size are level.
LEVEL = 1e-12


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


def is_level(low: float, high: float) -> bool:
    """Whether heights differ by no more than rounding."""
    return high - low <= LEVEL * max(abs(low), abs(high))


def heights_of(surface: Surface) -> tuple[float, float]:
    """Return the lowest and highest height on the grid; about a level surface, some way to both sides."""
    known = surface.grid.z[np.isfinite(surface.grid.z)]
    low, high = (float(known.min()), float(known.max())) if len(known) else (0.0, 1.0)
    if is_level(low, high):
        middle, half = (low + high) / 2, max(abs(low), abs(high)) / 2 or 1.0
        return middle - half, middle + half
    return low, high


def coloured_from(surface: Surface, clip: tuple[float | None, float | None]) -> tuple[float, float]:
    """Return the heights that colours tell: those of the surface, or those it is clipped to."""
    low, high = heights_of(surface)
    return low if clip[0] is None else clip[0], high if clip[1] is None else clip[1]


def ends_of(low: float, high: float, parted_at: float | None) -> tuple[float, float]:
    """Return the ends of a ramp from low to high; of one that parts at a level equally far to both sides."""
    if parted_at is None:
        return (low, high) if high > low else (low - 0.5, low + 0.5)
    reach = max(abs(high - parted_at), abs(low - parted_at)) or 0.5
    return parted_at - reach, parted_at + reach
