"""What the table view shows of a series."""

from __future__ import annotations

from typing import Any

import numpy as np
from PySide6.QtCore import QAbstractTableModel, QModelIndex, Qt, Signal
from PySide6.QtGui import QBrush, QFont

from vettore.app.style import colour, sans
from vettore.app.widgets.parts import plain_tip
from vettore.core.rounding import NumberStyle
from vettore.study.series import Series
from vettore.study.table import LONGEST_NAME


class SeriesModel(QAbstractTableModel):
    """Rows and columns of a series for the table view; holds nothing of its own.

    Rows are shown in the order of the series; a series that was typed or pasted has one row more, to type on into.
    """

    typed = Signal(int, int, str)

    def __init__(self) -> None:
        super().__init__()
        self.series: Series | None = None
        self.style = NumberStyle()
        self.pointed = -1
        self._struck = QFont(sans())
        self._struck.setStrikeOut(True)

    def show_series(self, series: Series | None, style: NumberStyle) -> None:
        """Show another series, or the same one after an edit."""
        old = self.series
        if series is None or old is None or (series.id, len(series.columns)) != (old.id, len(old.columns)):
            self.beginResetModel()
            self.series, self.style, self.pointed = series, style, -1
            self.endResetModel()
            return
        # Rows come and go at the end, so that a cell being typed in keeps its place and its editor.
        before, after = self.rowCount(), series.rows + (1 if series.own_data else 0)
        if after > before:
            self.beginInsertRows(QModelIndex(), before, after - 1)
        elif after < before:
            self.beginRemoveRows(QModelIndex(), after, before - 1)
        self.series, self.style = series, style
        if after > before:
            self.endInsertRows()
        elif after < before:
            self.endRemoveRows()
        self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, self.columnCount() - 1))
        self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, self.columnCount() - 1)
        self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, self.rowCount() - 1)

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        if self.series is None:
            return 0
        return self.series.rows + (1 if self.grows else 0)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.series.columns) if self.series else 0

    @property
    def grows(self) -> bool:
        """Whether the table is data of its own, which grow as one types."""
        return self.series is not None and self.series.own_data

    def row_of(self, shown: int) -> int:
        """Return the row of the series that is shown at a place."""
        if self.series is None or self.series.sort is None or shown >= self.series.rows or shown < 0:
            return shown
        return int(self.series.order[shown])

    def shown_at(self, row: int) -> int:
        """Return the place at which a row of the series is shown."""
        if self.series is None or self.series.sort is None or row >= self.series.rows or row < 0:
            return row
        return int(np.flatnonzero(self.series.order == row)[0])

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        flags = super().flags(index)
        if self.series is not None and index.isValid():
            column = self.series.columns[index.column()]
            if column.raw is not None and not column.elapsed and (column.factor, column.offset) == (1.0, 0.0):
                flags |= Qt.ItemFlag.ItemIsEditable
        return flags

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        if role != Qt.ItemDataRole.EditRole or self.series is None:
            return False
        row = self.row_of(index.row())
        before = self.text(row, index.column()) if row < self.series.rows else ""
        if str(value) != before:
            self.typed.emit(row, index.column(), str(value))
        return True

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if self.series is None or role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        if orientation is Qt.Orientation.Vertical:
            return str(self.row_of(section) + 1)
        column = self.series.columns[section]
        return f"{column.name}, {column.unit or 'no unit'}, {column.role}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if self.series is None:
            return None
        row, column = self.row_of(index.row()), self.series.data[index.column()]
        if row >= self.series.rows:
            return None
        aside = not self.series.kept[row]
        if role == Qt.ItemDataRole.EditRole:
            return self.text(row, index.column())
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(row, index.column())[:LONGEST_NAME]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if column.texts is not None else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.FontRole and aside:
            return self._struck
        if role == Qt.ItemDataRole.ForegroundRole:
            if self.original(row, index.column()) is not None:
                return QBrush(colour("accent"))
            if aside or row in column.words:
                return QBrush(colour("muted"))
        if role == Qt.ItemDataRole.BackgroundRole and row == self.pointed:
            return QBrush(colour("soft"))
        if role == Qt.ItemDataRole.ToolTipRole:
            return plain_tip(self._tip(row, index.column(), aside) or "")
        return None

    def text(self, row: int, place: int) -> str:
        """Return a cell as it is shown: with the decimal places that it was written with."""
        assert self.series is not None
        column = self.series.data[place]
        if column.texts is not None:
            return column.texts[row]
        if row in column.words:
            return column.words[row]
        value = float(column.values[row])
        if np.isnan(value):
            return ""
        if column.places is not None and column.places <= 12 and (value == 0 or 1e-4 <= abs(value) < 1e9):
            return self.style.fixed(value, column.places)
        return self.style.short(value)

    def original(self, row: int, place: int) -> str | None:
        """Return what a cell was before it was typed over, or None."""
        if self.series is None or not self.series.edits:
            return None
        raw = self.series.columns[place].raw
        if raw is None or not any((edit.row, edit.raw) == (row, raw) for edit in self.series.edits):
            return None
        column = self.series.table.columns[raw]
        if column.texts is not None:
            return column.texts[row]
        value = float(column.values[row])
        return column.words.get(row, "" if np.isnan(value) else self.style.short(value))

    def set_pointed(self, row: int) -> None:
        """Light another row."""
        rows = {self.pointed, row} - {-1}
        self.pointed = row
        for shown in (self.shown_at(number) for number in rows):
            if shown < self.rowCount():
                last = self.index(shown, self.columnCount() - 1)
                self.dataChanged.emit(self.index(shown, 0), last, [Qt.ItemDataRole.BackgroundRole])

    def _tip(self, row: int, place: int, aside: bool) -> str | None:
        assert self.series is not None
        lines = []
        original = self.original(row, place)
        if original is not None:
            lines.append(f"It came as “{original}”. Ctrl+Backspace brings it back.")
        if aside:
            lines.append(f"Set aside: {self.series.reason(row) or 'no reason given'}")
        if self.series.data[place].problem:
            lines.append(self.series.data[place].problem)
        return "\n".join(lines) or None
