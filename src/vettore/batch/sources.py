"""Which files are meant: files, folders, patterns, and lists of them."""

from __future__ import annotations

import glob
from collections.abc import Iterable, Iterator
from pathlib import Path

from vettore.core.errors import Fault, VettoreError
from vettore.files.readers import ENDINGS

# Endings by which a file of a folder is taken for data, those of packed texts among them.
PACKED = (".gz", ".xz", ".zst")


def files_of(given: Iterable[str], lines: Iterable[str] = ()) -> Iterator[Path]:
    """Give the files that are meant, each once, in the order given and sorted within a folder or a pattern.

    ``-`` stands for ``lines``, one file a line. A file that is named is given whether it is there or not, so that it can be
    said of it; a folder gives what it holds that may be data. Raises VettoreError for a pattern that matches nothing, or a
    folder without data.
    """
    seen: set[Path] = set()
    for text in _all(given, lines):
        for path in _meant(text):
            if path not in seen:
                seen.add(path)
                yield path


def _all(given: Iterable[str], lines: Iterable[str]) -> Iterator[str]:
    for text in given:
        if text == "-":
            yield from (line.rstrip("\r\n") for line in lines if line.strip())
        else:
            yield text


def _meant(text: str) -> list[Path]:
    path = Path(text)
    if path.is_dir():
        paths = sorted(inner for inner in path.rglob("*") if inner.is_file() and _may_be_data(inner))
        if not paths:
            raise VettoreError(f"The folder “{text}” holds no files of data.", Fault.NOTHING)
        return paths
    if not path.exists() and glob.has_magic(text):
        paths = sorted(Path(inner) for inner in glob.glob(text, recursive=True) if Path(inner).is_file())
        if not paths:
            raise VettoreError(f"No file matches “{text}”.", Fault.NOTHING)
        return paths
    return [path]


def _may_be_data(path: Path) -> bool:
    name = path.name.casefold()
    for packed in PACKED:
        name = name.removesuffix(packed)
    return not name.startswith(".") and name.rpartition(".")[2] in ENDINGS
