"""Where long work may be held up for a moment, so that whoever waits for something short has its turn.

Work comes by here at every step. A program that has a window sets what is to happen there; a script has nothing done.
"""

from __future__ import annotations

from collections.abc import Callable


class _Pause:
    chosen: Callable[[], object] | None = None


def pause() -> None:
    """Come by: between two steps of work that may be long, each of them short."""
    if _Pause.chosen is not None:
        _Pause.chosen()


def pause_by(chosen: Callable[[], object] | None) -> None:
    """Have something done wherever work comes by; it is called on the thread that works."""
    _Pause.chosen = chosen
