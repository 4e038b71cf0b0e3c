"""A report as a PDF with its typefaces embedded: the HTML page, printed."""

from __future__ import annotations

import threading
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

from vettore.look.theme import FONT_FOLDER
from vettore.report.blocks import Document, Figure
from vettore.report.renderers.html import FIGURE, html

_printing = threading.Lock()


def own_typeface(url: str) -> bytes:
    """Return a typeface that is shipped with the program. Raises ValueError for every other address."""
    place = Path(url2pathname(urlsplit(url).path)).resolve()
    if urlsplit(url).scheme != "file" or place.parent != FONT_FOLDER.resolve():
        raise ValueError("A report fetches nothing.")
    return place.read_bytes()


def pdf(document: Document) -> bytes:
    """Return the pages as a PDF."""
    from weasyprint import HTML, Attachment
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    figures = [block for section in document.sections for block in section.blocks if isinstance(block, Figure)]

    class OwnFiles(URLFetcher):  # type: ignore[misc]
        """Fetches nothing but the typefaces that the page names and the document's own figures."""

        def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
            scheme, _, place = url.partition(":")
            if scheme == FIGURE:
                return URLFetcherResponse(
                    url, figures[int(place)].draw("svg", letters=True), {"Content-Type": "image/svg+xml"}
                )
            return URLFetcherResponse(url, own_typeface(url), {"Content-Type": "font/otf"})

    # The fonts' configuration belongs to the whole process.
    with _printing:
        source = HTML(string=html(document, for_print=True), url_fetcher=OwnFiles())
        attached = document.attachment
        files = None
        if attached is not None:
            files = [Attachment(string=attached.data, name=attached.name, description="The study that is reported")]
        # Tagged, with its language and title, so that it can be read aloud (PDF/UA).
        page: bytes = source.write_pdf(pdf_variant="pdf/ua-1", attachments=files)
        return page
