"""The formats of a report. A new one is a file beside this and an entry here; window and command line follow."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from vettore.report.blocks import Document
from vettore.report.renderers.html import html
from vettore.report.renderers.pdf import pdf


@dataclass(frozen=True)
class Format:
    """A format by the ``endings`` of its files (the first is the usual one), its ``name`` and ``use`` on screen."""

    name: str
    use: str
    endings: tuple[str, ...]
    write: Callable[[Document], bytes]


FORMATS = (
    Format("PDF", "pages for print", (".pdf",), pdf),
    Format(
        "Web page", "one file, opens anywhere", (".html", ".htm"), lambda document: html(document).encode("utf-8")
    ),
)


def format_of(ending: str) -> Format | None:
    """Return the format that an ending such as ``.pdf`` asks for, or None."""
    return next((known for known in FORMATS if ending.casefold() in known.endings), None)
