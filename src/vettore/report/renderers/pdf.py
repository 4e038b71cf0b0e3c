"""A report as a PDF with its typefaces embedded: the HTML page, printed."""

from __future__ import annotations

from vettore.report.blocks import Document, Figure
from vettore.report.renderers.html import html
from vettore.report.renderers.printing import Choose, Page, printer


def pdf(document: Document, choose: Choose | None = None) -> bytes:
    """Return the pages as a PDF; ``choose`` says which, counted from 0, when it is told how many there are."""
    figures = [block for section in document.sections for block in section.blocks if isinstance(block, Figure)]
    attached = document.attachment
    page = Page(
        html(document, for_print=True),
        tuple((figure.width, figure.height) for figure in figures),
        None if attached is None else (attached.name, attached.data),
    )
    return printer()(page, lambda place: figures[place].draw("svg", letters=True), choose)
