"""One memory of what was worked out, by what it depends on: fits, curves through points, areas."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Sized
from typing import Any, TypeVar

from vettore.study.series import Series

Result = TypeVar("Result")
# Results that are kept, and rows that they may have together; the one used longest ago goes first.
MOST_KEPT, MOST_ROWS = 512, 12_000_000


class Memory:
    """Results by key. What is worked out on one thread is waited for on another, not worked out twice."""

    def __init__(self, most: int = MOST_KEPT, most_rows: int = MOST_ROWS) -> None:
        self._most, self._most_rows, self._rows = most, most_rows, 0
        self._results: OrderedDict[Hashable, Any] = OrderedDict()
        self._going_on: dict[Hashable, threading.Event] = {}
        self._lock = threading.Lock()

    def recall(self, key: Hashable) -> Any | None:
        """Return a result that is at hand, or None."""
        with self._lock:
            result = self._results.get(key)
            if result is not None:
                self._results.move_to_end(key)
            return result

    def keep(self, key: Hashable, result: object) -> None:
        """Keep a result, the last one however large it is."""
        with self._lock:
            self._rows += _rows_of(result) - _rows_of(self._results.pop(key, None))
            self._results[key] = result
            while len(self._results) > 1 and (len(self._results) > self._most or self._rows > self._most_rows):
                self._rows -= _rows_of(self._results.popitem(last=False)[1])

    def derive(
        self,
        key: Hashable,
        work: Callable[[], Result],
        *,
        wait: bool = True,
        whole: Callable[[Result], bool] = lambda result: True,
    ) -> Result:
        """Return a result that is at hand, or work it out and keep it if it is ``whole``.

        One that is being worked out elsewhere is waited for, unless told not to ``wait``: it may be given up there.
        """
        result: Result | None = self.recall(key)
        if result is not None:
            return result
        with self._lock:
            other = self._going_on.get(key)
            mine = self._going_on.setdefault(key, threading.Event()) if other is None else None
        if other is not None and wait:
            other.wait()
            result = self.recall(key)
            if result is not None:
                return result
        try:
            value = work()
            if whole(value):
                self.keep(key, value)
            return value
        finally:
            if mine is not None:
                with self._lock:
                    self._going_on.pop(key, None)
                mine.set()


def _rows_of(result: object) -> int:
    """Return how many rows a result rests on, and holds something of for each."""
    x = getattr(result, "x", ())
    return len(x) if isinstance(x, Sized) else 0


MEMORY = Memory()


def content_of(series: Series) -> Hashable:
    """Return all of a series that a number can depend on; units are words beside it."""
    return (
        series.key,
        tuple((column.name, column.role) for column in series.columns),
        series.error_of_y,
        series.set_aside,
    )
