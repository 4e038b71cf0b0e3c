"""What a report is made of, whatever it is written as: headings, text, pairs, tables, figures and equations."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Protocol, TypeAlias

from vettore.core.typesetting.typeset import Box
from vettore.report.figures.paper import Kind
from vettore.report.notes import NoteBlock, note_blocks
from vettore.words.lines import Line


@dataclass(frozen=True)
class Number:
    """A number: its ``text`` as it reads, and its ``value`` in full for those who go on counting."""

    text: str
    value: float


# A cell is a text, a number, or a symbol to be typeset.
Cell: TypeAlias = str | Number | Box


def words_of(cell: str | Number) -> str:
    """Return what a cell without mathematics reads as."""
    return cell if isinstance(cell, str) else cell.text


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
    """Labels with their texts; short ones may stand in two columns. ``values`` are the numbers in full, where there are any."""

    lines: tuple[Line, ...]
    short: bool = False
    values: tuple[float | None, ...] = ()


@dataclass(frozen=True)
class Table:
    """Rows of cells under headings (or none); the columns whose places are in ``words`` hold text, the others numbers.

    ``matrix`` says that the table is a matrix, set in brackets. One with a ``caption`` is numbered.
    """

    headings: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    words: tuple[int, ...] = ()
    matrix: bool = False
    caption: str = ""


@dataclass(frozen=True)
class Equation:
    """An equation that stands by itself."""

    box: Box


class Drawing(Protocol):
    """Draws a figure; with ``letters`` its texts stay texts in an SVG, for a reader that has the typefaces."""

    def __call__(self, kind: Kind, letters: bool = False) -> bytes: ...


@dataclass(frozen=True, eq=False)
class Figure:
    """A figure that is drawn when it is needed, with the words under it; ``width`` and ``height`` in mm."""

    draw: Drawing
    caption: str
    width: float
    height: float


Block: TypeAlias = Heading | Paragraph | Pairs | Table | Equation | Figure | NoteBlock


@dataclass(frozen=True)
class Section:
    """Blocks under a title (blank for none); a ``whole`` one is not to be broken across pages."""

    key: str
    title: str
    blocks: tuple[Block, ...]
    whole: bool = True


@dataclass(frozen=True)
class Chapter:
    """Sections about one fit, or about the whole study, under a title (blank where there is one chapter)."""

    title: str
    sections: tuple[Section, ...]


@dataclass(frozen=True)
class Attachment:
    """A file that a report carries along."""

    name: str
    data: bytes


@dataclass(frozen=True)
class Document:
    """A report; sections that have nothing to say are left out.

    ``sheets`` are tables that only a spreadsheet has room for.
    """

    title: str
    subtitle: str
    note: str
    chapters: tuple[Chapter, ...]
    footer: str
    paper: str
    sheets: tuple[Section, ...] = ()
    attachment: Attachment | None = None
    # Whether the page is dark where its reader's screen is.
    dark: bool = False

    def alone(self, place: int) -> Document:
        """Return one chapter as a document: to look at it before all is printed."""
        first = place == 0
        words = self if first else replace(self, title="", subtitle="", note="")
        return replace(words, chapters=(self.chapters[place],), sheets=(), attachment=None)

    @property
    def note_blocks(self) -> tuple[NoteBlock, ...]:
        """The paragraphs and lists of the note."""
        return note_blocks(self.note)

    @property
    def sections(self) -> tuple[Section, ...]:
        """The sections of all chapters."""
        return tuple(section for chapter in self.chapters for section in chapter.sections)

    def section(self, key: str) -> Section | None:
        """Return a section by its key, or None where the report has none."""
        return next((section for section in self.sections if section.key == key), None)
