"""A report as a Word document: styles, real tables, equations as Office mathematics, figures as pictures."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

from vettore.core.typesetting.markup import NO_XML, to_office
from vettore.core.typesetting.typeset import Box
from vettore.look.theme import SANS
from vettore.report.blocks import (
    Block,
    Cell,
    Document,
    Equation,
    Figure,
    Heading,
    Pairs,
    Paragraph,
    Table,
    words_of,
)
from vettore.report.figures.paper import WIDTH_MM
from vettore.report.notes import NoteBlock, Span

if TYPE_CHECKING:
    from docx.document import Document as Word

MATHS = 'xmlns:m="http://schemas.openxmlformats.org/officeDocument/2006/math"'


def docx(document: Document) -> bytes:
    """Return the report as a .docx file."""
    from docx import Document as new_document

    word = new_document()
    word.styles["Normal"].font.name = SANS
    word.core_properties.title = _clean(document.title)
    word.core_properties.author = ""
    word.add_heading(_clean(document.title), 0)
    word.add_paragraph(_clean(document.subtitle), style="Subtitle")
    for noted in document.note_blocks:
        _add(word, noted, 1)
    for chapter in document.chapters:
        if chapter.title:
            word.add_heading(_clean(chapter.title), 1)
        level = 2 if chapter.title else 1
        for section in chapter.sections:
            if section.title:
                word.add_heading(_clean(section.title), level)
            for block in section.blocks:
                _add(word, block, level + 1)
    word.add_paragraph(_clean(document.footer))
    out = io.BytesIO()
    word.save(out)
    return out.getvalue()


def _add(word: Word, block: Block, level: int) -> None:
    from docx.shared import Mm

    match block:
        case Heading(text):
            word.add_heading(_clean(text), level)
        case Paragraph(text):
            word.add_paragraph(_clean(text))
        case Pairs(pairs):
            _add_table(word, (), tuple((pair.label, pair.text) for pair in pairs), (0, 1))
        case NoteBlock(lines, is_list):
            for line in lines:
                _add_note(word.add_paragraph(style="List Bullet" if is_list else None), line)
        case Equation(box):
            _add_maths(word.add_paragraph(), box)
        case Table(headings, rows, words):
            if block.caption:
                word.add_paragraph(_clean(block.caption), style="Caption")
            _add_table(word, headings, rows, words)
        case Figure():
            word.add_picture(io.BytesIO(block.draw("png")), width=Mm(min(block.width, WIDTH_MM)))
            # Whoever does not see the picture hears its words.
            word.inline_shapes[-1]._inline.docPr.set("descr", _clean(block.caption))
            word.add_paragraph(_clean(block.caption), style="Caption")


def _add_note(paragraph: Any, line: tuple[Span, ...]) -> None:
    for span in line:
        if span.box is not None:
            _add_maths(paragraph, span.box)
        else:
            paragraph.add_run(_clean(span.text)).italic = span.emphasised or None


def _add_table(
    word: Word, headings: tuple[str, ...], rows: tuple[tuple[Cell, ...], ...], words: tuple[int, ...]
) -> None:
    from docx.enum.text import WD_ALIGN_PARAGRAPH

    whole = ((headings, *rows) if headings else rows) or ((),)
    width = max(len(row) for row in whole)
    if not width:
        return
    table = word.add_table(len(whole), width, style="Table Grid")
    for line, row in zip(table.rows, whole, strict=True):
        for place, (cell, content) in enumerate(zip(line.cells, row, strict=False)):
            paragraph = cell.paragraphs[0]
            if isinstance(content, Box):
                _add_maths(paragraph, content)
                continue
            paragraph.add_run(_clean(words_of(content))).bold = row is headings
            if place not in words and place > 0:
                paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT


def _add_maths(paragraph: Any, box: Box) -> None:
    from docx.oxml import parse_xml

    paragraph._p.append(parse_xml(f"<m:oMath {MATHS}>{to_office(box)}</m:oMath>"))


def _clean(text: str) -> str:
    return text.translate(NO_XML)
