"""Files that an instrument is still writing: new rows come in as they are written, and all that rests on them follows."""

from __future__ import annotations

import time
from dataclasses import dataclass
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Protocol

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from vettore.app.places import places
from vettore.app.work import Background
from vettore.core.remarks import counted
from vettore.files.whole import stamp_of
from vettore.study.series import Series
from vettore.study.study import Study
from vettore.study.table import Table

# A file is read once in so many milliseconds at most.
PAUSE = 1000


@dataclass
class Followed:
    """A series that is followed: its file, since when (as words), the rows that came in, the file as it was read last."""

    path: Path
    since: str
    rows: int = 0
    stamp: tuple[int, int] | None = None


class Growing(Protocol):
    """What of a session grows with its files."""

    background: Background

    @property
    def study(self) -> Study:
        """The study as it is."""
        ...

    def grow(self, series: Series, table: Table) -> None:
        """Take rows that were added to a series."""

    def say(self, text: str, kind: str = "") -> None:
        """Say something in passing."""


class Follower(QObject):
    """Watches files for one session. ``changed`` tells that a series is followed, or no longer."""

    changed = Signal()

    def __init__(self, session: Growing, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._followed: dict[str, Followed] = {}
        self._watcher = QFileSystemWatcher(self)
        self._watcher.fileChanged.connect(lambda _path: self._look_soon())
        self._last = 0.0
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._look)

    def can_follow(self, series: Series) -> bool:
        """Whether the rows of a series come from a file that can be watched."""
        return series.table.source.kind == "file" and bool(series.table.source.path)

    def words(self, series: str) -> str:
        """Say since when a series is followed and what came in; empty for one that is not."""
        followed = self._followed.get(series)
        return "" if followed is None else f"since {followed.since}, {counted(followed.rows, 'row')} more"

    def turn(self, series: Series) -> None:
        """Follow the file of a series, or no longer."""
        if series.id in self._followed:
            self._let_go(series.id)
            return
        path = Path(series.table.source.path)
        self._followed[series.id] = Followed(path, datetime.now().strftime("%H:%M"))
        self._watcher.addPath(str(path))
        self.changed.emit()
        # What was written since it was read.
        self._look_soon()

    def stop(self) -> None:
        """Follow nothing any more."""
        self._soon.stop()
        for series in list(self._followed):
            self._let_go(series)

    def _let_go(self, series: str) -> None:
        missing = self._followed.pop(series)
        if all(followed.path != missing.path for followed in self._followed.values()):
            self._watcher.removePath(str(missing.path))
        self.changed.emit()

    def _look_soon(self) -> None:
        if not self._soon.isActive():
            passed = (time.monotonic() - self._last) * 1000
            self._soon.start(max(0, int(PAUSE - passed)))

    def _look(self) -> None:
        """Read what has changed; a file that was put in the place of another is watched anew."""
        self._last = time.monotonic()
        known = {series.id for series in self._session.study.series}
        for identity, followed in list(self._followed.items()):
            if identity not in known:
                self._let_go(identity)
                continue
            if str(followed.path) not in self._watcher.files():
                self._watcher.addPath(str(followed.path))
            stamp = stamp_of(followed.path)
            if stamp != followed.stamp:
                followed.stamp = stamp
                self._read(identity, followed)

    def _read(self, series: str, followed: Followed) -> None:
        self._session.background.run(
            f"follow {series}",
            lambda: _rows(followed.path),
            lambda table: self._take(series, followed, table),
            lambda sentence: self._give_up(series, sentence),
        )

    def _take(self, identity: str, followed: Followed, table: Table) -> None:
        from vettore.files.growing import only_grew

        series = next((series for series in self._session.study.series if series.id == identity), None)
        if series is None or self._followed.get(identity) is not followed:
            return
        if not only_grew(series.table, table):
            self._give_up(
                identity,
                f"{followed.path.name} no longer begins with the rows that were read, so it is not followed any more. "
                "Read it again with F5.",
            )
            return
        more = table.rows - series.table.rows
        if more:
            followed.rows += more
            self._session.grow(series, table)
            self.changed.emit()
        if stamp_of(followed.path) != followed.stamp:
            # More was written while it was read.
            self._look_soon()

    def _give_up(self, series: str, sentence: str) -> None:
        if series in self._followed:
            self._let_go(series)
        self._session.say(sentence, "bad")


def _rows(path: Path) -> Table:
    from vettore.files.growing import rows_so_far
    from vettore.files.remembered import as_before

    return rows_so_far(path, partial(as_before, places().remembered))
