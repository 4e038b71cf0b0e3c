"""Typefaces for figures: those of the house, and any on this machine for letters that they lack."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Any

from vettore.look.theme import FONT_FILES, FONT_FOLDER

# What Matplotlib says of a letter that none of the typefaces has.
LACKING = re.compile(r"Glyph (\d+) ")
# The weight of type that runs on, from 100 to 900.
PLAIN = 400
_others: list[str] = []
_looked_for: set[str] = set()


@cache
def matplotlib() -> Any:
    """Return Matplotlib with the typefaces of the house."""
    import matplotlib.figure
    from matplotlib import font_manager

    for name in FONT_FILES:
        font_manager.fontManager.addfont(FONT_FOLDER / name)
    return matplotlib


def families(first: str) -> list[str]:
    """Return a typeface and those that stand in for it where it lacks a letter."""
    return [first, *_others]


@contextmanager
def lacking() -> Iterator[set[str]]:
    """Give a set that holds, after something was drawn under this, the letters that no typeface in use has."""
    letters: set[str] = set()
    with warnings.catch_warnings(record=True) as warning_messages:
        warnings.simplefilter("always")
        yield letters
    for warning_message in warning_messages:
        match = LACKING.match(str(warning_message.message))
        if match is None:
            warnings.warn_explicit(
                warning_message.message, warning_message.category, warning_message.filename, warning_message.lineno
            )
        else:
            letters.add(chr(int(match.group(1))))


def find_others(letters: set[str]) -> bool:
    """Look on this machine for typefaces that have some letters; whether there are any. What was looked for once is known."""
    from matplotlib import font_manager
    from matplotlib.ft2font import FT2Font

    wanted = letters - _looked_for
    _looked_for.update(wanted)
    before = len(_others)
    entries = font_manager.fontManager.ttflist if wanted else ()
    for entry in sorted(entries, key=lambda entry: (entry.style != "normal", _away(entry.weight), entry.name)):
        if not wanted:
            break
        if entry.name in _others:
            continue
        try:
            font = FT2Font(entry.fname)
            has = {letter for letter in wanted if font.get_char_index(ord(letter))}
        except (OSError, RuntimeError):
            # A file that is gone, or none that can be read, is no typeface.
            continue
        if has:
            _others.append(entry.name)
            wanted -= has
    return len(_others) > before


def _away(weight: Any) -> float:
    return (
        abs(weight - PLAIN) if isinstance(weight, (int, float)) else 0.0 if weight in ("normal", "regular") else PLAIN
    )
