"""A surface seen from above and aside, as a picture: which place of the grid each pixel shows. Knows no window.

The view is parallel. The grid is turned by ``turn`` and looked at from ``tilt`` above the horizon, so that a place (p, q) of
the turned grid at height h stands at

    column ∝ p,        line ∝ q sin(tilt) + h cos(tilt).

Upright lines stay upright; so each column of pixels sees one line of places from front to back, and of these a pixel shows
the first whose line is at or above it: the running maximum of the lines, counted pixel by pixel. That is exact, needs no
sorting, and costs one look at each place and each pixel.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask

# The grid stands in a box of side 1 and this height.
HEIGHT = 0.5
# How much of the picture the box takes.
MARGIN = 0.98
# Places looked at along each line of sight, for each pixel of height.
DENSE = 0.5
FEWEST, MOST = 90, 240
# Light from the upper left, and how much of a colour it makes.
LIGHT, SHADE = np.array([-0.45, 0.5, 0.74]), 0.42


@dataclass(frozen=True)
class Eye:
    """From where a surface is seen: turned about the upright and tilted, both in degrees; heights are ``stretch``ed."""

    turn: float = -32.0
    tilt: float = 32.0
    stretch: float = 1.0


class Frame:
    """How places become pixels: the unit box (−½ … ½ across and along, 0 … 1 in height) on a picture of some size.

    ``sides`` are those of the ground, the longer one 1. ``reach`` is how far it reaches to the side and in depth once it
    is turned, ``scale`` the pixels of a unit, ``ground`` the line of its middle.
    """

    def __init__(self, eye: Eye, width: int, height: int, sides: tuple[float, float]) -> None:
        self.eye, self.width, self.height, self.sides = eye, width, height, sides
        angle, tilt = np.radians(eye.turn), np.radians(eye.tilt)
        self.turned = (float(np.cos(angle)), float(np.sin(angle)))
        self.tilted = (float(np.sin(tilt)), float(np.cos(tilt)))
        a, b = sides[0] / 2, sides[1] / 2
        cos, sin = self.turned
        self.reach = (abs(a * cos) + abs(b * sin), abs(a * sin) + abs(b * cos))
        flat = self.reach[1] * self.tilted[0]
        deep = 2 * flat + self.rise
        self.scale = MARGIN * min(width / (2 * self.reach[0]), height / deep)
        self.ground = height / 2 + self.scale * (deep / 2 - flat)

    @property
    def rise(self) -> float:
        """How far the highest place stands above the lowest, on the picture in units of the box."""
        return HEIGHT * self.eye.stretch * self.tilted[1]

    def pixels(self, a: Array, b: Array, h: Array) -> tuple[Array, Array, Array]:
        """Return columns, lines and depths of places (k,) of the box: a, b from −½ to ½ of the sides, h from 0 to 1."""
        cos, sin = self.turned
        a, b = a * self.sides[0], b * self.sides[1]
        p, q = a * cos - b * sin, a * sin + b * cos
        return (
            self.width / 2 + self.scale * p,
            self.ground - self.scale * (q * self.tilted[0] + h * self.rise),
            q,
        )

    def grid_places(self, column: Array, depth: Array) -> tuple[Array, Array]:
        """Return a, b (−½ … ½) of the ground under columns (w,) at depths (d,), each (d, w)."""
        cos, sin = self.turned
        p = (column - self.width / 2)[None, :] / self.scale
        q = depth[:, None]
        return (p * cos + q * sin) / self.sides[0], (q * cos - p * sin) / self.sides[1]


@dataclass(frozen=True, eq=False)
class Relief:
    """What each pixel shows: the height share ``h`` (lines, columns) in 0 … 1, its light, and whether it shows anything.

    ``horizon`` (d, columns) is the highest line that places down to each of the ``depths`` (d,) reach.
    """

    h: Array
    light: Array
    seen: Mask
    horizon: Array
    depths: Array

    def hidden(self, column: Array, line: Array, depth: Array) -> Mask:
        """Whether places (k,) at pixels and depths stand behind the surface."""
        at = np.clip(column.astype(np.intp), 0, self.horizon.shape[1] - 1)
        place = np.clip(np.searchsorted(self.depths, depth) - 2, -1, len(self.depths) - 1)
        before = np.where(place < 0, -np.inf, self.horizon[np.maximum(place, 0), at])
        return (self.h.shape[0] - line) < before - 2.0


class ReliefGround:
    """The grid that is seen: heights (rows, columns) in 0 … 1, row 0 at the front, and ``inside``, above 0 where they count."""

    def __init__(self, heights: Array, inside: Array, sides: tuple[float, float]) -> None:
        self.sides = sides
        self.shape = heights.shape
        # Half the digits are far more than a pixel needs, and twice as quick.
        self._parts = np.stack([heights, inside, np.zeros_like(heights)]).astype(np.float32)
        along, across = np.gradient(heights)
        self._slopes = (across * (self.shape[1] - 1) / sides[0], along * (self.shape[0] - 1) / sides[1])

    def lit(self, frame: Frame) -> Array:
        """Return heights, inside and light as one array (3, places), by how each place faces a light that stands still."""
        lift = HEIGHT * frame.eye.stretch
        cos, sin = frame.turned
        across, along = self._slopes[0] * lift, self._slopes[1] * lift
        p, q = across * cos - along * sin, across * sin + along * cos
        facing = (-p * LIGHT[0] - q * LIGHT[1] + LIGHT[2]) / np.sqrt(1 + p * p + q * q)
        self._parts[2] = 1 - SHADE * (1 - np.clip(facing, 0, 1))
        return self._parts.reshape(3, -1)


def see(ground: ReliefGround, frame: Frame) -> Relief:
    """Return what is seen of a ground."""
    width, lines = frame.width, frame.height
    # From front to back, a little closer together than the lines of the picture.
    count = int(np.clip(DENSE * lines, FEWEST, MOST))
    reach = frame.reach[1]
    depths = np.linspace(-reach, reach, count)
    a, b = frame.grid_places((np.arange(width) + 0.5).astype(np.float32), depths.astype(np.float32))
    h, inside, light = _sampled(ground.lit(frame), ground.shape, a + np.float32(0.5), b + np.float32(0.5))
    rise = (frame.scale * frame.rise) * h
    rise += ((lines - frame.ground) + frame.scale * frame.tilted[0] * depths)[:, None].astype(np.float32)
    rise[inside <= 0] = -np.inf
    horizon = np.maximum.accumulate(rise, axis=0)
    # The first place at or above each pixel: as many places lie below it as have a horizon under it.
    floor = np.ceil(np.clip(horizon, 0, lines)).astype(np.int32)
    floor *= width
    floor += np.arange(width, dtype=np.int32)
    below = np.bincount(floor.ravel(), minlength=(lines + 1) * width).reshape(lines + 1, width)
    first = np.cumsum(below, axis=0)[:lines]
    shown = np.minimum(first, count - 1) * width + np.arange(width)
    # Behind a front edge, or a hole, there is nothing: what was before the first place is no surface.
    begins = inside > 0
    begins[1:] &= inside[:-1] > 0
    begins[0] = False
    seen = (first < count) & begins.ravel().take(shown)
    return Relief(h.ravel().take(shown)[::-1], light.ravel().take(shown)[::-1], seen[::-1], horizon, depths)


def _sampled(parts: Array, shape: tuple[int, ...], s: Array, t: Array) -> Array:
    """Return parts (3, places) at shares of the grid's sides (d, w), as (3, d, w); ``inside`` is −1 beyond the grid."""
    rows, columns = shape
    x, y = s * np.float32(columns - 1), t * np.float32(rows - 1)
    outside = (x < 0) | (x > columns - 1) | (y < 0) | (y > rows - 1)
    i = np.clip(x.astype(np.int32), 0, columns - 2)
    j = np.clip(y.astype(np.int32), 0, rows - 2)
    x -= i
    y -= j
    j *= columns
    j += i
    corners = (j, j + 1, j + columns, j + columns + 1)
    sampled = np.empty((len(parts), *x.shape), dtype=np.float32)
    for part, out in zip(parts, sampled, strict=True):
        low, low_right, high, high_right = (part.take(corner) for corner in corners)
        low_right -= low
        low_right *= x
        low += low_right
        high_right -= high
        high_right *= x
        high += high_right
        high -= low
        high *= y
        np.add(low, high, out=out)
    sampled[1][outside] = -1
    return sampled


