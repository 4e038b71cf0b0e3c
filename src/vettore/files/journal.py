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
from typing import IO

import msgspec

from vettore.core.errors import Fault
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
    """Writes the steps of one window. ``keep`` may be called from any thread.

    What cannot be written is refused in a sentence and leaves nothing torn behind: every step is the whole study, so the
    next one that can be written brings back all that was missed.
    """

    def __init__(self, home: Path) -> None:
        self.folder = home / uuid.uuid4().hex
        self._guard = threading.Lock()
        self._lock_file: IO[bytes] | None = None
        self._log: IO[bytes] | None = None
        self._ended = False
        self._written: set[str] = set()
        # Bytes of the log that are whole steps.
        self._whole = 0
        self._newest = 0
        # Why nothing can be written now, or "".
        self.problem = ""
        try:
            self._begin()
        except OSError as error:
            self.problem = self._refusal(error)

    def keep(self, number: int, study: Study, path: Path | None) -> None:
        """Write a step; an older one that comes late is passed over. Raises FileError when the place cannot be written."""
        with self._guard:
            if number <= self._newest or self._ended:
                return
            try:
                self._write(number, study, path)
            except (OSError, FileError) as error:
                self._mend()
                self.problem = self._refusal(error)
                raise FileError(self.problem, Fault.FILE_DAMAGED) from None
            self.problem = ""

    def _refusal(self, error: Exception) -> str:
        why = getattr(error, "strerror", None) or str(error)
        return (
            f"The journal of your work cannot be written in {self.folder.parent}: {why.rstrip('.')}. Nothing is lost while "
            "this window is open, but save often: after a crash only what was saved is there."
        )

    def _begin(self) -> None:
        """Make the folder with its lock and its log, anew when somebody took them away."""
        (self.folder / "tables").mkdir(parents=True, exist_ok=True)
        for old in (self._lock_file, self._log):
            if old is not None:
                old.close()
        self._lock_file = (self.folder / "lock").open("wb")
        fcntl.flock(self._lock_file, fcntl.LOCK_EX)
        # Without a buffer, so that nothing of a step that failed is left to be written later.
        self._log = (self.folder / "steps.log").open("a+b", buffering=0)
        self._whole = self._log.seek(0, os.SEEK_END)
        self._written = set()
        if self._whole and os.pread(self._log.fileno(), 1, self._whole - 1) != b"\n":
            # A step that could not be cut off: the next one begins a line of its own.
            self._whole += self._log.write(b"\n")

    def _write(self, number: int, study: Study, path: Path | None) -> None:
        if _is_gone(self._log, self.folder / "steps.log") or _is_gone(self._lock_file, self.folder / "lock"):
            self._begin()
        assert self._log is not None
        for series in study.series:
            self._keep_table(series.table)
        record = study_record(study, lambda series: series.table.key)
        step = {"step": number, "path": str(path) if path else "", "study": msgspec.to_builtins(record)}
        line = json.dumps(step, ensure_ascii=False).encode() + b"\n"
        left = memoryview(line)
        while left:
            left = left[self._log.write(left) :]
        os.fsync(self._log.fileno())
        self._whole += len(line)
        self._newest = number

    def _mend(self) -> None:
        """Cut off what was written of a step that failed; a log that cannot be mended is opened anew next time."""
        try:
            if self._log is not None:
                os.ftruncate(self._log.fileno(), self._whole)
        except OSError:
            if self._log is not None:
                self._log.close()

    def _keep_table(self, table: Table) -> None:
        path = self.folder / "tables" / f"{table.key}.csv"
        if table.key not in self._written or not path.exists():
            write_whole(path, table_csv(table).encode("utf-8"))
            self._written.add(table.key)

    def end(self) -> None:
        """The window closes in order: nothing needs to be recovered."""
        with self._guard:
            self._ended = True
            for file in (self._log, self._lock_file):
                if file is not None:
                    file.close()
            shutil.rmtree(self.folder, ignore_errors=True)


def recover(home: Path) -> list[Recovered]:
    """Return the studies of windows that ended unexpectedly, the newest first; their folders stay until let go."""
    result = []
    folders = [folder for folder in home.glob("*") if folder.is_dir()] if home.is_dir() else []
    for folder in sorted(folders, key=lambda path: path.stat().st_mtime, reverse=True):
        if not _abandoned(folder):
            continue
        recovered = _last_whole_step(folder)
        if recovered is None:
            shutil.rmtree(folder, ignore_errors=True)
        else:
            result.append(recovered)
    return result


def let_go(recovered: Recovered) -> None:
    """Remove the journal of a study that has been recovered."""
    shutil.rmtree(recovered.folder, ignore_errors=True)


def _is_gone(file: IO[bytes] | None, path: Path) -> bool:
    """Whether a file is not open, or no longer the one of its name: its folder was removed or moved."""
    try:
        return file is None or file.closed or not os.path.samestat(os.fstat(file.fileno()), path.stat())
    except OSError:
        return True


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
