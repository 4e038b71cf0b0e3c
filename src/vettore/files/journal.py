"""The journal: every edit is on disk within a moment, so that a crash loses nothing.

A folder for each running window: ``lock`` (held while the window lives), ``tables/KEY.csv`` with its description
(written once for each table), and ``steps.log``, one line of JSON a step. A line counts only when it is whole,
so a crash in the middle of writing leaves the step before it.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import shutil
import threading
import uuid
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import msgspec

from vettore.files.refusals import FileError
from vettore.files.study_file import study_from_parts, study_record, table_csv
from vettore.files.whole import write_whole
from vettore.study.study import Study
from vettore.study.table import Table


@dataclass(frozen=True)
class Recovered:
    """A study found in the journal of a window that ended unexpectedly."""

    study: Study
    path: Path | None
    steps: int
    folder: Path


class Journal:
    """Writes the steps of one window. ``keep`` may be called from any thread."""

    def __init__(self, home: Path) -> None:
        self.folder = home / uuid.uuid4().hex
        (self.folder / "tables").mkdir(parents=True)
        self._lock_file = (self.folder / "lock").open("w")
        fcntl.flock(self._lock_file, fcntl.LOCK_EX)
        self._log = (self.folder / "steps.log").open("ab")
        self._guard = threading.Lock()
        self._written: set[str] = set()
        self._newest = 0

    def keep(self, number: int, study: Study, path: Path | None) -> None:
        """Write a step; an older one that comes late is passed over."""
        with self._guard:
            if number <= self._newest or self._log.closed:
                return
            for series in study.series:
                self._keep_table(series.table)
            record = study_record(study, lambda series: series.table.key)
            line = {"step": number, "path": str(path) if path else "", "study": msgspec.to_builtins(record)}
            self._log.write(json.dumps(line, ensure_ascii=False).encode() + b"\n")
            self._log.flush()
            os.fsync(self._log.fileno())
            self._newest = number

    def _keep_table(self, table: Table) -> None:
        if table.key not in self._written:
            write_whole(self.folder / "tables" / f"{table.key}.csv", table_csv(table).encode("utf-8"))
            self._written.add(table.key)

    def end(self) -> None:
        """The window closes in order: nothing needs to be recovered."""
        with self._guard:
            self._log.close()
            self._lock_file.close()
            shutil.rmtree(self.folder, ignore_errors=True)


def recover(home: Path) -> list[Recovered]:
    """Return the studies of windows that ended unexpectedly, the newest first; their folders stay until let go."""
    found = []
    folders = [folder for folder in home.glob("*") if folder.is_dir()] if home.is_dir() else []
    for folder in sorted(folders, key=lambda one: one.stat().st_mtime, reverse=True):
        if not _abandoned(folder):
            continue
        recovered = _last_whole_step(folder)
        if recovered is None:
            shutil.rmtree(folder, ignore_errors=True)
        else:
            found.append(recovered)
    return found


def let_go(recovered: Recovered) -> None:
    """Remove the journal of a study that has been recovered."""
    shutil.rmtree(recovered.folder, ignore_errors=True)


def _abandoned(folder: Path) -> bool:
    try:
        with (folder / "lock").open("r+") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return True
    except FileNotFoundError:
        return True
    except OSError:
        return False


def _table_text(tables: Path, key: str) -> str:
    return (tables / f"{key}.csv").read_bytes().decode("utf-8")


def _last_whole_step(folder: Path) -> Recovered | None:
    try:
        lines = (folder / "steps.log").read_bytes().split(b"\n")
    except OSError:
        return None
    for line in reversed(lines[:-1]):
        with contextlib.suppress(ValueError, KeyError, FileError, OSError, msgspec.MsgspecError):
            step = json.loads(line)
            study = study_from_parts(step["study"], partial(_table_text, folder / "tables"), "the journal")
            path = Path(step["path"]) if step["path"] else None
            return Recovered(study, path, int(step["step"]), folder)
    return None
