"""What a report is made of, whatever it is written as: headings, text, pairs, tables, figures and equations."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import TypeAlias

from vettore.core.typeset import Box
from vettore.report.figures import Kind
from vettore.words.lines import Line

# A cell is a text, or a symbol to be typeset.
Cell: TypeAlias = str | Box


class Role(StrEnum):
    """What a paragraph is for, which a renderer may set differently."""

    PLAIN = ""
    SUMMARY = "summary"


@dataclass(frozen=True)
class Heading:
    """A heading inside a section."""

    text: str


@dataclass(frozen=True)
class Paragraph:
    """A running text."""

    text: str
    role: Role = Role.PLAIN


@dataclass(frozen=True)
class Pairs:
    """Labels with their texts; short ones may stand in two columns."""

    lines: tuple[Line, ...]
    short: bool = False


@dataclass(frozen=True)
class Table:
    """Rows of cells under headings (or none); the columns whose places are in ``words`` hold text, the others numbers.

    ``matrix`` says that the table is a matrix, set in brackets.
    """

    headings: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    words: tuple[int, ...] = ()
    matrix: bool = False


@dataclass(frozen=True)
class Equation:
    """An equation that stands by itself."""

    box: Box


@dataclass(frozen=True, eq=False)
class Figure:
    """A figure that is drawn when it is needed, as "svg", "pdf" or "png", with the words under it."""

    draw: Callable[[Kind], bytes]
    caption: str


Block: TypeAlias = Heading | Paragraph | Pairs | Table | Equation | Figure


@dataclass(frozen=True)
class Section:
    """Blocks under a title (blank for none); a ``whole`` one is not to be broken across pages."""

    key: str
    title: str
    blocks: tuple[Block, ...]
    whole: bool = True


@dataclass(frozen=True)
class Document:
    """A report; sections that have nothing to say are left out."""

    title: str
    subtitle: str
    note: str
    sections: tuple[Section, ...]
    footer: str
    paper: str

    def section(self, key: str) -> Section | None:
        """Return a section by its key, or None where the report has none."""
        return next((section for section in self.sections if section.key == key), None)
