"""Area, mean and volume of a surface over its sites or a polygon; above and below a level apart.

The triangles of the sites, cut to the polygon, are cut into smaller ones; over each the integral is that of the quadratic
through corners and middles of sides (exact for planes and quadrics). Where a level runs through one it is cut four ways
again, ``DEEPER`` times, and the last are taken as planes, whose part above the level is known in closed form.

A polygon is the sum of the triangles from its first corner to each side, those that run backwards taken away; its part of
a triangle of sites is that sum of convex overlaps (Sutherland & Hodgman 1974).
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.surface.heights import Heights

# Small triangles that the sites' triangles are cut into altogether, at least.
SMALL = 3_000
# How often a small triangle is cut again where a level runs through it.
DEEPER = 3
NO_LEVEL = (math.nan,) * 4


@dataclass(frozen=True)
class Covered:
    """``volume`` is ∫ z over ``area``; ``above`` and ``below`` are ∫ (z − level) where positive and negative.

    Without a level they are NaN. Units are those of x·y and x·y·z.
    """

    area: float
    volume: float
    mean: float
    level: float
    above: float
    below: float
    area_above: float


def covered(surface: Heights, level: float | None, within: Array | None) -> Covered:
    """Return what a surface covers. Raises DataError for a polygon that is none, or that holds no place of the surface."""
    sites = surface.sites
    at = np.column_stack([surface.x, surface.y])
    triangles = at[sites.triangles.corners]
    signs = np.ones(len(triangles))
    if within is not None:
        triangles, signs = _cut_to(triangles, _checked(within))
    sizes = _areas(triangles)
    total = float(np.sum(sizes * signs))
    if not total > 0:
        raise DataError(
            "No part of the surface lies within this outline. Draw it over the sites.", Fault.OUTSIDE_DATA
        )
    zero, deeper = 0.0 if level is None else float(level), 0
    # Planes over the sites' own triangles are known as they are.
    if surface.method != "linear":
        triangles, signs = _smaller(triangles, signs, max(math.ceil(math.log(SMALL / len(triangles), 4)), 0))
        deeper = DEEPER
    if level is None and deeper:
        # Nothing is to be parted.
        volume = float(np.sum(_areas(triangles) * signs * _values(surface, _middles(triangles)).mean(axis=1)))
        return Covered(total, volume, volume / total, *NO_LEVEL)
    above, below, area_above = _parted(surface, triangles, signs, zero, deeper)
    volume = above + below + zero * total
    if level is None:
        return Covered(total, volume, volume / total, *NO_LEVEL)
    return Covered(total, volume, volume / total, zero, above, below, area_above)


def _checked(polygon: Array) -> Array:
    if polygon.ndim != 2 or polygon.shape[1] != 2 or len(polygon) < 3 or not np.isfinite(polygon).all():
        raise DataError("An outline is at least three places, each with an x and a y.", Fault.TOO_FEW)
    return polygon


def _areas(triangles: Array) -> Array:
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    return np.abs((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])) / 2


def _smaller(triangles: Array, signs: Array, times: int) -> tuple[Array, Array]:
    for _ in range(times):
        triangles, signs = _quartered(triangles), np.repeat(signs, 4)
    return triangles, signs


def _middles(triangles: Array) -> Array:
    """Return the middles of the sides of triangles (k, 3, 2)."""
    return (triangles + np.roll(triangles, -1, axis=1)) / 2


def _quartered(triangles: Array) -> Array:
    """Return four triangles for each, in its order."""
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
    return np.stack([a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca], axis=1).reshape(-1, 3, 2)


def _parted(
    surface: Heights, triangles: Array, signs: Array, level: float, deeper: int
) -> tuple[float, float, float]:
    """Return ∫ above, ∫ below (not positive) and the area above a level."""
    sizes = _areas(triangles) * signs
    corners = _values(surface, triangles) - level
    if deeper == 0:
        share, mean_above = _planes(corners)
        whole = corners.mean(axis=1)
        return (
            float(np.sum(sizes * mean_above)),
            float(np.sum(sizes * (whole - mean_above))),
            float(np.sum(sizes * share)),
        )
    middles = _values(surface, _middles(triangles)) - level
    # ∫ of the quadratic through corners and middles is the mean of the middles.
    means = middles.mean(axis=1)
    every = np.hstack([corners, middles])
    over, under = (every > 0).all(axis=1), (every < 0).all(axis=1)
    between = ~over & ~under
    above = float(np.sum((sizes * means)[over]))
    below = float(np.sum((sizes * means)[under]))
    area = float(np.sum(sizes[over]))
    if between.any():
        part = _parted(surface, _quartered(triangles[between]), np.repeat(signs[between], 4), level, deeper - 1)
        # The whole is known better than its parts, and must not depend on where they part.
        whole = float(np.sum((sizes * means)[between]))
        above, below, area = above + part[0], below + whole - part[0], area + part[2]
    return above, below, area


def _values(surface: Heights, triangles: Array) -> Array:
    z = surface(triangles[..., 0], triangles[..., 1])
    if np.isnan(z).any():
        # Rounding may put a corner of the outermost triangles a hair outside: the middle of its triangle stands for it.
        centre = triangles.mean(axis=1, keepdims=True)
        inward = triangles + 1e-9 * (centre - triangles)
        z = np.where(np.isnan(z), surface(inward[..., 0], inward[..., 1]), z)
        z = np.where(np.isnan(z), np.nanmean(z, axis=1, keepdims=True), z)
    return z


def _planes(corners: Array) -> tuple[Array, Array]:
    """Return the share of each triangle where its plane is above 0, and the mean of max(plane, 0) over the triangle."""
    low, middle, high = np.sort(corners, axis=1).T
    share, mean = np.zeros(len(corners)), np.zeros(len(corners))
    over = low >= 0
    share[over], mean[over] = 1.0, corners[over].mean(axis=1)
    item = (middle <= 0) & (high > 0)
    a, b, c = low[item], middle[item], high[item]
    tip = c * c / ((c - a) * (c - b))
    share[item], mean[item] = tip, tip * c / 3
    two = (low < 0) & (middle > 0)
    a, b, c = low[two], middle[two], high[two]
    tip = a * a / ((b - a) * (c - a))
    share[two], mean[two] = 1 - tip, (a + b + c) / 3 - tip * a / 3
    return share, mean


def _cut_to(triangles: Array, polygon: Array) -> tuple[Array, Array]:
    """Return the parts of triangles within a polygon, and the sign with which each counts."""
    low, high = polygon.min(axis=0), polygon.max(axis=0)
    near = (triangles.max(axis=1) >= low).all(axis=1) & (triangles.min(axis=1) <= high).all(axis=1)
    triangles = triangles[near]
    parts, signs = [], []
    if _turn(polygon) < 0:
        polygon = polygon[::-1]
    for second, third in itertools.pairwise(polygon[1:]):
        fan = np.array([polygon[0], second, third])
        turn = _turn(fan)
        if turn == 0:
            continue
        if turn < 0:
            fan = fan[::-1]
        touching = (triangles.max(axis=1) >= fan.min(axis=0)).all(axis=1)
        touching &= (triangles.min(axis=1) <= fan.max(axis=0)).all(axis=1)
        for triangle in triangles[touching]:
            piece = _overlap(triangle, fan)
            for place in range(1, len(piece) - 1):
                parts.append((piece[0], piece[place], piece[place + 1]))
                signs.append(np.sign(turn))
    if not parts:
        return np.empty((0, 3, 2)), np.empty(0)
    return np.array(parts), np.array(signs)


def _turn(polygon: Array) -> float:
    """Return twice the area of an outline, negative when it runs clockwise."""
    x, y = (polygon - polygon[0]).T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def _overlap(subject: Array, window: Array) -> list[tuple[float, float]]:
    """Return the corners of what two triangles share; the window runs counter-clockwise."""
    piece = [(float(a), float(b)) for a, b in subject]
    for (x0, y0), (x1, y1) in zip(window.tolist(), np.roll(window, -1, axis=0).tolist(), strict=True):
        kept: list[tuple[float, float]] = []
        for (px, py), (qx, qy) in zip(piece, piece[1:] + piece[:1], strict=True):
            p = (x1 - x0) * (py - y0) - (y1 - y0) * (px - x0)
            q = (x1 - x0) * (qy - y0) - (y1 - y0) * (qx - x0)
            if p >= 0:
                kept.append((px, py))
            if (p > 0 > q) or (p < 0 < q):
                share = p / (p - q)
                kept.append((px + share * (qx - px), py + share * (qy - py)))
        piece = kept
        if not piece:
            break
    return piece
