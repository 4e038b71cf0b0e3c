"""A report as one HTML file with its figures inside."""

from __future__ import annotations

import base64
import io
import re
import string
from collections.abc import Iterator
from functools import cache, lru_cache
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from vettore.core.typesetting.markup import mathml_document
from vettore.core.typesetting.typeset import Box, to_html
from vettore.look.theme import FONT_FOLDER, LAMP, PAPER, SANS, SERIF
from vettore.report.blocks import (
    Block,
    Cell,
    Document,
    Figure,
    Heading,
    Pairs,
    Paragraph,
    Table,
    words_of,
)
from vettore.report.notes import NoteBlock
from vettore.report.renderers.printing import FIGURE
from vettore.report.renderers.widths import HALF, POINTS_PER_MM, columns_of, in_lines, pair_columns
from vettore.study.kinds.report import PAPERS

if TYPE_CHECKING:
    import jinja2
    import markupsafe

FACES = (
    (SANS, 400, "normal", "Inter-Regular.otf"),
    (SANS, 600, "normal", "Inter-SemiBold.otf"),
    (SERIF, 400, "normal", "STIXGeneral-Regular.otf"),
    (SERIF, 400, "italic", "STIXGeneral-Italic.otf"),
)


class Face(NamedTuple):
    """A typeface of the page and where its letters are."""

    family: str
    weight: int
    style: str
    address: str


# The width of what is written on a page, in mm.
PAGE_MM = 170
# Of figures no wider two stand side by side.
HALF_MM = 82
# A word with a stroke, short enough to be a unit, after a space: lines would be broken at the stroke.
UNIT = re.compile(r"( )(\S{1,9}/\S{1,9})(?= |$)")
TEMPLATES = Path(__file__).parent / "templates"


@cache
def _environment(for_print: bool) -> jinja2.Environment:
    import jinja2
    from markupsafe import Markup, escape

    def typeset(cell: Cell) -> str | markupsafe.Markup:
        """Boxes escape what they are made of; a text is escaped here, its units in one piece."""
        if isinstance(cell, Box):
            return Markup(to_html(cell) if for_print else mathml_document(cell))
        return Markup(UNIT.sub(r'\1<span class="unit">\2</span>', str(escape(words_of(cell)))))

    loader = jinja2.FileSystemLoader(TEMPLATES)
    environment = jinja2.Environment(
        loader=loader, autoescape=jinja2.select_autoescape(["html.j2"]), trim_blocks=True
    )
    environment.filters["typeset"] = typeset
    environment.filters["drawn"] = lambda block: Markup(_named(block))
    environment.filters["width_of"] = lambda block: f"{min(block.width, PAGE_MM):g}mm"
    environment.filters["columns"] = lambda block: columns_of(block, PAGE_MM * POINTS_PER_MM)
    environment.filters["pair_columns"] = lambda block: pair_columns(block, PAGE_MM * POINTS_PER_MM)
    environment.filters["in_lines"] = in_lines
    environment.filters["base64"] = lambda data: base64.b64encode(data).decode("ascii")
    environment.tests["box"] = lambda cell: isinstance(cell, Box)
    environment.filters["kind"] = lambda block: type(block).__name__
    return environment


def html(document: Document, for_print: bool = False) -> str:
    """Return the page as one HTML text with its typefaces in it.

    ``for_print`` refers to the typefaces shipped with the program instead, and to figures by their places in the document,
    and sets formulas in letters: a browser reads them as MathML.
    """
    environment = _environment(for_print)
    style = environment.get_template("report.css.j2").render(
        faces=_files() if for_print else _embedded(document),
        sans=SANS,
        serif=SERIF,
        theme=PAPER,
        for_print=for_print,
        half=HALF_MM,
        dark=LAMP if document.dark and not for_print else None,
        paper=document.paper if document.paper in PAPERS else PAPERS[0],
    )
    attached = document.attachment if not for_print else None
    template = environment.get_template("report.html.j2")
    page: str = template.render(
        document=document,
        style=style,
        attached=attached,
        for_print=for_print,
        figure_scheme=FIGURE,
        half_page=HALF_MM,
        between=100 * (1 - 2 * HALF),
    )
    return page


def _named(block: Figure) -> str:
    """Return a drawing with its words for those who do not see it."""
    svg = block.draw("svg").decode("utf-8")
    name = escape(block.caption)
    start, rest = svg.split(">", 1)
    return f'{start} role="img" aria-label="{name}"><title>{name}</title>{rest}'


def _files() -> list[Face]:
    return [Face(family, weight, style, (FONT_FOLDER / file).as_uri()) for family, weight, style, file in FACES]


def _embedded(document: Document) -> list[Face]:
    """Return the typefaces as they stand in the page: of each the letters that it writes."""
    letters = frozenset(_letters(document))
    return [Face(family, weight, style, _subset(file, letters)) for family, weight, style, file in FACES]


@lru_cache(maxsize=16)
def _subset(file: str, letters: frozenset[str]) -> str:
    from fontTools import subset

    options = subset.Options(
        flavor="woff2", layout_features=["kern", "liga", "tnum", "calt", "mark"], notdef_outline=True
    )
    options.drop_tables.append("FFTM")
    out = io.BytesIO()
    with subset.load_font(FONT_FOLDER / file, options) as font:
        cut = subset.Subsetter(options)
        cut.populate(text="".join(sorted(letters)))
        cut.subset(font)
        subset.save_font(font, out, options)
    return f"data:font/woff2;base64,{base64.b64encode(out.getvalue()).decode('ascii')}"


def _letters(document: Document) -> Iterator[str]:
    """Give all that the page may write, formulas and hyphens of the house included."""
    yield from string.printable
    yield from "−±·×≤≥≈→∞√°µμ…–—“”’χλνσ⁰¹²³⁴⁵⁶⁷⁸⁹⁻₀₁₂₃₄₅₆₇₈₉"
    yield from f"{document.title}{document.subtitle}{document.note}{document.footer}"
    for chapter in document.chapters:
        yield from chapter.title
        for section in chapter.sections:
            yield from section.title
            for block in section.blocks:
                yield from _words(block)


def _words(block: Block) -> str:
    match block:
        case Heading(text) | Paragraph(text):
            return text
        case Pairs(lines):
            return "".join(line.label + line.text for line in lines)
        case Table(headings, rows):
            cells = [cell for row in (headings, *rows) for cell in row]
            return block.caption + "".join("" if isinstance(cell, Box) else words_of(cell) for cell in cells)
        case Figure():
            return block.caption
        case NoteBlock(lines):
            return "".join(span.text for line in lines for span in line)
        case _:
            return ""
