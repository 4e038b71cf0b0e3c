"""Tables on the clipboard: tab text and HTML, in and out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape

from vettore.core.cells.texts import plain
from vettore.core.errors import Fault
from vettore.files.delimited import parse
from vettore.files.grid import table_from_grid
from vettore.files.refusals import FileError
from vettore.study.table import Source, Table

MOST_CELLS = 5_000_000
MOST_ACROSS = 1000


class _Cells:
    """Collects the cells of all tables, told of by a parser; text outside tables is dropped."""

    def __init__(self) -> None:
        self.tables: list[list[list[str]]] = []
        self._rows: list[list[str]] | None = None
        self._cell: list[str] | None = None
        self._across = 1
        self._count = 0

    def start(self, tag: str, attributes: Mapping[str, str]) -> None:
        """Hear of the beginning of an element."""
        if tag == "table":
            self._rows = []
            self.tables.append(self._rows)
        elif tag == "tr" and self._rows is not None:
            self._close_cell()
            self._rows.append([])
        elif tag in ("td", "th") and self._rows is not None:
            self._close_cell()
            if not self._rows:
                self._rows.append([])
            self._cell = []
            across = attributes.get("colspan") or "1"
            self._across = min(int(across), MOST_ACROSS) if across.isdecimal() else 1
        elif tag == "br" and self._cell is not None:
            self._cell.append(" ")

    def end(self, tag: str) -> None:
        """Hear of its end, written or not."""
        if tag in ("td", "th", "tr", "table"):
            self._close_cell()
        if tag == "table":
            self._rows = None

    def data(self, data: str) -> None:
        """Hear of text."""
        if self._cell is not None:
            self._cell.append(data)

    def close(self) -> list[list[list[str]]]:
        """Return the tables."""
        self._close_cell()
        return self.tables

    def _close_cell(self) -> None:
        if self._cell is None or not self._rows:
            return
        self._count += self._across
        if self._count > MOST_CELLS:
            raise FileError(
                f"The table has more than {MOST_CELLS:,} cells. Save it as a text table instead.", Fault.TOO_MANY
            )
        self._rows[-1] += [" ".join("".join(self._cell).split()), *([""] * (self._across - 1))]
        self._cell = None


def html_grid(text: str, name: str) -> list[list[str]]:
    """Return the cells of the largest table in a page. Raises FileError when there is none."""
    from lxml import etree

    start = text.lower().find("<table")
    if start < 0:
        raise FileError(f"“{name}” holds no table.", Fault.NOTHING)
    # Its parser reads whatever is there once, and closes what was left open.
    parser = etree.HTMLParser(target=_Cells(), recover=True, no_network=True, remove_comments=True, huge_tree=True)
    try:
        # What is no character of the format would end it.
        parser.feed(plain(text[start:]))
        tables: list[list[list[str]]] = parser.close()
    except etree.LxmlError:
        raise FileError(f"“{name}” is damaged: its table cannot be read as HTML.", Fault.FILE_DAMAGED) from None
    return max(tables, key=lambda rows: sum(len(row) for row in rows), default=[])


def pasted_table(text: str, html: str = "") -> Table:
    """Return the table on the clipboard, from HTML when it has one, else from text. Raises FileError."""
    source = Source("pasted", how=(("read as", "a pasted table"),), kind="pasted")
    if "<table" in html.casefold():
        grid = html_grid(html, "The clipboard")
        return table_from_grid(grid, source)
    if not text.strip():
        raise FileError("The clipboard holds no text. Copy the columns first.", Fault.NOTHING)
    if "\t" in text:
        grid = tab_grid(text)
        return table_from_grid(grid, source)
    table, _ = parse(text.encode("utf-8"), "The clipboard")
    from dataclasses import replace

    return Table(table.columns, replace(table.source, name="pasted", kind="pasted", digest=""))


def tab_grid(text: str) -> list[list[str]]:
    """Return the cells of tab text, as spreadsheets put it on the clipboard."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    while lines and not lines[-1]:
        lines.pop()
    return [[_unquoted(cell) for cell in line.split("\t")] for line in lines]


def _unquoted(cell: str) -> str:
    if len(cell) > 1 and cell[0] == cell[-1] == '"':
        return cell[1:-1].replace('""', '"')
    return cell


def as_tab_text(rows: Sequence[Sequence[str]]) -> str:
    """Return cells as tab text; tabs and line ends inside cells become spaces."""
    return "\n".join("\t".join(" ".join(cell.split()) for cell in row) for row in rows) + "\n"


def as_html(rows: Sequence[Sequence[str]], header: bool = True) -> str:
    """Return cells as an HTML table; the first row is its header."""
    out = ["<table>"]
    for i, row in enumerate(rows):
        tag = "th" if header and i == 0 else "td"
        out.append("<tr>" + "".join(f"<{tag}>{escape(cell)}</{tag}>" for cell in row) + "</tr>")
    return "".join([*out, "</table>"])