def packed_of(colours: Array) -> Array:
    """Return opaque colours (…, 3) of 0 … 255 as 0xAARRGGBB (…)."""
    parts = colours.astype(np.uint32)
    packed: Array = np.uint32(255 << 24) | (parts[..., 0] << 16) | (parts[..., 1] << 8) | parts[..., 2]
    return packed


class Paints:
    """A ramp of colours (n, 3) of 0 … 255 in all its lights, as 0xAARRGGBB."""

    LIGHTS = 48

    def __init__(self, ramp: Array) -> None:
        lights = np.linspace(1 - SHADE, 1, self.LIGHTS)
        self._table = packed_of(ramp[:, None, :] * lights[None, :, None]).ravel()
        self._count = len(ramp)

    def picture(self, relief: Relief, low: float = 0.0, high: float = 1.0) -> Array:
        """Return a relief as (lines, columns) of 0xAARRGGBB; the ramp runs over heights from ``low`` to ``high``."""
        place = (relief.h - np.float32(low)) * np.float32((self._count - 1) / ((high - low) or 1.0))
        np.clip(place, 0, self._count - 1, out=place)
        level = (relief.light - np.float32(1 - SHADE)) * np.float32((self.LIGHTS - 1) / SHADE)
        np.clip(level, 0, self.LIGHTS - 1, out=level)
        index = place.astype(np.int32)
        index *= self.LIGHTS
        index += level.astype(np.int32)
        picture = self._table.take(index)
        picture[~relief.seen] = 0
        return picture
