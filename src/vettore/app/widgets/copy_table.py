"""*Copy table*: as text and HTML at once, which spreadsheets and word processors take, or as Markdown, LaTeX or HTML."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QMimeData
from PySide6.QtWidgets import QApplication, QHBoxLayout, QMenu, QWidget

from vettore.app.widgets.parts import button
from vettore.files.clipboard import as_html, as_tab_text
from vettore.report.blocks import Table
from vettore.report.renderers.latex import latex_table
from vettore.report.renderers.markdown import markdown_table

Rows = Sequence[Sequence[str]]


def _as_block(rows: Rows) -> Table:
    # Texts stand on the left, numbers on the right; the headings do not tell.
    words = tuple(place for place in range(len(rows[0])) if any(_is_word(row[place]) for row in rows[1:]))
    return Table(tuple(rows[0]), tuple(tuple(row) for row in rows[1:]), words)


def _is_word(cell: str) -> bool:
    return bool(cell) and not any(mark.isdigit() for mark in cell)


KINDS: dict[str, Callable[[Rows], str]] = {
    "text": as_tab_text,
    "Markdown": lambda rows: "\n".join(markdown_table(_as_block(rows))) + "\n",
    "LaTeX": lambda rows: "\n".join(latex_table(_as_block(rows))) + "\n",
    "HTML": as_html,
}


def put_table(rows: Rows) -> None:
    """Put a table on the clipboard, its first row the headings, as text and as HTML."""
    mime = QMimeData()
    mime.setText(as_tab_text(rows))
    mime.setHtml(as_html(rows))
    QApplication.clipboard().setMimeData(mime)


class CopyTable(QWidget):
    """Two words under or beside a table, after others; ``rows`` gives it with all digits, its headings first."""

    def __init__(self, rows: Callable[[], Rows], *before: QWidget) -> None:
        super().__init__()
        self._rows = rows
        box = QHBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self.plain = button("Copy table", self.copy, "link", "Copy with all digits, for a spreadsheet or a text")
        self.other = button("as …", self._offer, "link", "Copy as text, Markdown, LaTeX or HTML")
        self.other.setAccessibleName("Copy the table as …")
        for word in (*before, self.plain):
            box.addWidget(word)
        box.addWidget(self.other)
        box.addStretch()

    def copy(self) -> None:
        """Put the table on the clipboard."""
        put_table(self._rows())

    def copy_as(self, kind: str) -> None:
        """Put the table on the clipboard as one of the kinds, as text."""
        QApplication.clipboard().setText(KINDS[kind](self._rows()))

    def menu(self) -> QMenu:
        """Return what it can be copied as."""
        menu = QMenu(self)
        for kind in KINDS:
            menu.addAction(f"Copy as {kind}").triggered.connect(lambda _on=False, kind=kind: self.copy_as(kind))
        return menu

    def _offer(self) -> None:
        self.menu().popup(self.other.mapToGlobal(self.other.rect().bottomLeft()))
