"""Series that come from the clipboard, or are typed."""

from __future__ import annotations

from PySide6.QtCore import QMimeData
from PySide6.QtWidgets import QApplication

from vettore.app.session import Session
from vettore.app.widgets.data.table import SeriesTable
from vettore.core.errors import VettoreError
from vettore.core.remarks import counted
from vettore.study import edits, making


class Bringing:
    """Begins series; the newest is chosen."""

    def __init__(self, session: Session, table: SeriesTable) -> None:
        self._session, self._table = session, table

    def paste(self) -> None:
        """Bring the clipboard in as a series."""
        from vettore.files.clipboard import pasted_table

        # An empty clipboard has nothing at all.
        mime = QApplication.clipboard().mimeData() or QMimeData()
        try:
            table = pasted_table(mime.text(), mime.html())
        except VettoreError as error:
            self._session.say(str(error), "bad")
            return
        self._session.do("paste a series", edits.add_series(self._session.study, table, "Pasted"))
        self._session.choose_newest()
        self._session.say(f"{counted(table.rows, 'row')} came in from the clipboard.")

    def type_columns(self) -> None:
        """Begin a series to type into."""
        table = making.empty_table()
        self._session.do("begin a typed series", edits.add_series(self._session.study, table, "Typed"))
        self._session.choose_newest()
        self._table.setFocus()
        self._table.setCurrentIndex(self._table.model().index(0, 0))
