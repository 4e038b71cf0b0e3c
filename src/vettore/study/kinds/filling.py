"""A series whose values are read from the curve through the points of another, and follow it."""

from __future__ import annotations

from vettore.study.kinds.part import Part


class Filling(Part, frozen=True, tag="filling"):
    """One of ``every`` (a distance), ``count``, ``at`` (a list) and ``other`` (the id of a series whose x is taken).

    ``series`` is the one that is filled; it stays with its values when ``source`` goes.
    """

    series: str
    source: str
    every: float | None = None
    count: int | None = None
    at: tuple[float, ...] = ()
    other: str = ""

    def refers_to(self) -> tuple[str, ...]:
        """Without its source, or the series whose x it takes, there is nothing to follow."""
        return tuple(filter(None, (self.series, self.source, self.other)))
