"""Hills, hollows and saddles of a surface, by how much they stand out.

The surface is flooded from above on a lattice: places are taken from the highest down; a place with no neighbour taken
begins a hill, one between two hills joins them, and the lower of the two then has its prominence, its height above that
saddle (Edelsbrunner, Letscher & Zomorodian 2002). Hills of little prominence are thereby merged into what they stand on.
Hollows are hills of the surface upside down. Places on the outer edge may be high, but the surface may go on rising
beyond: these are no hills. What is left is moved from the lattice to where the surface itself is highest.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.surface.heights import Heights
from vettore.core.surface.sites import Whole
from vettore.core.surface.thin_plate import noise_of

# Lattice places between neighbouring sites, and the least and most along a side.
FINE, FEWEST, MOST = 4, 50, 160
# Rounds of looking at places around a summit, each half as far as the last.
ROUNDS, AROUND = 10, np.linspace(-1.0, 1.0, 5)
# What a hill must stand out by: so many times its ±; where the surface passes through noisy sites, the noise of one.
TIMES_ERROR, TIMES_NOISE = 2.6, 3.0
# And in any case this share of the height of the surface.
LEAST_SHARE = 0.02
# Heights that differ by less than this share of their size differ by rounding.
ROUNDING = 1e-12
# Where slopes are compared around a saddle, as a share of the lattice: a plate's second derivative is infinite at sites.
DIFFERENCE = 0.2


class Shape(StrEnum):
    """What a summit is."""

    HILL = "hill"
    HOLLOW = "hollow"
    SADDLE = "saddle"


@dataclass(frozen=True)
class Summit:
    """A hill, hollow or saddle at x, y with height z and its ± (NaN where not known).

    ``prominence`` is how far a hill stands above the saddle to a higher one (of the highest: above the lowest place), a
    hollow below; of a saddle that of the hill it parts. ``sites`` is how many sites stand on it above half its
    prominence: one alone makes a hill by itself.
    """

    shape: Shape
    x: float
    y: float
    z: float
    prominence: float
    standard_error: float
    sites: int


@dataclass(frozen=True)
class _Peak:
    """A lattice place that is highest of its hill, the saddle where it joins a higher one (−1: none), its prominence."""

    place: int
    saddle: int
    prominence: float


def summits_of(surface: Heights, prominence: float | None) -> tuple[Summit, ...]:
    """Return the summits of a surface, hills, then hollows, then saddles, each by prominence."""
    x, y = _lattice(surface)
    across, along = np.meshgrid(x, y)
    z = surface(across, along)
    known = z[np.isfinite(z)]
    if not len(known) or np.ptp(known) <= ROUNDING * np.abs(known).max():
        return ()
    least = _least(surface, known) if prominence is None else prominence
    border = _border(np.isfinite(z))
    summits: list[Summit] = []
    saddles: list[tuple[int, float]] = []
    for shape, sign in ((Shape.HILL, 1.0), (Shape.HOLLOW, -1.0)):
        peaks = [peak for peak in _peaks(sign * z, least) if not border.flat[peak.place]]
        if shape is Shape.HILL:
            saddles = [(peak.saddle, peak.prominence) for peak in peaks if peak.saddle >= 0]
        summits += _placed(surface, shape, peaks, x, y, prominence)
    summits += _saddles(surface, saddles, x, y)
    order = {Shape.HILL: 0, Shape.HOLLOW: 1, Shape.SADDLE: 2}
    return tuple(sorted(summits, key=lambda summit: (order[summit.shape], -summit.prominence)))


def _lattice(surface: Heights) -> tuple[Array, Array]:
    sites = surface.sites
    counts = [int(np.clip(FINE * np.ptp(values) / sites.spacing, FEWEST, MOST)) + 1 for values in (sites.u, sites.v)]
    return (
        np.linspace(float(surface.x.min()), float(surface.x.max()), counts[0]),
        np.linspace(float(surface.y.min()), float(surface.y.max()), counts[1]),
    )


def _least(surface: Heights, known: Array) -> float:
    """Return the prominence below which a hill may be noise."""
    least = LEAST_SHARE * float(np.ptp(known))
    if surface.knows_error:
        # Each hill has its own ±, see _placed.
        return least
    return max(least, TIMES_NOISE * noise_of(surface.sites))


def _border(known: Mask) -> Mask:
    """Whether places are next to one without a value, or on the edge of the lattice."""
    padded = np.pad(known, 1)
    inner = np.ones_like(known)
    for down in (0, 1, 2):
        for right in (0, 1, 2):
            inner &= padded[down : down + known.shape[0], right : right + known.shape[1]]
    return ~inner


def _peaks(z: Array, least: float) -> list[_Peak]:
    """Return the peaks of a lattice that stand out by at least so much; NaN is no place."""
    rows, columns = z.shape
    flat = np.where(np.isfinite(z), z, -np.inf).ravel()
    order = np.argsort(-flat, kind="stable")[: int(np.isfinite(z).sum())].tolist()
    heights: list[float] = flat.tolist()
    owner = [-1] * len(heights)
    peaks: list[_Peak] = []

    def top_of(place: int) -> int:
        while owner[place] != place:
            owner[place] = owner[owner[place]]
            place = owner[place]
        return place

    for place in order:
        row, column = divmod(place, columns)
        owner[place] = place
        tops = set()
        for down in (-1, 0, 1):
            if not 0 <= row + down < rows:
                continue
            for right in (-1, 0, 1):
                beside = place + down * columns + right
                if (down or right) and 0 <= column + right < columns and owner[beside] >= 0:
                    tops.add(top_of(beside))
        if not tops:
            continue
        highest = max(tops, key=lambda top: (heights[top], -top))
        owner[place] = highest
        for top in tops - {highest}:
            owner[top] = highest
            if heights[top] - heights[place] >= least:
                peaks.append(_Peak(top, place, heights[top] - heights[place]))
    if order:
        rise = heights[order[0]] - heights[order[-1]]
        if rise >= least:
            peaks.append(_Peak(order[0], -1, rise))
    return peaks


def _placed(
    surface: Heights, shape: Shape, peaks: list[_Peak], x: Array, y: Array, value: float | None
) -> list[Summit]:
    if not peaks:
        return []
    sign = 1.0 if shape is Shape.HILL else -1.0
    rows, columns = np.divmod(np.array([peak.place for peak in peaks]), len(x))
    at_x, at_y = _climbed(surface, x[columns], y[rows], (x[1] - x[0], y[1] - y[0]), sign)
    z, errors = surface(at_x, at_y), surface.smooth_error(at_x, at_y)
    summits = []
    for place, peak in enumerate(peaks):
        if value is None and surface.knows_error and peak.prominence < TIMES_ERROR * errors[place]:
            continue
        held = _holding(surface, float(at_x[place]), float(at_y[place]), float(z[place]), sign * peak.prominence / 2)
        summits.append(
            Summit(
                shape,
                float(at_x[place]),
                float(at_y[place]),
                float(z[place]),
                peak.prominence,
                float(errors[place]),
                held,
            )
        )
    return summits


def _climbed(surface: Heights, x: Array, y: Array, step: tuple[float, float], sign: float) -> tuple[Array, Array]:
    """Return the highest places near those given, closing in on them."""
    across, along = (grid.ravel() for grid in np.meshgrid(AROUND, AROUND))
    for turn in range(ROUNDS):
        wide = 0.5**turn
        try_x = x[:, None] + across * step[0] * wide
        try_y = y[:, None] + along * step[1] * wide
        z = sign * surface(try_x, try_y)
        best = np.argmax(np.where(np.isfinite(z), z, -np.inf), axis=1)
        each = np.arange(len(x))
        x, y = try_x[each, best], try_y[each, best]
    return x, y


def _holding(surface: Heights, x: float, y: float, z: float, drop: float) -> int:
    """Return how many sites stand on a hill: reached from its top without going below half its prominence."""
    sites = surface.sites
    level, sign = z - drop, 1.0 if drop > 0 else -1.0
    high = sign * (sites.z - level) > 0
    u, v = sites.across.scaled(np.array([x])), sites.along.scaled(np.array([y]))
    triangle = sites.triangle_at(u, v)
    start: Whole = sites.triangles.corners[triangle[0]] if triangle[0] >= 0 else np.empty(0, dtype=np.intp)
    seen = {int(site) for site in start if high[site]}
    front = list(seen)
    while front:
        for beside in sites.triangles.neighbours(front.pop()).tolist():
            if high[beside] and beside not in seen:
                seen.add(beside)
                front.append(beside)
    return len(seen)


def _saddles(surface: Heights, saddles: list[tuple[int, float]], x: Array, y: Array) -> list[Summit]:
    """Return saddles, moved to where the surface is level."""
    summits = []
    for place, prominence in saddles:
        row, column = divmod(place, len(x))
        at = _levelled(surface, float(x[column]), float(y[row]), (float(x[1] - x[0]), float(y[1] - y[0])))
        z, error = float(surface(*at)), float(surface.smooth_error(*at))
        summits.append(Summit(Shape.SADDLE, at[0], at[1], z, prominence, error, 0))
    return summits


def _levelled(surface: Heights, x: float, y: float, step: tuple[float, float]) -> tuple[float, float]:
    """Return the level place near one on the lattice by Newton's steps, or the one on the lattice when they lead away."""
    at_x, at_y = x, y
    small = step[0] * DIFFERENCE, step[1] * DIFFERENCE
    for _ in range(8):
        places_x = at_x + np.array([0, small[0], -small[0], 0, 0])
        places_y = at_y + np.array([0, 0, 0, small[1], -small[1]])
        across, along = surface.gradient(places_x, places_y)
        bend = np.array(
            [
                [(across[1] - across[2]) / (2 * small[0]), (across[3] - across[4]) / (2 * small[1])],
                [(along[1] - along[2]) / (2 * small[0]), (along[3] - along[4]) / (2 * small[1])],
            ]
        )
        if not np.isfinite(bend).all() or np.linalg.det(bend) >= 0:
            return x, y
        move = np.linalg.solve(bend, [across[0], along[0]])
        at_x, at_y = at_x - float(move[0]), at_y - float(move[1])
        if abs(at_x - x) > 2 * step[0] or abs(at_y - y) > 2 * step[1]:
            return x, y
    return at_x, at_y
