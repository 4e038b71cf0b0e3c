"""The formats of a report. A new one is a file beside this and an entry here; window and command line follow."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from vettore.report.blocks import Document
from vettore.report.figures.paper import Kind
from vettore.report.renderers.docx import docx
from vettore.report.renderers.html import html
from vettore.report.renderers.latex import latex
from vettore.report.renderers.markdown import markdown
from vettore.report.renderers.pdf import pdf
from vettore.report.renderers.xlsx import xlsx


@dataclass(frozen=True)
class Format:
    """A format by the ``endings`` of its files (the first is the usual one), its ``name`` and ``use`` on screen.

    ``write`` gives the file, and those beside it by what follows its name: {"": …, "-figure-1.svg": …}. One that
    ``carries`` can take the study along. ``figures`` are drawn as this kind, their texts kept as texts or not. What is
    ``laid_out`` into pages takes about as long to write as its figures to draw.
    """

    name: str
    use: str
    endings: tuple[str, ...]
    write: Callable[[Document, str], Mapping[str, bytes]]
    figures: tuple[Kind, bool] = ("png", False)
    carries: bool = False
    laid_out: bool = False


FORMATS = (
    Format(
        "PDF",
        "pages for print",
        (".pdf",),
        lambda document, name: {"": pdf(document)},
        ("svg", True),
        carries=True,
        laid_out=True,
    ),
    Format(
        "Web page",
        "one file, opens anywhere",
        (".html", ".htm"),
        lambda document, name: {"": html(document).encode("utf-8")},
        ("svg", False),
        carries=True,
    ),
    Format("Word document", "to be edited", (".docx",), lambda document, name: {"": docx(document)}),
    Format("Spreadsheet", "numbers in full, rows too", (".xlsx",), lambda document, name: {"": xlsx(document)}),
    Format("LaTeX", "for a paper, figures beside it", (".tex",), latex, ("pdf", False)),
    Format("Markdown", "plain text, figures beside it", (".md",), markdown, ("svg", False)),
)


def format_of(ending: str) -> Format | None:
    """Return the format that an ending such as ``.pdf`` asks for, or None."""
    return next((known for known in FORMATS if ending.casefold() in known.endings), None)
