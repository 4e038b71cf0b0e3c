"""The figures of a report, drawn by processes beside the one that writes it."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Hashable, Iterator, Sequence
from concurrent.futures import Future, ProcessPoolExecutor
from contextlib import contextmanager
from typing import Protocol

from vettore.report.figures.paper import Kind

# Fewer figures are drawn sooner than processes are ready.
FEWEST, MOST_WORKERS = 3, 4
_promised: dict[Hashable, Future[bytes]] = {}


class Drawable(Protocol):
    """A figure as far as it is drawn here."""

    def key(self, kind: Kind, letters: bool) -> Hashable:
        """Return what tells it from all others."""

    def is_known(self, kind: Kind, letters: bool) -> bool:
        """Whether it need not be drawn again."""
        ...

    def draw_anew(self, kind: Kind, letters: bool) -> bytes:
        """Return it as a file."""
        ...


class _Worker:
    """What a process was made with."""

    figures: Sequence[Drawable] = ()


def _draw(place: int, kind: Kind, letters: bool) -> bytes:
    return _Worker.figures[place].draw_anew(kind, letters)


@contextmanager
def drawn_beside(figures: Sequence[Drawable], kind: Kind, letters: bool, busy: bool) -> Iterator[None]:
    """Have figures drawn while what is under this goes on; they are given out by ``promised``.

    It is ``busy`` where it does as much itself, or else it mainly waits for them.

    The processes are copies of this one, since a figure is drawn by functions that cannot be sent. So this is done only where
    no other thread runs (a lock that one holds would stay locked in the copy), and where a copy is had at once. Copies load
    what draws by themselves, meanwhile.
    """
    new = [figure for figure in figures if not figure.is_known(kind, letters)]
    processors = os.cpu_count() or 1
    workers = min(processors - busy, MOST_WORKERS)
    if len(new) < FEWEST or processors < 2 or threading.active_count() > 1 or sys.platform != "linux":
        yield
        return
    from multiprocessing import get_context

    _Worker.figures = new
    with ProcessPoolExecutor(workers, mp_context=get_context("fork")) as pool:
        for place, figure in enumerate(new):
            _promised[figure.key(kind, letters)] = pool.submit(_draw, place, kind, letters)
        try:
            yield
        finally:
            _promised.clear()
            _Worker.figures = ()
            pool.shutdown(wait=False, cancel_futures=True)


def promised(key: Hashable) -> bytes | None:
    """Return what another process draws under a key, waiting for it; None where there is nothing, or it came to nothing."""
    future = _promised.get(key)
    if future is None or future.exception() is not None:
        return None
    return future.result()
