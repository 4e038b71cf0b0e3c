"""A report as a Word document: styles, real tables, equations as Office mathematics, figures as pictures."""

from __future__ import annotations

import io
from html import escape
from typing import TYPE_CHECKING, Any

from vettore.core.typeset import (
    PAIRS,
    Box,
    Fenced,
    Fraction,
    Lowered,
    Radical,
    Raised,
    Row,
    Slot,
    Text,
    coefficient_symbol,
)
from vettore.look.theme import SANS
from vettore.report.blocks import (
    Block,
    Cell,
    Document,
    Drawing,
    Equation,
    Figure,
    Heading,
    Pairs,
    Paragraph,
    Table,
)
from vettore.report.figures import WIDTH_MM

if TYPE_CHECKING:
    from docx.document import Document as Word

MATHS = 'xmlns:m="http://schemas.openxmlformats.org/officeDocument/2006/math"'
# XML has no place for these, which a file may have brought in.
CONTROL = dict.fromkeys([*range(9), 11, 12, *range(14, 32)])


def docx(document: Document) -> bytes:
    """Return the report as a .docx file."""
    from docx import Document as new_document

    word = new_document()
    word.styles["Normal"].font.name = SANS
    word.core_properties.title = _clean(document.title)
    word.core_properties.author = ""
    word.add_heading(_clean(document.title), 0)
    word.add_paragraph(_clean(document.subtitle), style="Subtitle")
    if document.note:
        word.add_paragraph(_clean(document.note))
    for section in document.sections:
        if section.title:
            word.add_heading(_clean(section.title), 1)
        for block in section.blocks:
            _add(word, block)
    word.add_paragraph(_clean(document.footer))
    out = io.BytesIO()
    word.save(out)
    return out.getvalue()


def _add(word: Word, block: Block) -> None:
    from docx.shared import Mm

    match block:
        case Heading(text):
            word.add_heading(_clean(text), 2)
        case Paragraph(text):
            word.add_paragraph(_clean(text))
        case Pairs(pairs):
            _add_table(word, (), tuple((pair.label, pair.text) for pair in pairs), (0, 1))
        case Equation(box):
            _add_maths(word.add_paragraph(), box)
        case Table(headings, rows, words):
            _add_table(word, headings, rows, words)
        case Figure() | Drawing():
            word.add_picture(io.BytesIO(block.draw("png")), width=Mm(WIDTH_MM))
            # Whoever does not see the picture hears its words.
            word.inline_shapes[-1]._inline.docPr.set("descr", _clean(block.caption))
            word.add_paragraph(_clean(block.caption), style="Caption")


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
            paragraph.add_run(_clean(content)).bold = row is headings
            if place not in words and place > 0:
                paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT


def _add_maths(paragraph: Any, box: Box) -> None:
    from docx.oxml import parse_xml

    paragraph._p.append(parse_xml(f"<m:oMath {MATHS}>{to_office(box)}</m:oMath>"))


def to_office(box: Box) -> str:
    """Return Office mathematics (ECMA-376) inside ``m:oMath``."""
    match box:
        case Text(text):
            return f'<m:r><m:t xml:space="preserve">{escape(_clean(text))}</m:t></m:r>'
        case Row(parts):
            return "".join(to_office(part) for part in parts)
        case Raised(base, exponent):
            return f"<m:sSup><m:e>{to_office(base)}</m:e><m:sup>{to_office(exponent)}</m:sup></m:sSup>"
        case Lowered(base, index):
            return f"<m:sSub><m:e>{to_office(base)}</m:e><m:sub>{to_office(index)}</m:sub></m:sSub>"
        case Fraction(above, below):
            return f"<m:f><m:num>{to_office(above)}</m:num><m:den>{to_office(below)}</m:den></m:f>"
        case Radical(of, index):
            hidden = '<m:radPr><m:degHide m:val="1"/></m:radPr><m:deg/>' if index == 2 else ""
            order = hidden or f"<m:deg><m:r><m:t>{index}</m:t></m:r></m:deg>"
            return f"<m:rad>{order}<m:e>{to_office(of)}</m:e></m:rad>"
        case Fenced(of, bracket):
            left, right = (escape(mark, quote=True) for mark in PAIRS[bracket])
            ends = f'<m:dPr><m:begChr m:val="{left}"/><m:endChr m:val="{right}"/></m:dPr>'
            return f"<m:d>{ends}<m:e>{to_office(of)}</m:e></m:d>"
        case Slot(name):
            return to_office(coefficient_symbol(name))


def _clean(text: str) -> str:
    return text.translate(CONTROL)
