"""A report as one HTML file with its figures inside."""

from __future__ import annotations

from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from vettore.core.typeset import Box, to_html
from vettore.look.theme import FONT_FOLDER, PAPER, SANS, SERIF
from vettore.report.blocks import Cell, Document
from vettore.study.kinds.report import PAPERS

if TYPE_CHECKING:
    import jinja2
    import markupsafe

TEMPLATES = Path(__file__).parent / "templates"


@cache
def _environment() -> jinja2.Environment:
    import jinja2
    from markupsafe import Markup

    def typeset(cell: Cell) -> str | markupsafe.Markup:
        """Boxes escape what they are made of; a text is escaped by the template."""
        return Markup(to_html(cell)) if isinstance(cell, Box) else cell

    loader = jinja2.FileSystemLoader(TEMPLATES)
    environment = jinja2.Environment(
        loader=loader, autoescape=jinja2.select_autoescape(["html.j2"]), trim_blocks=True
    )
    environment.filters["typeset"] = typeset
    environment.filters["drawn"] = lambda block: Markup(block.draw("svg").decode("utf-8"))
    environment.tests["box"] = lambda cell: isinstance(cell, Box)
    environment.filters["kind"] = lambda block: type(block).__name__
    return environment


def html(document: Document, for_print: bool = False) -> str:
    """Return the page as one HTML text; ``for_print`` refers to the typefaces shipped with the program."""
    environment = _environment()
    style = environment.get_template("report.css.j2").render(
        fonts=FONT_FOLDER.as_uri() if for_print else "",
        sans=SANS,
        serif=SERIF,
        theme=PAPER,
        paper=document.paper if document.paper in PAPERS else PAPERS[0],
    )
    page: str = environment.get_template("report.html.j2").render(document=document, style=style)
    return page
