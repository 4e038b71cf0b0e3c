"""A report as a PDF with its typefaces embedded: the HTML page, printed."""

from __future__ import annotations

import ctypes.util
import sys
import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

from vettore.look.theme import FONT_FOLDER
from vettore.report.blocks import Document, Figure
from vettore.report.renderers.html import FIGURE, html

# A figure as it is painted, which is later than it is given a place.
DRAWN = "vettore-drawn"
_printing = threading.Lock()


def own_typeface(url: str) -> bytes:
    """Return a typeface that is shipped with the program. Raises ValueError for every other address."""
    place = Path(url2pathname(urlsplit(url).path)).resolve()
    if urlsplit(url).scheme != "file" or place.parent != FONT_FOLDER.resolve():
        raise ValueError("A report fetches nothing.")
    return place.read_bytes()


@contextmanager
def _known_names() -> Iterator[None]:
    """Have the printer load its libraries by the names that Linux gives them.

    It tries those of other systems first, and for each of these twenty Python would run ldconfig and a compiler.
    """
    if sys.platform != "linux" or "weasyprint" in sys.modules:
        yield
        return
    looks = ctypes.util.find_library
    ctypes.util.find_library = lambda name: None
    try:
        yield
    finally:
        ctypes.util.find_library = looks


def pdf(document: Document, choose: Callable[[int], Iterable[int]] | None = None) -> bytes:
    """Return the pages as a PDF; ``choose`` says which, counted from 0, when it is told how many there are."""
    with _printing, _known_names():
        from weasyprint import HTML, Attachment
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    figures = [block for section in document.sections for block in section.blocks if isinstance(block, Figure)]
    failed: list[Exception] = []

    class OwnFiles(URLFetcher):  # type: ignore[misc]
        """Fetches nothing but the typefaces that the page names and the document's own figures."""

        def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
            scheme, _, place = url.partition(":")
            if scheme not in (FIGURE, DRAWN):
                return URLFetcherResponse(url, own_typeface(url), {"Content-Type": "font/otf"})
            figure = figures[int(place)]
            if scheme == FIGURE:
                data = _frame(figure, f"{DRAWN}:{place}")
            else:
                try:
                    data = figure.draw("svg", letters=True)
                except Exception as error:
                    # The printer would leave the figure out and go on.
                    failed.append(error)
                    raise
            return URLFetcherResponse(url, data, {"Content-Type": "image/svg+xml"})

    # The fonts' configuration belongs to the whole process.
    with _printing:
        source = HTML(string=html(document, for_print=True), url_fetcher=OwnFiles())
        attached = document.attachment
        files = None
        if attached is not None:
            files = [Attachment(string=attached.data, name=attached.name, description="The study that is reported")]
        # Tagged, with its language and title, so that it can be read aloud (PDF/UA).
        asked = {"pdf_variant": "pdf/ua-1", "attachments": files}
        laid_out = source.render(**asked)
        if choose is not None:
            laid_out = laid_out.copy([laid_out.pages[number] for number in choose(len(laid_out.pages))])
        written: bytes = laid_out.write_pdf(**asked)
    if failed:
        raise failed[0]
    return written


def _frame(figure: Figure, address: str) -> bytes:
    """Return a drawing of a figure's size that has the figure in it.

    Pages are laid out by its size alone, so that the figure itself can be drawn meanwhile.
    """
    size = f'width="{figure.width:g}mm" height="{figure.height:g}mm"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}><image href="{address}" {size}/></svg>'.encode()
