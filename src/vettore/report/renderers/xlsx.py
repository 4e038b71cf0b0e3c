"""A report as a workbook: a sheet for each section, tables as tables, numbers as numbers in full."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from vettore.core.typesetting.markup import NO_XML, to_line
from vettore.core.typesetting.typeset import Box
from vettore.report.blocks import (
    Block,
    Cell,
    Document,
    Equation,
    Figure,
    Heading,
    Number,
    Pairs,
    Paragraph,
    Section,
    Table,
)
from vettore.report.figures.paper import MM
from vettore.report.notes import NoteBlock

if TYPE_CHECKING:
    from openpyxl.worksheet.worksheet import Worksheet

# What a sheet's name may not hold, and how long it may be.
FORBIDDEN, LONGEST_NAME = re.compile(r"[\\/*?:\[\]]"), 31
# A cell holds no more characters; longer texts go on in the cells beneath.
LONGEST_TEXT = 32_000
WIDEST = 60
# Figures in a workbook are as wide as this many millimetres.
FIGURE_MM = 120.0


def xlsx(document: Document) -> bytes:
    """Return the report as an .xlsx file."""
    from openpyxl import Workbook

    book = Workbook()
    first = book.active
    assert first is not None
    first.title = "Report"
    page = _Page(first)
    for text in (document.title, document.subtitle, document.note, document.footer):
        page.write([text], bold=text == document.title)
    for chapter in document.chapters:
        for section in chapter.sections:
            _add(book, section, chapter.title)
    for section in document.sheets:
        _add(book, section, "")
    book.properties.title = _clean(document.title)
    book.properties.creator = "Vettore"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _add(book: Any, section: Section, chapter: str) -> None:
    name = section.title or section.key.capitalize()
    page = _Page(book.create_sheet(_sheet_name(name, book.sheetnames)))
    if chapter:
        page.write([chapter], bold=True)
    for block in section.blocks:
        page.add(block)
    page.widen()


def _sheet_name(name: str, taken: Iterable[str]) -> str:
    plain = FORBIDDEN.sub(" ", _clean(name)).strip("' ")[:LONGEST_NAME] or "Sheet"
    there = {other.casefold() for other in taken}
    text, number = plain, 2
    while text.casefold() in there:
        ending = f" {number}"
        text, number = plain[: LONGEST_NAME - len(ending)] + ending, number + 1
    return text


class _Page:
    """A sheet that is written line by line."""

    def __init__(self, sheet: Worksheet) -> None:
        self._sheet = sheet
        self._line = 0
        self._widths: dict[int, int] = {}

    def add(self, block: Block) -> None:
        """Write a block, and a blank line."""
        match block:
            case Heading(text):
                self.write([text], bold=True)
                return
            case Paragraph(text):
                self.write([text])
            case Pairs(lines):
                values = block.values or (None,) * len(lines)
                for line, value in zip(lines, values, strict=True):
                    self.write([line.label, line.text, *([] if value is None else [Number("", value)])])
            case NoteBlock(paragraphs):
                for spans in paragraphs:
                    self.write(["".join(span.text for span in spans)])
            case Equation(box):
                self.write([box])
            case Table(headings, rows):
                if block.caption:
                    self.write([block.caption])
                if headings:
                    self.write(headings, bold=True)
                for row in rows:
                    self.write(row)
            case Figure():
                self._draw(block)
        self._line += 1

    def write(self, cells: Iterable[Cell], bold: bool = False) -> None:
        """Write a line: numbers as numbers, all else as text that no program runs."""
        from openpyxl.styles import Font

        self._line += 1
        last = self._line
        for place, content in enumerate(cells, 1):
            if isinstance(content, Number):
                # The library would round to 16 digits, and the last bit would be lost.
                self._sheet.cell(self._line, place, repr(float(content.value))).data_type = "n"
                self._widths[place] = max(self._widths.get(place, 0), 12)
                continue
            text = _clean(to_line(content) if isinstance(content, Box) else content)
            for below, start in enumerate(range(0, max(len(text), 1), LONGEST_TEXT)):
                cell = self._sheet.cell(self._line + below, place, text[start : start + LONGEST_TEXT])
                # A text that begins like a formula stays one.
                cell.data_type = "s"
                cell.font = Font(bold=bold)
                last = max(last, self._line + below)
            if place > 1 or bold:
                self._widths[place] = max(self._widths.get(place, 0), min(len(text) + 2, WIDEST))
        self._line = last

    def widen(self) -> None:
        """Give columns the width of what stands in them."""
        from openpyxl.utils import get_column_letter

        for place, width in self._widths.items():
            self._sheet.column_dimensions[get_column_letter(place)].width = max(width, 10)

    def _draw(self, block: Figure) -> None:
        from openpyxl.drawing.image import Image

        picture = Image(io.BytesIO(block.draw("png")))
        width = FIGURE_MM * MM * 96
        height = picture.height * width / picture.width
        picture.width, picture.height = width, height
        self._sheet.add_image(picture, f"A{self._line + 1}")
        self._line += int(height / 20) + 1
        self.write([block.caption])


def _clean(text: str) -> str:
    return text.translate(NO_XML)
