"""What hands do in the table: type, paste, fill, clear, insert and delete; each is one edit that can be undone."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QApplication

from vettore.app.session import Session
from vettore.app.widgets.data.table import SeriesTable
from vettore.core.errors import Fault, VettoreError
from vettore.study import edits, making
from vettore.study.series import Series
from vettore.study.study import Study


class TableHands:
    """Turns what the table tells into edits of the session's study."""

    def __init__(self, session: Session, table: SeriesTable) -> None:
        self._session, self._table = session, table
        table.model().typed.connect(self.type_cell)
        table.pasted.connect(self.paste_at)
        table.cleared.connect(self.clear)
        table.reverted.connect(self.revert)
        table.filled_down.connect(self.fill_down)

    @property
    def _series(self) -> Series | None:
        """The series that the table shows, as the study has it now."""
        shown = self._table.model().series
        return next((each for each in self._session.study.series if shown is not None and each.id == shown.id), None)

    def type_cell(self, row: int, place: int, text: str) -> None:
        """Type over a cell, or into the blank row below typed data."""
        self._write(row, place, [[text]], "type a value")

    def paste_at(self, row: int, place: int) -> None:
        """Write the clipboard's cells from a place on."""
        from vettore.files.clipboard import tab_grid

        text = QApplication.clipboard().text()
        if text.strip():
            self._write(row, place, tab_grid(text), "paste")

    def fill_down(self) -> None:
        """Copy the first of the chosen cells of each column into the others."""
        cells = self._table.chosen_cells()
        series = self._series
        if series is None or len(cells) < 2:
            return
        model = self._table.model()
        first: dict[int, str] = {}
        block: list[tuple[int, int, str]] = []
        for row, place in cells:
            if place in first:
                block.append((row, place, first[place]))
            elif row < series.rows:
                first[place] = model.text(row, place)
        self._write_cells(block, "fill down")

    def clear(self) -> None:
        """Make the chosen cells blank."""
        self._write_cells([(row, place, "") for row, place in self._table.chosen_cells()], "clear cells")

    def revert(self, row: int, place: int) -> None:
        """Give a cell that was typed over its original back."""
        series = self._series
        if series is not None and self._table.model().original(row, place) is not None:
            self._session.do("bring a value back", edits.revert_cell(self._session.study, series.id, row, place))

    def insert_rows(self) -> None:
        """Put a blank row in above the chosen one, in data of one's own."""
        series = self._series
        if series is None or not series.own_data:
            self._session.say("Rows can be put into typed or pasted data only; a file keeps its rows.", "bad")
            return
        at = min(self._session.rows, default=series.rows)
        table = making.insert_rows(series.table, at)
        study = edits.set_table(self._session.study, series.id, table, lambda row: row + 1 if row >= at else row)
        self._session.do("put a row in", study)

    def delete_rows(self) -> None:
        """Delete the chosen rows of data of one's own."""
        series, rows = self._series, sorted(self._session.rows)
        if series is None or not rows:
            return
        if not series.own_data:
            self._session.say("Rows of a file are never deleted; set them aside instead.", "bad")
            return
        places = {old: new for new, old in enumerate(r for r in range(series.rows) if r not in set(rows))}
        self._try(
            "delete rows",
            lambda: edits.set_table(
                self._session.study, series.id, making.delete_rows(series.table, rows), places.get
            ),
        )

    def fill_sequence(
        self, start: float, step: float | None, end: float | None, count: int, logarithmic: bool
    ) -> None:
        """Write a sequence into the current column from the current cell on."""
        index = self._table.currentIndex()
        row = self._table.model().row_of(index.row()) if index.isValid() else 0
        try:
            cells = making.filled_sequence(start, count, step, end, logarithmic)
        except VettoreError as error:
            self._session.say(str(error), "bad")
            return
        self._write(row, max(index.column(), 0), [[cell] for cell in cells], "fill a sequence")

    def _write_cells(self, cells: list[tuple[int, int, str]], label: str) -> None:
        series = self._series
        if series is None or not cells:
            return

        def work() -> Study:
            study = self._session.study
            if not series.own_data:
                for row, place, text in cells:
                    if row < series.rows:
                        study = edits.set_cell(study, series.id, row, place, text)
                return study
            table = series.table
            for row, place, text in cells:
                raw = series.columns[place].raw
                if raw is not None and row < table.rows:
                    table = making.write_block(table, row, raw, [[text]])
            return edits.set_table(study, series.id, table)

        self._try(label, work)

    def _write(self, row: int, place: int, block: list[list[str]], label: str) -> None:
        series = self._series
        if series is None:
            return

        def work() -> Study:
            study = self._session.study
            if series.own_data:
                raw = series.columns[place].raw if place < len(series.columns) else len(series.table.columns)
                if raw is None:
                    raise VettoreError(f"{series.columns[place].name} is worked out by a formula.", Fault.UNAVAILABLE)
                return edits.set_table(study, series.id, making.write_block(series.table, row, raw, block))
            if row + len(block) > series.rows or place + max(map(len, block)) > len(series.columns):
                raise VettoreError(
                    f"The block has {len(block)} rows and reaches beyond the table, whose rows came from a file. "
                    "Paste it as a series of its own.",
                    Fault.OUTSIDE_DATA,
                )
            for i, line in enumerate(block):
                for j, text in enumerate(line):
                    study = edits.set_cell(study, series.id, row + i, place + j, text)
            return study

        self._try(label, work)

    def _try(self, label: str, work: Callable[[], Study]) -> None:
        try:
            self._session.do(label, work())
        except VettoreError as error:
            self._session.say(str(error), "bad")
