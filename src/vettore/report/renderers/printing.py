"""HTML pages printed as a PDF, and a PDF as pictures, by libraries that serve one thread at a time.

Pages are laid out and painted by WeasyPrint (with Pango and HarfBuzz), pictured by PDFium. Both are native code that may not
run beside itself, nor have what it made put away by another thread. A command prints in its own process (``print_here``); a
window, which has other threads, in one beside it (``press.py``).
"""

from __future__ import annotations

import ctypes.util
import sys
import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol
from urllib.parse import urlsplit
from urllib.request import url2pathname

from vettore.look.theme import FONT_FOLDER

# How a page refers to a figure, which has a size only, and to the figure itself, which is painted later than it has a place.
FIGURE, DRAWN = "vettore-figure", "vettore-drawn"
_printing = threading.Lock()

# Says which pages are wanted, counted from 0, when it is told how many there are.
Choose = Callable[[int], Iterable[int]]


@dataclass(frozen=True)
class Page:
    """What is printed: HTML, the sizes of its figures in mm, a file that it carries along by its name."""

    html: str
    sizes: tuple[tuple[float, float], ...] = ()
    attached: tuple[str, bytes] | None = None


@dataclass(frozen=True)
class Picture:
    """A picture of a page: rows of four bytes a pixel, blue, green, red and one that says nothing."""

    width: int
    height: int
    pixels: bytes


class Printer(Protocol):
    """Prints a page as a PDF; ``figure`` draws the one at a place as SVG."""

    def __call__(self, page: Page, figure: Callable[[int], bytes], choose: Choose | None = None) -> bytes: ...


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


def print_here(page: Page, figure: Callable[[int], bytes], choose: Choose | None = None) -> bytes:
    """Print in this process; see ``Printer``."""
    with _printing, _known_names():
        from weasyprint import HTML, Attachment
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    failed: list[Exception] = []

    class OwnFiles(URLFetcher):  # type: ignore[misc]
        """Fetches nothing but the typefaces that the page names and the document's own figures."""

        def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:
            scheme, _, place = url.partition(":")
            if scheme not in (FIGURE, DRAWN):
                return URLFetcherResponse(url, own_typeface(url), {"Content-Type": "font/otf"})
            if scheme == FIGURE:
                data = _frame(page.sizes[int(place)], f"{DRAWN}:{place}")
            else:
                try:
                    data = figure(int(place))
                except Exception as error:
                    # The printer would leave the figure out and go on.
                    failed.append(error)
                    raise
            return URLFetcherResponse(url, data, {"Content-Type": "image/svg+xml"})

    # The fonts' configuration belongs to the whole process.
    with _printing:
        source = HTML(string=page.html, url_fetcher=OwnFiles())
        files = None
        if page.attached is not None:
            name, data = page.attached
            files = [Attachment(string=data, name=name, description="The study that is reported")]
        # Tagged, with its language and title, so that it can be read aloud (PDF/UA).
        options = {"pdf_variant": "pdf/ua-1", "attachments": files}
        laid_out = source.render(**options)
        if choose is not None:
            laid_out = laid_out.copy([laid_out.pages[number] for number in choose(len(laid_out.pages))])
        written: bytes = laid_out.write_pdf(**options)
    if failed:
        raise failed[0]
    return written


def _frame(size: tuple[float, float], address: str) -> bytes:
    """Return a drawing of a figure's size that has the figure in it.

    Pages are laid out by its size alone, so that the figure itself can be drawn meanwhile.
    """
    text = f'width="{size[0]:g}mm" height="{size[1]:g}mm"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {text}><image href="{address}" {text}/></svg>'.encode()


def pictures_here(data: bytes, scale: float) -> tuple[list[Picture], tuple[int, ...]]:
    """Return pictures of the pages of a PDF, of so many pixels for a point, and of each chapter its page, from 0."""
    import pypdfium2

    pictures = []
    with _printing:
        document = pypdfium2.PdfDocument(data)
        marks = [mark for mark in document.get_toc() if mark.level == 1]
        chapters = tuple(dest.get_index() for mark in marks if (dest := mark.get_dest()) is not None)
        for number in range(len(document)):
            page = document[number]
            bitmap = page.render(scale=scale, force_bitmap_format=pypdfium2.raw.FPDFBitmap_BGRx)
            pixels = bitmap.to_numpy()
            height, width, _ = pixels.shape
            pictures.append(Picture(width, height, pixels.tobytes()))
            # What is left open would be closed by whichever thread collects it.
            del pixels
            bitmap.close()
            page.close()
        document.close()
    return pictures, chapters


class _Printers:
    """How this process prints."""

    chosen: Printer = staticmethod(print_here)


def printer() -> Printer:
    """Return how this process prints."""
    return _Printers.chosen


def print_with(chosen: Printer) -> None:
    """Have all that this process prints printed in another way."""
    _Printers.chosen = staticmethod(chosen)
