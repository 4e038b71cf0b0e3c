"""What is said when a file cannot be read or written."""

from __future__ import annotations

from pathlib import Path

from vettore.core.cells.texts import plain
from vettore.core.errors import Fault, VettoreError


class FileError(VettoreError):
    """A file cannot be read or written; the message says why and what to do."""


# More columns than this are no table of measurements, and would only be waited for.
MOST_COLUMNS = 5000


def check_columns(count: int, name: str) -> None:
    """Refuse a table that is too wide."""
    if count > MOST_COLUMNS:
        raise FileError(
            f"“{name}” has {count:,} columns; the most is {MOST_COLUMNS:,}. Cut it down first.", Fault.TOO_MANY
        )


def shown_name(path: Path) -> str:
    """Return a file's name as text that can be shown and saved: what is not UTF-8 in it becomes a question mark."""
    return plain(path.name.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))


def shown_path(path: Path) -> str:
    """Return a file's whole path as such a text."""
    return plain(str(path.resolve()).encode("utf-8", "surrogateescape").decode("utf-8", "replace"))


def check_regular(path: Path) -> None:
    """Refuse a pipe, which would be waited for, and a device, which has no end."""
    if path.exists() and not path.is_file() and not path.is_dir():
        raise FileError(
            f"“{shown_name(path)}” is no file, but a pipe or a device. Save what it gives as a file first.",
            Fault.FILE_KIND,
        )


def read_bytes(path: Path) -> bytes:
    """Return the contents of a file. Raises FileError in a sentence."""
    name = shown_name(path)
    try:
        if path.is_dir():
            raise FileError(f"“{name}” is a folder. Choose a file in it.", Fault.FILE_KIND)
        check_regular(path)
        return path.read_bytes()
    except FileNotFoundError:
        raise FileError(
            f"“{name}” is not in {shown_path(path.absolute().parent)} (any more). Check the name or the place.",
            Fault.FILE_MISSING,
        ) from None
    except PermissionError:
        raise FileError(
            f"“{name}” may not be read by you. Ask its owner, or copy it to your own folder.", Fault.FILE_PROTECTED
        ) from None
    except OSError as error:
        raise FileError(f"“{name}” could not be read: {error.strerror or error}.", Fault.FILE_DAMAGED) from None
