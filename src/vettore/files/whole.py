"""Write a file whole or not at all.

The bytes go to a new file in the same folder, are forced to the disk, and take the old file's name in a
single step of the file system. A crash at any moment leaves either the old file or the new one.
"""

from __future__ import annotations

import contextlib
import glob
import os
import time
import uuid
from pathlib import Path

from vettore.core.errors import Fault
from vettore.files.refusals import FileError

# A name that only files under way have, and for how long nobody else takes such a file for a leftover, in seconds.
UNDER_WAY = ".{name}.{mark}.part"
LEFT_OVER_AFTER = 60


def write_whole(path: Path, data: bytes, make_folder: bool = False) -> None:
    """Replace a file by ``data``. Raises FileError in a sentence when the place cannot be written."""
    _sweep(path)
    temporary = path.with_name(UNDER_WAY.format(name=path.name, mark=uuid.uuid4().hex[:8]))
    try:
        if make_folder:
            path.parent.mkdir(parents=True, exist_ok=True)
        mode = path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask()
        _write(temporary, data, mode)
        os.replace(temporary, path)
    except OSError as error:
        with contextlib.suppress(OSError):
            temporary.unlink()
        why = error.strerror or str(error)
        raise FileError(
            f"“{path.name}” could not be saved in {path.parent}: {why}. Save it in another place.", Fault.CANNOT_WRITE
        ) from None
    _sync_folder(path.parent)


def _write(path: Path, data: bytes, mode: int) -> None:
    """Write a new file, which has no name until it is whole where the file system can do that: a crash leaves nothing."""
    try:
        handle = os.open(path.parent, os.O_WRONLY | os.O_TMPFILE, mode)
    except OSError:
        _fill(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), data, mode, None)
    else:
        _fill(handle, data, mode, path)


def _fill(handle: int, data: bytes, mode: int, name: Path | None) -> None:
    """Write a file, force it to the disk, and give it a name that it had not."""
    with os.fdopen(handle, "wb") as out:
        out.write(data)
        out.flush()
        os.fchmod(out.fileno(), mode)
        os.fsync(out.fileno())
        if name is not None:
            # The folder is of no account for a path from the root, but makes the link one to the file behind it.
            os.link(f"/proc/self/fd/{out.fileno()}", name, src_dir_fd=out.fileno())


def _sweep(path: Path) -> None:
    """Take away what a crash in the middle of writing this file left beside it."""
    with contextlib.suppress(OSError):
        for old in path.parent.glob(UNDER_WAY.format(name=glob.escape(path.name), mark="*")):
            with contextlib.suppress(OSError):
                if time.time() - old.stat().st_mtime > LEFT_OVER_AFTER:
                    old.unlink()


def stamp_of(path: Path) -> tuple[int, int] | None:
    """Return what changes when a file does, its time and size; None where there is none."""
    try:
        stat_result = path.stat()
    except OSError:
        return None
    return stat_result.st_mtime_ns, stat_result.st_size


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
