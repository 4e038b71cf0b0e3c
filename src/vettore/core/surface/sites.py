"""The sites of a surface: checked, repeats averaged, brought to one scale, cut into triangles.

Scale. x and y may be metres and hours, so distances mean nothing before both are brought to their spans. The factor is
the power of two nearest to the span: dividing by it is exact, so that every number below is that of the given sites, and
sites over a region about as wide as high keep their distances as they are.

Triangles are Delaunay's: no site lies within the circle through another triangle's corners.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from vettore.core.arrays import Array, Mask, Rows, Values, as_values, check_lengths, check_range, remarks_on
from vettore.core.errors import DataError, Fault
from vettore.core.remarks import Remark, RemarkKind

Whole: TypeAlias = NDArray[np.intp]
Scaling = Literal["spans", "alike"]
SCALINGS: tuple[Scaling, ...] = ("spans", "alike")
# Said of sites that span no area.
ON_ONE_LINE = "The sites lie on one line. A surface needs sites that are spread over x and y."
# Sites whose second axis is shorter than this share of their first lie on a line.
FLAT = 1e-10
# An offset this many spans away is taken off before numbers are scaled.
FAR_OFFSET = 4.0
# A place beyond a side by less than this, on the common scale squared, lies on it.
ON_SIDE = 1e-14
# Triangles that are walked through at most, before a slower way is taken.
MOST_STEPS = 60
# A triangle drawn into a grid is this much too wide, in steps of the grid.
OVERLAP = 1e-6
# More places than this are looked up by all cores.
MANY = 1000
# The corners after and before each.
NEXT, LAST = [1, 2, 0], [2, 0, 1]


@dataclass(frozen=True)
class Axis:
    """How one coordinate becomes a number of about unit span: (x − ``zero``) / ``unit``."""

    zero: float
    unit: float

    def scaled(self, values: Array) -> Array:
        """Return values on the common scale."""
        return (values - self.zero) / self.unit

    def given(self, scaled: Array) -> Array:
        """Return scaled numbers as the coordinates they came from."""
        return scaled * self.unit + self.zero


def _axis(values: Array, unit: float) -> Axis:
    middle = (float(values.min()) + float(values.max())) / 2
    span = float(np.ptp(values))
    return Axis(middle if abs(middle) > FAR_OFFSET * span else 0.0, unit)


def _power_of_two(span: float) -> float:
    return 2.0 ** round(math.log2(span))


@dataclass(frozen=True, eq=False)
class Sites:
    """Distinct sites (n,) in use: ``u``, ``v`` are x and y on the common scale, ``count`` how often each was measured.

    ``rows`` are the given rows of each site (the first of repeats), ``site_of_row`` (m,) the site of each given row or −1.
    """

    x: Array
    y: Array
    z: Array
    count: Array
    rows: Rows
    site_of_row: Rows
    across: Axis
    along: Axis
    remarks: tuple[Remark, ...]

    def __len__(self) -> int:
        return len(self.x)

    @cached_property
    def u(self) -> Array:
        """x on the common scale (n,)."""
        return self.across.scaled(self.x)

    @cached_property
    def v(self) -> Array:
        """y on the common scale (n,)."""
        return self.along.scaled(self.y)

    @cached_property
    def places(self) -> Array:
        """The sites on the common scale (n, 2)."""
        return np.column_stack([self.u, self.v])

    @cached_property
    def triangles(self) -> Triangles:
        """Delaunay's triangles over the sites."""
        return Triangles(self.places)

    @cached_property
    def tree(self) -> object:
        """A tree of the sites for finding neighbours."""
        from scipy.spatial import cKDTree

        return cKDTree(self.places)

    @cached_property
    def spacing(self) -> float:
        """How far neighbouring sites are apart, on the common scale: the median side of the triangles."""
        return float(np.median(self.triangles.side_lengths))

    def far_from(self, u: Array, v: Array) -> Mask:
        """Whether scaled places are farther from every site than neighbouring sites are from each other."""
        return self.nearest(u, v)[0] > self.spacing

    def evenly(self, most: int) -> Whole:
        """Return at most so many sites, evenly chosen in the order in which they came."""
        return np.unique(np.linspace(0, len(self) - 1, min(len(self), most)).astype(np.intp))

    def triangle_at(self, u: Array, v: Array) -> Whole:
        """Return the triangle that holds each scaled place (k,), −1 outside the outermost sites."""
        good = np.isfinite(u) & np.isfinite(v)
        values = np.full(len(u), -1, dtype=np.intp)
        values[good] = self.triangles.at(u[good], v[good], self.nearest(u[good], v[good])[1])
        return values

    def nearest(self, u: Array, v: Array, count: int = 1) -> tuple[Array, Rows]:
        """Return distances and sites nearest to scaled places, each (…,) or (…, count) as the tree gives them."""
        workers = -1 if np.size(u) > MANY else 1
        result = self.tree.query(np.stack([u, v], axis=-1), k=count, workers=workers)  # type: ignore[attr-defined]
        # A place too far away for its distance to be a number is near to none; any site will do.
        return result[0], np.minimum(result[1], len(self) - 1)


