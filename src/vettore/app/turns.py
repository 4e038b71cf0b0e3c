"""The window goes first: what works beside it lets it have Python while it is busy.

Threads share Python's lock evenly, so that with three at work beside it the window would be four times as slow. Whether it is
busy is told by the processor time of its thread; a window that waits for what is worked out beside it uses none.
"""

from __future__ import annotations

import threading
import time

# Seconds between two looks, how long one look lasts while the window is busy, and the share of the time that makes it so.
APART, LOOK, BUSY = 0.004, 0.004, 0.1
# A turn of the window lasts so long at most; then those beside it go on for this share of what they waited.
LONGEST, FAIR = 0.5, 0.5


class Turns:
    """Called between two steps of work on any thread."""

    def __init__(self) -> None:
        self._window = threading.main_thread().ident
        self._clock = time.pthread_getcpuclockid(self._window or 0)
        self._mine = threading.local()

    def __call__(self) -> None:
        """Wait while the window is busy, for a fair while."""
        if threading.get_ident() == self._window:
            return
        now, used = time.monotonic(), time.clock_gettime(self._clock)
        before, used_before = getattr(self._mine, "looked", (-1.0, used))
        if now - before < APART:
            return
        if used - used_before > BUSY * (now - before) and before >= 0:
            now, used = self._wait(now)
        self._mine.looked = (now, used)

    def _wait(self, began: float) -> tuple[float, float]:
        while time.monotonic() - began < LONGEST:
            used, looked = time.clock_gettime(self._clock), time.monotonic()
            time.sleep(LOOK)
            if time.clock_gettime(self._clock) - used < BUSY * (time.monotonic() - looked):
                break
        waited = time.monotonic() - began
        # What lies ahead of now is not looked at.
        return time.monotonic() + FAIR * waited, time.clock_gettime(self._clock)
