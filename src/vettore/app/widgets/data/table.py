"""The table of a series: type, paste, fill, copy; linked to the plot by its page."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QItemSelection, QItemSelectionModel, QMimeData, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QResizeEvent
from PySide6.QtWidgets import QAbstractItemDelegate, QAbstractItemView, QApplication, QLineEdit, QTableView, QWidget

from vettore.app.widgets.data.table_headers import ColumnHeader, RowHeader
from vettore.app.widgets.data.table_model import SeriesModel
from vettore.core.rounding import NumberStyle
from vettore.study.series import Series
from vettore.study.table import cell_texts

MOST_ROWS_MARKED = 5000
# What an editor of a cell is marked with when the table has let it go.
PUT_AWAY = "putAway"


class SeriesTable(QTableView):
    """The table view. What the hands ask for is told in signals; rows are those of the series."""

    rows_chosen = Signal(frozenset)
    row_pointed = Signal(int)
    pasted = Signal(int, int)
    cleared = Signal()
    reverted = Signal(int, int)
    filled_down = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Table of the series")
        self.setModel(SeriesModel())
        self.header = ColumnHeader()
        self.setHorizontalHeader(self.header)
        self.setVerticalHeader(RowHeader())
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectItems)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setMouseTracking(True)
        triggers = QAbstractItemView.EditTrigger
        self.setEditTriggers(triggers.DoubleClicked | triggers.AnyKeyPressed | triggers.EditKeyPressed)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setTabKeyNavigation(True)
        self._following = False
        # The column in which a run of Tabs began, to which Enter returns; −1 outside one.
        self._run_from = -1
        self.selectionModel().selectionChanged.connect(self._tell_rows)
        self.entered.connect(lambda index: self.row_pointed.emit(self.model().row_of(index.row())))

    def leaveEvent(self, event: QEvent) -> None:
        self.row_pointed.emit(-1)
        super().leaveEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_width()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        index = self.currentIndex()
        if event.key() not in (Qt.Key.Key_Tab, Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.text():
            self._run_from = -1
        control = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.matches(QKeySequence.StandardKey.Paste):
            self.pasted.emit(max(self.model().row_of(index.row()), 0), max(index.column(), 0))
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif control and event.key() == Qt.Key.Key_D:
            self.filled_down.emit()
        elif control and event.key() == Qt.Key.Key_Backspace and index.isValid():
            self.reverted.emit(self.model().row_of(index.row()), index.column())
        elif event.key() == Qt.Key.Key_Delete:
            self.cleared.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and index.isValid():
            self._down()
        elif event.key() == Qt.Key.Key_Tab and index.isValid():
            self._begin_run()
            super().keyPressEvent(event)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._run_from = -1
        super().mousePressEvent(event)

    def commitData(self, editor: QWidget) -> None:
        # Enter in a cell is heard a moment later, when another key may have put the cell away already.
        if not editor.property(PUT_AWAY):
            super().commitData(editor)

    def closeEditor(self, editor: QWidget, hint: QAbstractItemDelegate.EndEditHint) -> None:
        if editor.property(PUT_AWAY):
            return
        editor.setProperty(PUT_AWAY, True)
        hints = QAbstractItemDelegate.EndEditHint
        if hint == hints.EditNextItem:
            self._begin_run()
        super().closeEditor(editor, hint)
        if hint == hints.SubmitModelCache:
            self._down()

    def show_series(self, series: Series | None, style: NumberStyle) -> None:
        """Show a series."""
        old = self.model().series
        new = series is None or old is None or old.id != series.id or len(old.columns) != len(series.columns)
        if new:
            self._end_typing()
        self.model().show_series(series, style)
        if new:
            self._share_width()
            self.scrollToTop()

    def _end_typing(self) -> None:
        """What is being typed goes into its cell before the table is another one's."""
        for editor in self.viewport().findChildren(QLineEdit, options=Qt.FindChildOption.FindDirectChildrenOnly):
            self.commitData(editor)
            self.closeEditor(editor, QAbstractItemDelegate.EndEditHint.NoHint)

    def chosen_cells(self) -> list[tuple[int, int]]:
        """Return the chosen cells as (row of the series, place of the column), in the order shown."""
        indexes = sorted(
            self.selectionModel().selectedIndexes(),
            key=lambda cell: (cell.row(), cell.column()),
        )
        return [(self.model().row_of(index.row()), index.column()) for index in indexes]

    def show_rows(self, rows: frozenset[int]) -> None:
        """Select rows that were chosen elsewhere and bring the first into view."""
        if self._rows() == rows:
            return
        self._following = True
        selection, model = QItemSelection(), self.model()
        last = model.columnCount() - 1
        for row in sorted(rows)[:MOST_ROWS_MARKED]:
            shown = model.shown_at(row)
            selection.select(model.index(shown, 0), model.index(shown, last))
        self.selectionModel().select(selection, QItemSelectionModel.SelectionFlag.ClearAndSelect)
        self._following = False
        if rows:
            self.scrollTo(model.index(model.shown_at(min(rows)), max(self.currentIndex().column(), 0)))

    def show_pointed(self, row: int) -> None:
        """Light the row under the pointer elsewhere."""
        self.model().set_pointed(row)
        self.verticalHeader().viewport().update()

    def copy(self) -> None:
        """Put the chosen cells on the clipboard as tab text and as HTML, with their header when there are several rows."""
        from vettore.files.clipboard import as_html, as_tab_text

        series, cells = self.model().series, self.chosen_cells()
        if not cells or series is None:
            return
        places = sorted({place for _, place in cells})
        rows = list(dict.fromkeys(row for row, _ in cells if row < series.rows))
        columns = [series.columns[place] for place in places]
        texts = [cell_texts(series.data[place]) for place in places]
        block = [[text[row] for text in texts] for row in rows]
        headed = len(rows) > 1
        if headed:
            block.insert(0, [f"{column.name} ({column.unit})" if column.unit else column.name for column in columns])
        mime = QMimeData()
        mime.setText(as_tab_text(block))
        mime.setHtml(as_html(block, header=headed))
        QApplication.clipboard().setMimeData(mime)

    def _share_width(self) -> None:
        count = self.model().columnCount()
        if count:
            width = max(96, min(240, (self.viewport().width() - 2) // count))
            for place in range(count):
                self.setColumnWidth(place, width)

    def _begin_run(self) -> None:
        if self._run_from < 0:
            self._run_from = self.currentIndex().column()

    def _down(self) -> None:
        """Go to the row below: to the column where a run of Tabs began, or else to the same one."""
        index = self.currentIndex()
        column = index.column() if self._run_from < 0 else self._run_from
        self._run_from = -1
        below = self.model().index(index.row() + 1, column)
        if below.isValid():
            self.setCurrentIndex(below)

    def _rows(self) -> frozenset[int]:
        series = self.model().series
        count = series.rows if series is not None else 0
        shown = {index.row() for index in self.selectionModel().selectedIndexes()}
        return frozenset(row for row in map(self.model().row_of, shown) if row < count)

    def _tell_rows(self) -> None:
        if not self._following:
            self.rows_chosen.emit(self._rows())
