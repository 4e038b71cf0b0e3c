"""Take the times of two ways by turns, so that both see the same machine."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def by_turns(
    ours: Callable[[], object],
    theirs: Callable[[], object],
    turns: int = 7,
    rest: Callable[[object], object] | None = None,
) -> tuple[float, float]:
    """Return the median seconds of each; ``rest`` is given each answer, outside the time."""
    taken: tuple[list[float], list[float]] = ([], [])
    ours(), theirs()
    for _ in range(turns):
        for place, way in enumerate((ours, theirs)):
            start = time.perf_counter()
            answer = way()
            taken[place].append(time.perf_counter() - start)
            if rest is not None:
                rest(answer)
    return statistics.median(taken[0]), statistics.median(taken[1])


def line(what: str, ours: float, theirs: float, witness: str) -> None:
    """Print one comparison."""
    print(
        f"  {what:42} {ours * 1e3:10.2f} ms   {witness} {theirs * 1e3:10.2f} ms   ratio {ours / theirs:6.2f}",
        flush=True,
    )
