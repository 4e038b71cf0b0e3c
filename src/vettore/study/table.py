"""Columns as they came in: never changed, whatever the user decides about them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from vettore.core import cells
from vettore.core.arrays import Array
from vettore.core.rounding import read_number


@dataclass(frozen=True, eq=False)
class RawColumn:
    """One column as it came: numbers with NaN for blanks, and the cells that were words.

    ``texts`` is given instead for a column of text. ``words`` maps rows to cells that are not numbers
    (``n/a``, ``<LOD``); ``places`` is the number of decimal places it was written with; ``problem`` says why
    a worked column has no values.
    """

    name: str
    unit: str
    values: Array
    words: Mapping[int, str] = field(default_factory=dict)
    texts: tuple[str, ...] | None = None
    places: int | None = None
    problem: str = ""


@dataclass(frozen=True)
class Source:
    """Where a table came from and how it was read, as label–text pairs that can be shown.

    ``kind`` is "file", "typed", "pasted", "practice" or "made" (from another series); ``options`` hold what
    a reader needs to read the file in the same way again.
    """

    name: str
    path: str = ""
    digest: str = ""
    read_at: str = ""
    how: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()
    kind: str = "file"
    options: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Table:
    """Columns of equal length as they came in. Immutable: the arrays are locked.

    ``late_digest`` gives the digest of a long file, which is worked out while people already look at the points.
    """

    columns: tuple[RawColumn, ...]
    source: Source
    late_digest: Callable[[], str] | None = None

    def __post_init__(self) -> None:
        for column in self.columns:
            column.values.setflags(write=False)

    @property
    def rows(self) -> int:
        """The number of rows."""
        return len(self.columns[0].values) if self.columns else 0

    @cached_property
    def full_source(self) -> Source:
        """The source with its digest; waits for a digest that is still being worked out."""
        if self.late_digest is None:
            return self.source
        return replace(self.source, digest=self.late_digest())

    @cached_property
    def key(self) -> str:
        """A digest of the contents, for caches and for telling whether data changed."""
        digest = hashlib.blake2b(digest_size=16)
        for column in self.columns:
            digest.update(column.values.tobytes())
            if column.texts is not None:
                digest.update("\0".join(column.texts).encode())
        return digest.hexdigest()


def digest_of(columns: tuple[RawColumn, ...]) -> str:
    """Return a digest of the values and texts of columns."""
    digest = hashlib.blake2b(digest_size=16)
    for column in columns:
        digest.update(np.ascontiguousarray(column.values).data)
        if column.texts is not None:
            digest.update("\0".join(column.texts).encode())
    return digest.hexdigest()


# A column is numbers when at least this share of its cells that say anything are numbers.
NUMBER_SHARE = 0.5
# Rows looked at for the decimal places that a column is shown with.
PLACES_ROWS = 200


def column_from_texts(texts: Sequence[str], mark: str | None, name: str = "", unit: str = "") -> RawColumn:
    """Turn cells into numbers with blanks and words, or into text; ``mark`` None takes both decimal marks."""
    numbers = [cells.number(text, mark) if mark else read_number(text) for text in texts]
    good = sum(value is not None for value in numbers)
    saying = sum(not cells.is_blank(text) for text in texts)
    blank = np.full(len(texts), np.nan)
    words = {
        row: text for row, (text, value) in enumerate(zip(texts, numbers, strict=True)) if value is None and text
    }
    if good == 0 or good < NUMBER_SHARE * saying:
        if saying == 0:
            return RawColumn(name, unit, blank, words)
        return RawColumn(name, unit, blank, texts=tuple(texts))
    values = np.array([np.nan if value is None else value for value in numbers], dtype=np.float64)
    shown = [text for text, value in zip(texts[:PLACES_ROWS], numbers, strict=False) if value is not None]
    places = max(
        (cells.places(text.replace(",", ".") if not mark else text, mark or ".") for text in shown), default=0
    )
    return RawColumn(name, unit, values, words, places=places)


def cell_texts(column: RawColumn) -> list[str]:
    """Return the cells of a column as texts that read back as the same cells."""
    if column.texts is not None:
        return list(column.texts)
    texts = ["" if value != value else repr(value) for value in column.values.tolist()]
    for row, word in column.words.items():
        texts[row] = word
    return texts
