"""Work in the background: a frozen request goes out, a result comes back, stale results are dropped.

Searches take turns: two at once would only pass Python's lock to and fro, and keep the window from getting it.
"""

from __future__ import annotations

import sys
import time
import traceback
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QRunnable, Qt, QThreadPool, QTimer, Signal

from vettore.app.turns import Turns
from vettore.core.errors import VettoreError
from vettore.core.pauses import pause_by

Done = Callable[[Any], None]
Failed = Callable[[str], None]


# What keeps Python busy rather than a disk or NumPy.
SEARCHES = frozenset({"fit", "line-up", "several", "tray", "compare", "without", "methods", "equations", "schemes"})


# Seconds for which a search that was asked for leaves Python to the window, which first paints what it was given.
BREATH = 0.04
# The share of that between the parts of a search, when little is to be painted.
BETWEEN = 0.2


def breathe(between: bool = False) -> None:
    """Leave Python to the window for a moment, before a search, or ``between`` its parts."""
    time.sleep(BREATH * BETWEEN if between else BREATH)


class _Messenger(QObject):
    finished = Signal(str, int, object, str)


class _Task(QRunnable):
    def __init__(
        self, key: str, number: int, job: Callable[[], Any], messenger: _Messenger, wanted: Callable[[], bool]
    ) -> None:
        super().__init__()
        self._parts = (key, number, job, messenger, wanted)

    def run(self) -> None:
        key, number, job, messenger, wanted = self._parts
        try:
            # What was asked anew while it waited need not be done.
            result, sentence = job() if wanted() else None, ""
        except VettoreError as error:
            result, sentence = None, str(error)
        except BaseException as error:  # a fault, ours or a reader's, must not end the program or vanish
            traceback.print_exc(file=sys.stderr)
            result, sentence = None, f"Something went wrong inside Vettore ({type(error).__name__}: {error})."
        # What is no text cannot be sent as one.
        text = sentence.encode("utf-8", "replace").decode("utf-8")
        messenger.finished.emit(key, number, result, text)


class Background(QObject):
    """Runs jobs on other threads; a newer job under the same key makes the older one's result void."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._searches, self._others = QThreadPool(self), QThreadPool(self)
        self._searches.setMaxThreadCount(1)
        self._others.setMaxThreadCount(2)
        # A thread that waits for Python's lock gets it after a millisecond, not after five: hands before figures.
        sys.setswitchinterval(0.001)
        pause_by(Turns())
        self._messenger = _Messenger()
        self._messenger.finished.connect(self._deliver, Qt.ConnectionType.QueuedConnection)
        self._newest: dict[str, int] = {}
        self._waiting: dict[tuple[str, int], tuple[Done, Failed]] = {}
        self._timers: dict[str, QTimer] = {}
        self._count = 0

    def run(self, key: str, job: Callable[[], Any], done: Done, failed: Failed, priority: int = 0) -> None:
        """Do ``job`` elsewhere, then call ``done`` with its result or ``failed`` with a sentence, here."""
        self._count += 1
        self._newest[key] = self._count
        self._waiting[key, self._count] = (done, failed)
        number, pool = self._count, self._searches if key in SEARCHES else self._others
        task = _Task(key, number, job, self._messenger, lambda: self._newest.get(key) == number)
        pool.start(task, priority)

    def when_calm(self, key: str, milliseconds: int, begin: Callable[[], object]) -> None:
        """Begin something once it has not been asked for again for so long."""
        timer = self._timers.pop(key, None)
        if timer is not None:
            timer.stop()
            timer.deleteLater()
        self._timers[key] = timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(lambda: (self._timers.pop(key, None), begin()))
        timer.start(milliseconds)

    def drop(self, key: str) -> None:
        """Forget what was asked under a key: its result will be void."""
        self._count += 1
        self._newest[key] = self._count
        self._waiting = {pair: done for pair, done in self._waiting.items() if pair[0] != key}

    @property
    def busy(self) -> bool:
        """Whether a result is still awaited."""
        return bool(self._waiting or self._timers)

    def stop(self) -> None:
        """Drop what has not begun and wait for the rest."""
        for timer in self._timers.values():
            timer.stop()
        self._timers.clear()
        for pool in (self._searches, self._others):
            pool.clear()
            pool.waitForDone()
        self._waiting.clear()

    def _deliver(self, key: str, number: int, result: object, sentence: str) -> None:
        done, failed = self._waiting.pop((key, number), (None, None))
        if done is None or failed is None or self._newest.get(key) != number:
            return
        if sentence:
            failed(sentence)
        else:
            done(result)
