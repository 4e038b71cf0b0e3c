"""Columns as they came in: never changed, whatever the user decides about them."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

import numpy as np

from vettore.core.arrays import LARGEST_WHOLE, Array
from vettore.core.cells import cells
from vettore.core.cells.number_marks import (
    Decided,
    Evidence,
    Marks,
    decide_together,
    doubtful,
    is_rounded,
    places_in,
    values_of,
)
from vettore.core.cells.texts import plain
from vettore.core.errors import name_rows
from vettore.core.rounding import read_number


@dataclass(frozen=True)
class Doubt:
    """A column whose cells allow two readings: ``mark`` was taken to group digits, or for the decimal mark.

    Exactly three digits stand behind the mark in every cell but those of the ``plain`` rows, which have none.
    """

    mark: str
    grouped: bool
    plain: tuple[int, ...] = ()

    def other_values(self, values: Array) -> Array:
        """Return the numbers under the other reading."""
        other = values / 1000 if self.grouped else np.round(values * 1000)
        other[list(self.plain)] = values[list(self.plain)]
        return other


@dataclass(frozen=True, eq=False)
class RawColumn:
    """One column as it came: numbers with NaN for blanks, and the cells that were words.

    ``texts`` is given instead for a column of text. ``words`` maps rows to cells that are not numbers
    (``n/a``, ``<LOD``); ``places`` is the number of decimal places it was written with; ``problem`` says why
    a worked column has no values. ``doubt`` tells of another reading of the cells, ``remarks`` what else is to be said.
    """

    name: str
    unit: str
    values: Array
    words: Mapping[int, str] = field(default_factory=dict)
    texts: tuple[str, ...] | None = None
    places: int | None = None
    problem: str = ""
    doubt: Doubt | None = None
    remarks: tuple[str, ...] = ()


SourceKind = Literal["file", "typed", "pasted", "practice", "made"]


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
    kind: SourceKind = "file"
    options: dict[str, str] = field(default_factory=dict)


# A longer name of a column, or unit, is shortened, and said to be: no window and no page could show it.
LONGEST_NAME = 1000


def shortened(name: str) -> str:
    """Return a name as it is kept: its beginning when it is far longer than names are."""
    return name if len(name) <= LONGEST_NAME else f"{name[: LONGEST_NAME - 1]}…"


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


def with_short_names(table: Table) -> Table:
    """Return a table whose names and units can be shown; the source tells where they were too long."""
    if any(plain(text) != text for column in table.columns for text in (column.name, column.unit)):
        table = _with_plain_names(table)
    if all(len(text) <= LONGEST_NAME for column in table.columns for text in (column.name, column.unit)):
        return table
    columns: list[RawColumn] = []
    notes = []
    for place, column in enumerate(table.columns):
        name = shortened(column.name)
        if name != column.name and any(name == other.name for other in columns):
            name = f"{name} {place + 1}"
        columns.append(replace(column, name=name, unit=shortened(column.unit)))
        longest = max(len(column.name), len(column.unit))
        if longest > LONGEST_NAME:
            notes.append(f"The name or unit of column {place + 1} had {longest:,} characters and was shortened.")
    source = replace(table.source, notes=(*table.source.notes, *notes))
    return replace(table, columns=tuple(columns), source=source)


def _with_plain_names(table: Table) -> Table:
    taken: set[str] = set()
    columns = []
    for place, column in enumerate(table.columns):
        name = plain(column.name).strip() or f"column {place + 1}"
        name = name if name not in taken else f"{name} {place + 1}"
        taken.add(name)
        columns.append(replace(column, name=name, unit=plain(column.unit).strip()))
    return replace(table, columns=tuple(columns))


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


def typed_column(texts: Sequence[str], name: str = "", unit: str = "") -> RawColumn:
    """Turn cells that a person typed, with either decimal mark, into numbers with blanks and words, or into text."""
    numbers = [read_number(text) for text in texts]
    values = np.array([np.nan if value is None else value for value in numbers], dtype=np.float64)
    wrong = [row for row, value in enumerate(numbers) if value is None and texts[row]]
    shown = [text.replace(",", ".") for text in texts[:PLACES_ROWS]]
    return _column(texts, values, wrong, shown, Marks(), name, unit)


def columns_from_cells(columns: Sequence[Sequence[str]], evidence: Evidence) -> list[RawColumn]:
    """Turn the cells of a file, column by column, into numbers with blanks and words, or into text.

    Decimal and grouping marks are decided from all cells together, see core.number_marks.
    """
    decided = decide_together(columns, evidence)
    votes = file_votes(decided, evidence)
    return [column_from_cells(texts, item, votes) for texts, item in zip(columns, decided, strict=True)]


def file_votes(decided: Sequence[Decided], evidence: Evidence) -> bool:
    """Whether a file shows its decimal mark, by its delimiter or in some column."""
    return evidence.decimal is not None or any(item.vote for item in decided)


def column_from_cells(texts: Sequence[str], decided: Decided, votes: bool) -> RawColumn:
    """Turn the cells of a column into numbers, or text, as was decided; ``votes`` is whether its file backs that."""
    marks = decided.marks
    values, wrong = values_of(texts, marks)
    column = _column(texts, values, wrong, texts[:PLACES_ROWS], marks, "", "")
    if column.texts is not None:
        return column
    if doubtful(decided, votes):
        mark = marks.group or marks.decimal
        plain = tuple(row for row, text in enumerate(texts) if mark not in text)
        column = replace(column, doubt=Doubt(mark, bool(marks.group), plain))
    large = [
        row + 1 for row in np.flatnonzero(np.abs(values) >= LARGEST_WHOLE).tolist() if is_rounded(texts[row], marks)
    ]
    if large:
        words = f"{name_rows(large).capitalize()} hold whole numbers of more digits than arithmetic has; they were rounded."
        column = replace(column, remarks=(words,))
    return column


def _column(
    texts: Sequence[str],
    values: Array,
    wrong: Sequence[int],
    shown: Sequence[str],
    marks: Marks,
    name: str,
    unit: str,
) -> RawColumn:
    words = {row: texts[row] for row in wrong}
    good = int(np.isfinite(values).sum())
    saying = good + sum(not cells.is_blank(texts[row]) for row in wrong)
    if good == 0 or good < NUMBER_SHARE * saying:
        blank = np.full(len(texts), np.nan)
        return (
            RawColumn(name, unit, blank, words) if saying == 0 else RawColumn(name, unit, blank, texts=tuple(texts))
        )
    places = max((places_in(text, marks) for row, text in enumerate(shown) if np.isfinite(values[row])), default=0)
    return RawColumn(name, unit, values, words, places=places)


def cell_texts(column: RawColumn) -> list[str]:
    """Return the cells of a column as texts that read back as the same cells."""
    if column.texts is not None:
        return list(column.texts)
    texts = ["" if value != value else repr(value) for value in column.values.tolist()]
    for row, word in column.words.items():
        texts[row] = word
    return texts
