"""Write a file whole or not at all.

The bytes go to a new file in the same folder, are forced to the disk, and take the old file's name in a
single step of the file system. A crash at any moment leaves either the old file or the new one.
"""

from __future__ import annotations

import contextlib
import os
import tempfile
from pathlib import Path

from vettore.files.refusals import FileError


def write_whole(path: Path, data: bytes) -> None:
    """Replace a file by ``data``. Raises FileError in a sentence when the place cannot be written."""
    temporary = ""
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as out:
            out.write(data)
            out.flush()
            os.fsync(out.fileno())
        os.chmod(temporary, path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask())
        os.replace(temporary, path)
    except OSError as error:
        with contextlib.suppress(OSError):
            os.unlink(temporary)
        why = error.strerror or str(error)
        raise FileError(
            f"“{path.name}” could not be saved in {path.parent}: {why}. Save it in another place."
        ) from None
    _sync_folder(path.parent)


def stamp_of(path: Path) -> tuple[int, int] | None:
    """Return what changes when a file does, its time and size; None where there is none."""
    try:
        told = path.stat()
    except OSError:
        return None
    return told.st_mtime_ns, told.st_size


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _sync_folder(folder: Path) -> None:
    """Make the replacement itself durable where the file system allows it."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