class Triangles:
    """Delaunay's triangles of places (n, 2): ``corners`` (m, 3) counter-clockwise, ``beside`` (m, 3) opposite them, −1 none."""

    def __init__(self, places: Array) -> None:
        from scipy.spatial import Delaunay, QhullError

        try:
            self._cut = Delaunay(places)
        except QhullError:
            raise DataError(ON_ONE_LINE, Fault.NOT_TOLD) from None
        self.places = places
        corners = self._cut.simplices.astype(np.intp)
        beside = self._cut.neighbors.astype(np.intp)
        a, b, c = (places[corners[:, k]] for k in range(3))
        turned = cross(b - a, c - a) < 0
        corners[turned] = corners[turned][:, [0, 2, 1]]
        beside[turned] = beside[turned][:, [0, 2, 1]]
        self.corners, self.beside = corners, beside

    def __len__(self) -> int:
        return len(self.corners)

    def at(self, u: Array, v: Array, near: Whole) -> Whole:
        """Return the triangle that holds each place (k,), −1 outside all; ``near`` (k,) are sites to begin at.

        All places walk at once, each across the side that it lies farthest beyond, till it lies beyond none.
        """
        return self.walked(u, v, self._first[near])

    def walked(self, u: Array, v: Array, begin: Whole) -> Whole:
        """Return the triangle that holds each place (k,), walking from ``begin`` (k,), −1 for those outside from the start."""
        values = begin.copy()
        going = np.flatnonzero(values >= 0)
        for _ in range(MOST_STEPS):
            x, y = self._x[values[going]], self._y[values[going]]
            x -= u[going, None]
            y -= v[going, None]
            # Twice the area between a place and each side, negative where it lies beyond.
            beyond = x[:, NEXT] * y[:, LAST] - x[:, LAST] * y[:, NEXT]
            side = np.argmin(beyond, axis=1)
            out = beyond[np.arange(len(going)), side] < -ON_SIDE
            going = going[out]
            if not len(going):
                return values
            values[going] = self.beside[values[going], side[out]]
            going = going[values[going] >= 0]
        # Flat triangles may pass a place to and fro.
        values[going] = self._cut.find_simplex(np.column_stack([u[going], v[going]]))
        return values

    def over_grid(self, across: Array, along: Array) -> Whole:
        """Return the triangle that holds each place of an even grid, columns ``across`` and rows ``along``, rows after rows.

        Each triangle is drawn into the grid row by row, a little too wide; what two triangles claim is then settled by a walk.
        """
        triangle, row = _rows_crossed(self._y, along)
        left, right = _stretch(self._x.T[:, triangle], self._y.T[:, triangle], along[row])
        step = (across[-1] - across[0]) / (len(across) - 1)
        first = np.maximum(np.ceil((left - across[0]) / step - OVERLAP).astype(np.intp), 0)
        last = np.minimum(np.floor((right - across[0]) / step + OVERLAP).astype(np.intp), len(across) - 1)
        filled = np.maximum(last - first + 1, 0)
        ends = np.cumsum(filled)
        cells = np.arange(ends[-1]) + np.repeat(row * len(across) + first - (ends - filled), filled)
        drawn = np.full(len(across) * len(along), -1, dtype=np.intp)
        drawn[cells] = np.repeat(triangle, filled)
        u, v = np.tile(across, len(along)), np.repeat(along, len(across))
        some = np.flatnonzero(drawn >= 0)
        first_share, second, third = self.shares(drawn[some], u[some], v[some]).T
        doubtful = some[~(np.minimum(np.minimum(first_share, second), third) >= 0)]
        drawn[doubtful] = self.walked(u[doubtful], v[doubtful], drawn[doubtful])
        return drawn

    @cached_property
    def _x(self) -> Array:
        return self.places[self.corners, 0]

    @cached_property
    def _y(self) -> Array:
        return self.places[self.corners, 1]

    @cached_property
    def _first(self) -> Whole:
        """A triangle at each site; any where a site, all but on another, has none."""
        first = np.zeros(len(self.places), dtype=np.intp)
        for k in range(3):
            first[self.corners[:, k]] = np.arange(len(self.corners))
        return first

    def shares(self, triangle: Whole, u: Array, v: Array) -> Array:
        """Return the barycentric shares (k, 3) of the corners of triangles at places in them."""
        a_u, a_v, b_u, b_v, c_u, c_v, whole = self._frames[triangle].T
        du, dv = u - a_u, v - a_v
        shares = np.empty((len(u), 3))
        with np.errstate(divide="ignore", invalid="ignore"):
            shares[:, 1] = (du * c_v - dv * c_u) / whole
            shares[:, 2] = (b_u * dv - b_v * du) / whole
        shares[:, 0] = 1 - shares[:, 1] - shares[:, 2]
        return shares

    @cached_property
    def _frames(self) -> Array:
        """Of each triangle (m, 7) its first corner, the ways from there to the others, and twice its area."""
        a, b, c = (self.places[self.corners[:, k]] for k in range(3))
        return np.column_stack([a, b - a, c - a, cross(b - a, c - a)])

    @cached_property
    def edges(self) -> Whole:
        """All edges (k, 2), each once."""
        sides = np.concatenate([self.corners[:, [0, 1]], self.corners[:, [1, 2]], self.corners[:, [2, 0]]])
        total = len(self.places)
        return np.column_stack(np.divmod(np.unique(sides.min(axis=1) * total + sides.max(axis=1)), total))

    @cached_property
    def side_lengths(self) -> Array:
        """The lengths of the sides of all triangles (3 m,), so that those between two of them count twice."""
        corners = self.places[self.corners]
        return np.hypot(*np.moveaxis(corners - np.roll(corners, 1, axis=1), -1, 0)).ravel()

    @cached_property
    def areas(self) -> Array:
        """The area of each triangle (m,)."""
        a, b, c = (self.places[self.corners[:, k]] for k in range(3))
        return cross(b - a, c - a) / 2

    @cached_property
    def hull(self) -> Whole:
        """The sites around the outside, counter-clockwise."""
        where, opposite = np.nonzero(self.beside < 0)
        start = self.corners[where, (opposite + 1) % 3]
        end = self.corners[where, (opposite + 2) % 3]
        following = dict(zip(start.tolist(), end.tolist(), strict=True))
        ring = [int(start[0])]
        while (site := following[ring[-1]]) != ring[0]:
            ring.append(site)
        return np.array(ring, dtype=np.intp)

    @cached_property
    def _links(self) -> tuple[Whole, Whole]:
        both = np.concatenate([self.edges, self.edges[:, ::-1]])
        order = np.argsort(both[:, 0], kind="stable")
        starts = np.searchsorted(both[order, 0], np.arange(len(self.places) + 1))
        return starts, both[order, 1]

    def neighbours(self, site: int) -> Whole:
        """Return the sites that share an edge with a site."""
        starts, ends = self._links
        return ends[starts[site] : starts[site + 1]]


