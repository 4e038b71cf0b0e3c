"""The table of a series: its rows as they came, those set aside struck through."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import (
    QAbstractTableModel,
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPointF,
    QRectF,
    QSize,
    Qt,
    Signal,
)
from PySide6.QtGui import QBrush, QFont, QPainter, QPen
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTableView

from vettore.app.style import colour, sans
from vettore.core.rounding import NumberStyle
from vettore.look.theme import SIZES
from vettore.study.series import Role, Series

HEADER_HEIGHT = 62
ROW_HEIGHT = 26


class SeriesModel(QAbstractTableModel):
    """Rows and columns of a series for the table view; holds nothing of its own."""

    def __init__(self) -> None:
        super().__init__()
        self.series: Series | None = None
        self.style = NumberStyle()
        self.pointed = -1
        self._struck = QFont(sans())
        self._struck.setStrikeOut(True)

    def show_series(self, series: Series | None, style: NumberStyle) -> None:
        """Show another series, or the same one after an edit."""
        same = (
            series is not None
            and self.series is not None
            and series.table is self.series.table
            and len(series.columns) == len(self.series.columns)
        )
        if same and series is not None:
            self.series, self.style = series, style
            self.dataChanged.emit(self.index(0, 0), self.index(self.rowCount() - 1, self.columnCount() - 1))
            self.headerDataChanged.emit(Qt.Orientation.Horizontal, 0, self.columnCount() - 1)
            self.headerDataChanged.emit(Qt.Orientation.Vertical, 0, self.rowCount() - 1)
            return
        self.beginResetModel()
        self.series, self.style, self.pointed = series, style, -1
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return self.series.rows if self.series else 0

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return len(self.series.columns) if self.series else 0

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole):
        if self.series is None or role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole):
            return None
        if orientation is Qt.Orientation.Vertical:
            return str(section + 1)
        column = self.series.columns[section]
        return f"{column.name}, {column.unit or 'no unit'}, {column.role}"

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole):
        if self.series is None:
            return None
        column = self.series.data[index.column()]
        aside = not self.series.kept[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if column.texts is not None else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.FontRole and aside:
            return self._struck
        if role == Qt.ItemDataRole.ForegroundRole and (aside or index.row() in column.words):
            return QBrush(colour("muted"))
        if role == Qt.ItemDataRole.BackgroundRole and index.row() == self.pointed:
            return QBrush(colour("soft"))
        if role == Qt.ItemDataRole.ToolTipRole and aside:
            return f"Set aside: {self.series.reason(index.row()) or 'no reason given'}"
        return None

    def text(self, row: int, place: int) -> str:
        """Return a cell as it is shown: with the decimal places that it was written with."""
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
        return self.style.plain(repr(value))

    def set_pointed(self, row: int) -> None:
        """Light another row."""
        rows = {self.pointed, row} - {-1}
        self.pointed = row
        for one in rows:
            if one < self.rowCount():
                last = self.index(one, self.columnCount() - 1)
                self.dataChanged.emit(self.index(one, 0), last, [Qt.ItemDataRole.BackgroundRole])


class ColumnHeader(QHeaderView):
    """Headers of three lines: name, unit, and the role, which a click changes."""

    role_clicked = Signal(int, object)

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.sectionClicked.connect(self._clicked)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), HEADER_HEIGHT)

    def _clicked(self, place: int) -> None:
        left = self.sectionViewportPosition(place)
        self.role_clicked.emit(place, self.viewport().mapToGlobal(QPointF(left + 8, HEADER_HEIGHT - 2).toPoint()))

    def paintSection(self, painter: QPainter, rect, place: int) -> None:
        model = self.model()
        if not isinstance(model, SeriesModel) or model.series is None or place >= model.columnCount():
            return
        column = model.series.columns[place]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(rect, colour("panel"))
        painter.setPen(QPen(colour("rule"), 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.setPen(QPen(colour("grid"), 1))
        painter.drawLine(rect.topRight(), rect.bottomRight())
        box = QRectF(rect).adjusted(10, 5, -6, -4)
        font = sans(SIZES.text)
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(colour("ink"))
        name = painter.fontMetrics().elidedText(column.name, Qt.TextElideMode.ElideRight, int(box.width()))
        painter.drawText(QRectF(box.left(), box.top(), box.width(), 18), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(sans(SIZES.small))
        painter.setPen(colour("muted"))
        painter.drawText(
            QRectF(box.left(), box.top() + 17, box.width(), 16), Qt.AlignmentFlag.AlignVCenter, column.unit or "—"
        )
        _draw_role(painter, box.left() - 2, box.top() + 34, column.role)
        painter.restore()


def _draw_role(painter: QPainter, left: float, top: float, role: Role) -> None:
    font = sans(SIZES.small)
    font.setBold(True)
    painter.setFont(font)
    width = painter.fontMetrics().horizontalAdvance(str(role)) + 14
    pill = QRectF(left, top, width, 17)
    used = role in (Role.X, Role.Y, Role.Y_ERROR, Role.X_ERROR, Role.Z)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("soft" if used else "canvas"))
    painter.drawRoundedRect(pill, 8.5, 8.5)
    painter.setPen(colour("accent" if used else "muted"))
    painter.drawText(pill, Qt.AlignmentFlag.AlignCenter, str(role))


class RowHeader(QHeaderView):
    """Row numbers; a row set aside carries a slashed disc."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setDefaultSectionSize(ROW_HEIGHT)
        self.setMinimumWidth(52)

    def paintSection(self, painter: QPainter, rect, row: int) -> None:
        model = self.model()
        if not isinstance(model, SeriesModel) or model.series is None or row >= model.rowCount():
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(rect, colour("soft" if row == model.pointed else "plot_ground"))
        painter.setPen(QPen(colour("grid"), 1))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        painter.drawLine(rect.topRight(), rect.bottomRight())
        painter.setFont(sans(SIZES.small))
        painter.setPen(colour("muted"))
        painter.drawText(
            rect.adjusted(0, 0, -8, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(row + 1)
        )
        if not model.series.kept[row]:
            centre = QPointF(rect.left() + 12, rect.center().y() + 0.5)
            painter.setPen(QPen(colour("muted"), 1.3))
            painter.drawEllipse(centre, 4, 4)
            painter.drawLine(centre + QPointF(-5, 5), centre + QPointF(5, -5))
        painter.restore()


class SeriesTable(QTableView):
    """The table view, linked to the session by its page."""

    rows_chosen = Signal(frozenset)
    row_pointed = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName("Table of the series")
        self.setModel(SeriesModel())
        self.header = ColumnHeader()
        self.setHorizontalHeader(self.header)
        self.setVerticalHeader(RowHeader())
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setMouseTracking(True)
        self.setShowGrid(True)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setTabKeyNavigation(False)
        self._following = False
        self.selectionModel().selectionChanged.connect(self._tell_rows)
        self.entered.connect(lambda index: self.row_pointed.emit(index.row()))

    def leaveEvent(self, event) -> None:
        self.row_pointed.emit(-1)
        super().leaveEvent(event)

    def show_series(self, series: Series | None, style: NumberStyle) -> None:
        """Show a series."""
        new = series is None or self.model().series is None or self.model().series.table is not series.table
        self.model().show_series(series, style)
        if new:
            self._share_width()
            self.scrollToTop()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._share_width()

    def _share_width(self) -> None:
        count = self.model().columnCount()
        if not count:
            return
        width = max(96, min(240, (self.viewport().width() - 2) // count))
        for place in range(count):
            self.setColumnWidth(place, width)

    def show_rows(self, rows: frozenset[int]) -> None:
        """Select rows that were chosen elsewhere and bring the first into view."""
        here = frozenset(index.row() for index in self.selectionModel().selectedRows())
        if here == rows:
            return
        self._following = True
        selection = QItemSelection()
        for row in sorted(rows)[:5000]:
            selection.select(self.model().index(row, 0), self.model().index(row, 0))
        flags = QItemSelectionModel.SelectionFlag.ClearAndSelect | QItemSelectionModel.SelectionFlag.Rows
        self.selectionModel().select(selection, flags)
        self._following = False
        if rows:
            self.scrollTo(self.model().index(min(rows), 0))

    def show_pointed(self, row: int) -> None:
        """Light the row under the pointer elsewhere."""
        self.model().set_pointed(row)
        self.verticalHeader().viewport().update()

    def _tell_rows(self) -> None:
        if not self._following:
            self.rows_chosen.emit(frozenset(index.row() for index in self.selectionModel().selectedRows()))
