"""A min/max pyramid: about two points a pixel are drawn of a line, however long it is.

Level k holds the smallest and largest y of every 4ᵏ neighbouring rows. For a view the finest level that still
has a bin a pixel is reduced to one bin a pixel, so that no spike is lost at any zoom.
"""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Array

FACTOR = 4
SMALLEST_LEVEL = 4096


class Pyramid:
    """The levels over y (n,) at rising x (n,); built once, asked for every frame."""

    def __init__(self, x: Array, y: Array) -> None:
        self.x, self.y = x, y
        self._levels: list[tuple[int, Array, Array]] = []
        low = high = y
        size = 1
        while len(low) > SMALLEST_LEVEL:
            whole = len(low) // FACTOR * FACTOR
            lows = np.fmin.reduce(low[:whole].reshape(-1, FACTOR), axis=1)
            highs = np.fmax.reduce(high[:whole].reshape(-1, FACTOR), axis=1)
            if whole < len(low):
                lows = np.append(lows, np.fmin.reduce(low[whole:]))
                highs = np.append(highs, np.fmax.reduce(high[whole:]))
            low, high, size = lows, highs, size * FACTOR
            self._levels.append((size, low, high))

    def view(self, left: float, right: float, pixels: int) -> tuple[Array, Array]:
        """Return the points of a polyline for left … right over that many pixels."""
        first, last = np.searchsorted(self.x, (left, right))
        first, last = max(int(first) - 1, 0), min(int(last) + 1, len(self.x))
        if last - first <= 2 * pixels:
            return self.x[first:last], self.y[first:last]
        size, low, high = 1, self.y, self.y
        for level in self._levels:
            if (last - first) / level[0] < pixels:
                break
            size, low, high = level
        start, end = first // size, min(-(-last // size), len(low))
        bins = np.unique(np.linspace(start, end, pixels + 1).astype(np.intp)[:-1])
        x = np.repeat(self.x[np.minimum(bins * size, len(self.x) - 1)], 2)
        y = np.empty(2 * len(bins))
        y[0::2] = np.fmin.reduceat(low[:end], bins)
        y[1::2] = np.fmax.reduceat(high[:end], bins)
        return x, y