def _rows_crossed(y: Array, along: Array) -> tuple[Whole, Whole]:
    """Return the pairs of a triangle, of those with corners at y (m, 3), and a row of an even grid that crosses it."""
    step = (along[-1] - along[0]) / (len(along) - 1)
    first = np.maximum(np.ceil((y.min(axis=1) - along[0]) / step - OVERLAP).astype(np.intp), 0)
    last = np.minimum(np.floor((y.max(axis=1) - along[0]) / step + OVERLAP).astype(np.intp), len(along) - 1)
    crossed = np.maximum(last - first + 1, 0)
    ends = np.cumsum(crossed)
    row = np.arange(ends[-1]) + np.repeat(first - (ends - crossed), crossed)
    return np.repeat(np.arange(len(y)), crossed), row


def _stretch(x: Array, y: Array, level: Array) -> tuple[Array, Array]:
    """Return where the lines y = level (k,) enter and leave triangles (3, k), their corners brought to the lines' ends."""
    # Rows that pass a corner by, but for rounding, are taken to pass through it.
    level = np.clip(level, y.min(axis=0), y.max(axis=0))
    left, right = np.full(len(level), np.inf), np.full(len(level), -np.inf)
    for start, end in ((0, 1), (1, 2), (2, 0)):
        # A side along the line, 0 / 0, is met by the ends of the other two.
        with np.errstate(divide="ignore", invalid="ignore"):
            share = (level - y[start]) / (y[end] - y[start])
        share[(share < 0) | (share > 1)] = np.nan
        at = x[start] + share * (x[end] - x[start])
        left, right = np.fmin(left, at), np.fmax(right, at)
    return left, right


