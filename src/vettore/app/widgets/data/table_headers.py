"""The headers of the table: columns in three lines, rows with their numbers."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import QHeaderView

from vettore.app.painting import painting
from vettore.app.style import colour, sans
from vettore.app.widgets.data.table_model import SeriesModel
from vettore.look.theme import SIZES
from vettore.study.series import Role

HEADER_HEIGHT = 62
ROW_HEIGHT = 26


class ColumnHeader(QHeaderView):
    """Headers of three lines: name, unit, and the role, which a click changes."""

    role_clicked = Signal(int, object)
    moved = Signal(int, int)

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.sectionClicked.connect(self._clicked)
        self.setSectionsMovable(True)
        self.sectionMoved.connect(self._moved)

    def sizeHint(self) -> QSize:
        return QSize(super().sizeHint().width(), HEADER_HEIGHT)

    def _clicked(self, place: int) -> None:
        left = self.sectionViewportPosition(place)
        self.role_clicked.emit(place, self.viewport().mapToGlobal(QPointF(left + 8, HEADER_HEIGHT - 2).toPoint()))

    def _moved(self, _place: int, old: int, new: int) -> None:
        """Tell of the move and put the header back: the study decides the order."""
        self.blockSignals(True)
        self.moveSection(new, old)
        self.blockSignals(False)
        self.moved.emit(old, new)

    def paintSection(self, painter: QPainter, rect: QRect, place: int) -> None:
        model = self.model()
        if not isinstance(model, SeriesModel) or model.series is None or place >= model.columnCount():
            return
        column = model.series.columns[place]
        with painting(painter):
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
            _draw_role(painter, QRectF(box.left() - 2, box.top() + 34, box.width() + 2, 17), column.role)


def _draw_role(painter: QPainter, room: QRectF, role: Role) -> None:
    font = sans(SIZES.small)
    font.setBold(True)
    painter.setFont(font)
    metrics = painter.fontMetrics()
    words = metrics.elidedText(str(role), Qt.TextElideMode.ElideRight, int(room.width()) - 14)
    pill = QRectF(room.left(), room.top(), metrics.horizontalAdvance(words) + 14, room.height())
    used = role not in (Role.CARRIED, Role.TEXT)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour("soft" if used else "canvas"))
    painter.drawRoundedRect(pill, 8.5, 8.5)
    painter.setPen(colour("accent" if used else "muted"))
    painter.drawText(pill, Qt.AlignmentFlag.AlignCenter, words)


class RowHeader(QHeaderView):
    """Row numbers; a row set aside carries a slashed disc."""

    def __init__(self) -> None:
        super().__init__(Qt.Orientation.Vertical)
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        self.setDefaultSectionSize(ROW_HEIGHT)
        self.setMinimumWidth(52)

    def paintSection(self, painter: QPainter, rect: QRect, row: int) -> None:
        model = self.model()
        if not isinstance(model, SeriesModel) or model.series is None or row >= model.rowCount():
            return
        with painting(painter):
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            row = model.row_of(row)
            painter.fillRect(rect, colour("soft" if row == model.pointed else "plot_ground"))
            painter.setPen(QPen(colour("grid"), 1))
            painter.drawLine(rect.bottomLeft(), rect.bottomRight())
            painter.drawLine(rect.topRight(), rect.bottomRight())
            painter.setFont(sans(SIZES.small))
            painter.setPen(colour("muted"))
            painter.drawText(
                rect.adjusted(0, 0, -8, 0), Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, str(row + 1)
            )
            if row < model.series.rows and not model.series.kept[row]:
                centre = QPointF(rect.left() + 12, rect.center().y() + 0.5)
                painter.setPen(QPen(colour("muted"), 1.3))
                painter.drawEllipse(centre, 4, 4)
                painter.drawLine(centre + QPointF(-5, 5), centre + QPointF(5, -5))
