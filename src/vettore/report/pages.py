"""Write a report: one HTML file with its figures inside, or a PDF of the same page."""

from __future__ import annotations

import threading
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urlsplit
from urllib.request import url2pathname

from vettore.core.errors import VettoreError
from vettore.files.whole import write_whole
from vettore.look.theme import FONT_FOLDER, PAPER, SANS, SERIF
from vettore.report.content import Content, report_content
from vettore.study.kinds.report import PAPERS
from vettore.study.study import Study

if TYPE_CHECKING:
    import jinja2

TEMPLATES = Path(__file__).parent / "templates"


_printing = threading.Lock()


@cache
def _environment() -> jinja2.Environment:
    import jinja2

    loader = jinja2.FileSystemLoader(TEMPLATES)
    return jinja2.Environment(loader=loader, autoescape=jinja2.select_autoescape(["html.j2"]), trim_blocks=True)


def only_own(url: str) -> dict[str, object]:
    """Fetch nothing for a page but the typefaces that are shipped with the program. Raises ValueError."""
    place = Path(url2pathname(urlsplit(url).path)).resolve()
    if urlsplit(url).scheme != "file" or place.parent != FONT_FOLDER.resolve():
        raise ValueError("A report fetches nothing.")
    return {"string": place.read_bytes(), "mime_type": "font/otf"}


def html(content: Content, for_print: bool = False) -> str:
    """Return the page as one HTML text; ``for_print`` refers to the typefaces shipped with the program."""
    environment = _environment()
    style = environment.get_template("report.css.j2").render(
        fonts=FONT_FOLDER.as_uri() if for_print else "",
        sans=SANS,
        serif=SERIF,
        theme=PAPER,
        paper=content.paper if content.paper in PAPERS else PAPERS[0],
    )
    page: str = environment.get_template("report.html.j2").render(content=content, style=style)
    return page


def pdf(content: Content) -> bytes:
    """Return the page as a PDF with its typefaces embedded."""
    from weasyprint import HTML

    # The fonts' configuration belongs to the whole process.
    with _printing:
        page: bytes = HTML(string=html(content, for_print=True), url_fetcher=only_own).write_pdf()
        return page


def save_report(study: Study, path: Path | str) -> None:
    """Write the report of a study; the ending of the name says how. Raises VettoreError in a sentence."""
    path = Path(path)
    kind = path.suffix.casefold()
    if kind not in {".html", ".htm", ".pdf"}:
        raise VettoreError(f"“{path.name}”: a report ends in .html or .pdf.")
    content = report_content(study)
    data = pdf(content) if kind == ".pdf" else html(content).encode("utf-8")
    write_whole(path, data)