def cross(a: Array, b: Array) -> Array:
    """Return the cross products of vectors (…, 2)."""
    return a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]


def check_sites(x: Values, y: Values, z: Values, scaling: Scaling = "spans") -> Sites:
    """Return the sites that can be used of columns (m,). Raises DataError for fewer than three, or all on a line.

    A row without a number in x, y or z is left out and counted; rows at the same place are averaged and counted.
    """
    if scaling not in SCALINGS:
        raise DataError(f"Distances are scaled by “spans” or “alike”; {scaling!r} was given.", Fault.NO_SUCH_CHOICE)
    given = {"x": x, "y": y, "z": z}
    columns = {name: as_values(values, name) for name, values in given.items()}
    check_lengths(columns)
    remarks = list(remarks_on(given))
    good: Mask = np.logical_and.reduce([np.isfinite(values) for values in columns.values()])
    rows = np.flatnonzero(good)
    if len(rows) < len(good):
        missing = tuple((np.flatnonzero(~good) + 1).tolist())
        remarks.append(Remark(RemarkKind.SITES_WITHOUT_NUMBER, rows=missing))
    if len(rows) < 3:
        raise DataError(
            f"A surface needs at least three sites with numbers in x, y and z; there are {len(rows)}.", Fault.TOO_FEW
        )
    for name, values in columns.items():
        check_range(values[rows], name)
    used = {name: values[rows] for name, values in columns.items()}
    first, which = _distinct(used["x"], used["y"])
    if len(first) < 3:
        raise DataError(
            f"A surface needs at least three places; there {'is' if len(first) == 1 else 'are'} {len(first)}, measured "
            f"{len(rows)} times.",
            Fault.TOO_FEW,
        )
    count: Array = np.bincount(which).astype(np.float64)
    z_of = np.bincount(which, weights=used["z"]) / count
    once = count == 1
    z_of[once] = used["z"][first][once]
    if len(first) < len(rows):
        many = int(np.sum(count > 1))
        remarks.append(Remark(RemarkKind.SITES_AVERAGED, figures=(float(many), float(np.sum(count[count > 1])))))
    site_of_row = np.full(len(good), -1, dtype=np.intp)
    site_of_row[rows] = which
    xs, ys = used["x"][first], used["y"][first]
    across, along = _axes(xs, ys, scaling)
    _check_spread(across.scaled(xs), along.scaled(ys))
    return Sites(xs, ys, z_of, count, rows[first], site_of_row, across, along, tuple(remarks))


def _distinct(x: Array, y: Array) -> tuple[Rows, Rows]:
    """Return the first row at each place, in the order of the rows, and the place of each row."""
    order = np.lexsort((y, x))
    new = np.append(True, (np.diff(x[order]) != 0) | (np.diff(y[order]) != 0))
    # The sort is stable, so the first of equal places came first.
    firsts = order[new]
    by_row = np.argsort(firsts, kind="stable")
    number = np.empty(len(firsts), dtype=np.intp)
    number[by_row] = np.arange(len(firsts))
    which = np.empty(len(order), dtype=np.intp)
    which[order] = number[np.cumsum(new) - 1]
    return firsts[by_row], which


def _axes(x: Array, y: Array, scaling: Scaling) -> tuple[Axis, Axis]:
    spans = float(np.ptp(x)), float(np.ptp(y))
    for name, span in zip("xy", spans, strict=True):
        if span == 0:
            raise DataError(f"All sites have the same {name}. {ON_ONE_LINE}", Fault.NOT_TOLD, column=name)
    if scaling == "alike":
        spans = (max(spans), max(spans))
    return _axis(x, _power_of_two(spans[0])), _axis(y, _power_of_two(spans[1]))


def _check_spread(u: Array, v: Array) -> None:
    centred = np.column_stack([u - u.mean(), v - v.mean()])
    spread = np.linalg.svd(centred, compute_uv=False)
    if spread[1] <= FLAT * spread[0]:
        raise DataError(ON_ONE_LINE, Fault.NOT_TOLD)
