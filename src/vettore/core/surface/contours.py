"""Lines of equal height through the cells of a grid (marching squares), joined end to end.

On the four sides of a cell the height is taken as straight. A cell that a line enters on all four sides is settled by the
mean of its corners. Cells with a corner without value are left out, so that lines end at the outermost sites.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.surface.sites import Whole


@dataclass(frozen=True, eq=False)
class Contour:
    """The lines (each (k, 2) of x and y) at a level; a closed one ends where it begins."""

    level: float
    lines: tuple[Array, ...]


def contours_of(x: Array, y: Array, z: Array, level: float) -> Contour:
    """Return the lines at a level over a grid x (columns,), y (rows,), z (rows, columns)."""
    # A corner exactly at the level counts as above it, so that each line crosses sides and never ends on a corner.
    above = z >= level
    known = np.isfinite(z)
    whole = known[:-1, :-1] & known[:-1, 1:] & known[1:, :-1] & known[1:, 1:]
    pieces = _pieces(above, whole, z, level)
    if not len(pieces):
        return Contour(level, ())
    crossings = _Crossings(x, y, z, level)
    return Contour(level, tuple(crossings(np.array(line, dtype=np.intp)) for line in _joined(pieces)))


def _pieces(above: Mask, whole: Mask, z: Array, level: float) -> Whole:
    """Return pairs of sides that a line crosses in one cell, (k, 2).

    Sides are numbered: first those along x, row by row, then those along y.
    """
    rows, columns = above.shape
    row, column = np.nonzero(whole)
    a, b = above[row, column], above[row, column + 1]
    c, d = above[row + 1, column + 1], above[row + 1, column]
    south = row * (columns - 1) + column
    north = south + columns - 1
    west = rows * (columns - 1) + row * columns + column
    east = west + 1
    crossed = np.stack([a != b, b != c, c != d, d != a], axis=1)
    sides = np.stack([south, east, north, west], axis=1)
    count = crossed.sum(axis=1)
    two = count == 2
    pairs = [sides[two][crossed[two]].reshape(-1, 2)]
    four = np.flatnonzero(count == 4)
    if len(four):
        r, q = row[four], column[four]
        middle = (z[r, q] + z[r, q + 1] + z[r + 1, q + 1] + z[r + 1, q]) / 4 >= level
        # With the middle like the first corner, lines part off the other two; else the first and third.
        joins = np.where((middle == a[four])[:, None, None], [[[0, 1], [2, 3]]], [[[3, 0], [1, 2]]])
        pairs.append(np.take_along_axis(sides[four][:, None, :], joins, axis=2).reshape(-1, 2))
    return np.concatenate(pairs)


class _Crossings:
    """Where lines at a level cross sides."""

    def __init__(self, x: Array, y: Array, z: Array, level: float) -> None:
        self._x, self._y, self._z, self._level = x, y, z, level

    def __call__(self, sides: Whole) -> Array:
        """Return the places (k, 2) on sides (k,)."""
        rows, columns = self._z.shape
        level_sides = rows * (columns - 1)
        along_x = sides < level_sides
        r, q = np.divmod(np.where(along_x, sides, sides - level_sides), np.where(along_x, columns - 1, columns))
        next_r, next_q = np.where(along_x, r, r + 1), np.where(along_x, q + 1, q)
        start, end = self._z[r, q], self._z[next_r, next_q]
        share = (self._level - start) / (end - start)
        return np.column_stack(
            [
                self._x[q] + share * (self._x[next_q] - self._x[q]),
                self._y[r] + share * (self._y[next_r] - self._y[r]),
            ]
        )


def _joined(pieces: Whole) -> list[list[int]]:
    """Return the sides of each line in order."""
    beside: dict[int, list[int]] = {}
    for start, end in pieces.tolist():
        beside.setdefault(start, []).append(end)
        beside.setdefault(end, []).append(start)
    lines = []
    # Open lines from their ends first; what is left then is closed.
    for first in sorted(beside, key=lambda side: len(beside[side])):
        while beside[first]:
            line = [first]
            while beside[line[-1]]:
                following = beside[line[-1]].pop()
                beside[following].remove(line[-1])
                line.append(following)
            lines.append(line)
    return lines
