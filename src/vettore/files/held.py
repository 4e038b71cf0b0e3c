"""Who has a study open: a lock beside its file, which the end of its window, in order or not, sets free.

The lock is the system's (``flock``) on a hidden file beside the study; the file says who holds it. What a crash leaves
behind is a file without a lock, which the next window takes over. Where no file can be made (a folder that may only be
read, a file system without locks) nothing is held, and saving still looks whether the study changed.
"""

from __future__ import annotations

import contextlib
import fcntl
import getpass
import json
import os
import socket
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import IO


@dataclass(frozen=True)
class Holder:
    """Who has a study open, on which machine, since when; texts, empty where unknown."""

    user: str = ""
    machine: str = ""
    since: str = ""


class Hold:
    """A study that is open here. ``other`` is who has it open besides, or None."""

    def __init__(self, path: Path) -> None:
        self._path = path.with_name(f".{path.name}.open")
        self._file: IO[bytes] | None = None
        self.other: Holder | None = None
        self.try_again()

    def try_again(self) -> Holder | None:
        """Take the lock if nobody else has it any more; return who has."""
        if self._file is None:
            self.other = None
            with contextlib.suppress(OSError):
                self._take()
        return self.other

    def _take(self) -> None:
        file = os.fdopen(os.open(self._path, os.O_RDWR | os.O_CREAT, 0o666), "r+b", buffering=0)
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self.other = _who(file.read(4096))
            file.close()
            return
        except OSError:
            file.close()
            return
        if not self._path.exists() or not os.path.samestat(os.fstat(file.fileno()), self._path.stat()):
            # Whoever had it closed in this moment, and took the file along.
            file.close()
            self._take()
            return
        file.truncate(0)
        by_name = {
            "user": _user(),
            "machine": socket.gethostname(),
            "since": datetime.now().isoformat(" ", "minutes"),
        }
        file.write(json.dumps(by_name).encode())
        self._file = file

    def let_go(self) -> None:
        """The study is no longer open here."""
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._path.unlink()
            self._file.close()
            self._file = None


def _who(data: bytes) -> Holder:
    try:
        answer = json.loads(data)
        return Holder(*(str(answer[name])[:80] for name in ("user", "machine", "since")))
    except (ValueError, KeyError, TypeError):
        return Holder()


def _user() -> str:
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return ""
