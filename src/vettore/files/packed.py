"""Packed files: .gz, .bz2 and .xz, unpacked within a limit."""

from __future__ import annotations

import bz2
import gzip
import io
import lzma
import zlib
from collections.abc import Callable
from typing import IO, Any

from vettore.core.errors import Fault
from vettore.files.refusals import FileError

# How packed data begin, how they are opened, and the ending that their name has.
PACKED: tuple[tuple[bytes, Callable[[IO[bytes]], Any], str], ...] = (
    (b"\x1f\x8b", gzip.open, ".gz"),
    (b"BZh", bz2.open, ".bz2"),
    (b"\xfd7zXZ\x00", lzma.open, ".xz"),
)
ZSTANDARD = b"\x28\xb5\x2f\xfd"
# A packed file may be this large when it is unpacked.
MOST_UNPACKED = 1024**3
BLOCK = 1024**2


def is_packed(data: bytes) -> bool:
    """Whether data begin as packed ones do."""
    return data.startswith((*(begins for begins, _, _ in PACKED), ZSTANDARD))


def unpacked(data: bytes, name: str) -> tuple[bytes, str]:
    """Return what packed data hold and the name without its last ending; other data as they are.

    Raises FileError for damaged ones, and for those that unpack to more than a gigabyte.
    """
    if data.startswith(ZSTANDARD):
        raise FileError(
            f"“{name}” is packed as .zst, which is not read here. Unpack it first, as with unzstd.", Fault.FILE_KIND
        )
    for begins, opened, ending in PACKED:
        if data.startswith(begins):
            return _read(opened(io.BytesIO(data)), name), name.removesuffix(ending)
    return data, name


def _read(file: IO[bytes], name: str) -> bytes:
    parts, size = [], 0
    try:
        with file:
            while block := file.read(BLOCK):
                size += len(block)
                if size > MOST_UNPACKED:
                    raise FileError(
                        f"“{name}” unpacks to more than {MOST_UNPACKED // 1024**3} GB. Unpack it and cut it down.",
                        Fault.TOO_MANY,
                    )
                parts.append(block)
    except (OSError, EOFError, lzma.LZMAError, zlib.error):
        raise FileError(
            f"“{name}” is packed, but damaged: it cannot be unpacked. Copy it from where it came from again.",
            Fault.FILE_DAMAGED,
        ) from None
    return b"".join(parts)
