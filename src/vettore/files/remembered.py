"""How a file was read differently is remembered for files that look the same: same header, same guess."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from pathlib import Path
from typing import Any

from vettore.files.refusals import FileError
from vettore.files.sniff import Layout, lines_of
from vettore.files.whole import write_whole

MOST_REMEMBERED = 200


def signature(head: str, layout: Layout) -> str:
    """Return what two files must share to look the same: their first lines up to the first row, and the guess."""
    first = lines_of(head)[: max(layout.first_row, 1)]
    # Digits differ from file to file (dates, serial numbers); words do not.
    words = ["".join("0" if c.isdecimal() else c for c in line) for line in first]
    text = json.dumps([words, layout.delimiter, layout.decimal_mark, layout.columns])
    return hashlib.sha256(text.encode()).hexdigest()[:24]


def remember(store: Path, key: str, layout: Layout) -> None:
    """Keep a layout for files with this signature."""
    kept = _load(store)
    kept.pop(key, None)
    kept[key] = asdict(layout)
    while len(kept) > MOST_REMEMBERED:
        kept.pop(next(iter(kept)))
    write_whole(store, json.dumps(kept, indent=1).encode(), make_folder=True)


def recall(store: Path, key: str) -> Layout | None:
    """Return the layout kept for this signature, or None."""
    by_name = _load(store).get(key)
    try:
        return Layout(**by_name) if by_name else None
    except TypeError:
        return None


def as_before(store: Path, layout: Layout, head: str) -> Layout:
    """Return the layout that was chosen before for texts that look the same, or the guessed one."""
    return recall(store, signature(head, layout)) or layout


def _load(store: Path) -> dict[str, dict[str, Any]]:
    try:
        kept = json.loads(store.read_text("utf-8"))
        return kept if isinstance(kept, dict) else {}
    except (OSError, ValueError, FileError):
        return {}
