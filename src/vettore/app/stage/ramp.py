"""Colours of heights: one steady ramp from low to high, or two that part at a level."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.app.stage.relief_view import packed_of
from vettore.app.style import theme
from vettore.core.arrays import Array
from vettore.core.surface.edges import ends_of

STEPS = 256


@dataclass(frozen=True)
class Ramp:
    """Heights from ``low`` to ``high``; with ``parted_at``, equally far to both sides of it have equally strong colours."""

    low: float
    high: float
    parted_at: float | None = None

    def shares(self, z: Array) -> Array:
        """Return where heights stand on the ramp, 0 … 1; beyond its ends they have those."""
        low, high = self.span
        return np.clip((z - low) / (high - low), 0.0, 1.0)

    @property
    def span(self) -> tuple[float, float]:
        """The heights of its two ends."""
        return ends_of(self.low, self.high, self.parted_at)

    @property
    def table(self) -> Array:
        """The colours (256, 3) of 0 … 255, mixed evenly between the stops of the theme."""
        stops = theme().heights if self.parted_at is None else theme().parted
        parts = np.array([[int(stop[k : k + 2], 16) for k in (1, 3, 5)] for stop in stops], dtype=np.float64)
        at = np.linspace(0, len(parts) - 1, STEPS)
        place = np.minimum(at.astype(np.intp), len(parts) - 2)
        share = (at - place)[:, None]
        return parts[place] * (1 - share) + parts[place + 1] * share

    def colours(self, z: Array) -> Array:
        """Return heights as 0xAARRGGBB; NaN is transparent."""
        packed = packed_of(self.table.round())
        known = np.isfinite(z)
        place = (np.where(known, self.shares(z), 0.0) * (STEPS - 1) + 0.5).astype(np.intp)
        return np.where(known, packed[place], np.uint32(0))

    def names(self, count: int) -> list[str]:
        """Return so many of its colours as ``#rrggbb``."""
        chosen = self.table[np.linspace(0, STEPS - 1, count).round().astype(np.intp)].round().astype(int)
        return [f"#{r:02X}{g:02X}{b:02X}" for r, g, b in chosen.tolist()]
