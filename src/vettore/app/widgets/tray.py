"""The tray: the list of series and curves, or, where the room is wanted, one line that opens it over the column."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHideEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QAbstractButton, QSizePolicy, QVBoxLayout, QWidget

from vettore.app.painting import painting
from vettore.app.session import Session, What
from vettore.app.style import colour, theme
from vettore.app.widgets.parts import plain_tip, section
from vettore.app.widgets.popup import Popup
from vettore.app.widgets.series_list import SeriesList
from vettore.app.widgets.tray_entry import draw_sign, draw_words

FOLD_HEIGHT = 46
# The opened list is this much wider than the column, and takes this share of the window's height.
WIDER, SHARE = 96, 0.72


class Fold(QAbstractButton):
    """What is chosen, on two short lines: the series, and its curve with the key figure."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._figure = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(180, FOLD_HEIGHT)

    def show_chosen(self, series: str, figure: str) -> None:
        """Show what is chosen; ``figure`` is its curve and what tells how good that is."""
        self.setText(series)
        self._figure = figure
        self.setAccessibleName(f"Chosen: {series}, {figure}. Opens the list of series and curves")
        self.setToolTip(plain_tip(f"{series}\n{figure}\nClick for all series and curves (Ctrl+T)"))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            frame = QRectF(self.rect()).adjusted(0.8, 0.8, -0.8, -0.8)
            painter.setPen(QPen(colour("accent"), 1.2) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(colour("soft"))
            painter.drawRoundedRect(frame, 6, 6)
            series = self._session.series
            if series is not None:
                draw_sign(painter, QPointF(13, 15), self._session.ink(series), False)
            if self._session.curve is not None:
                painter.setPen(QPen(QColor(theme().fit), 2.6))
                painter.drawLine(QPointF(8, 31), QPointF(18, 31))
            area = QRectF(26, 6, self.width() - 26 - 26, FOLD_HEIGHT - 10)
            draw_words(painter, area, self.text(), self._figure, Qt.TextElideMode.ElideMiddle)
            painter.setPen(QPen(colour("accent"), 1.8))
            x, y = self.width() - 15.0, FOLD_HEIGHT / 2
            painter.drawPolyline(QPolygonF([QPointF(x - 5, y - 2.5), QPointF(x, y + 2.5), QPointF(x + 5, y - 2.5)]))


class Opened(Popup):
    """The list over the column; ``gone`` tells that it was closed, however that came about."""

    closed = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.closed.emit()


class Tray(QWidget):
    """The list in the column, or folded to one line."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._folded = False
        box = self._box = QVBoxLayout(self)
        box.setContentsMargins(7, 14, 7, 0)
        box.setSpacing(6)
        self._title = section("Series and curves")
        self._title.setContentsMargins(7, 0, 0, 0)
        self.list = SeriesList(session)
        self.fold = Fold(session)
        self.fold.clicked.connect(self.open)
        self.fold.hide()
        for widget in (self._title, self.fold):
            box.addWidget(widget)
        box.addWidget(self.list, 1)
        self._popup: Opened | None = None
        self.list.picked.connect(self.close_list)
        self.list.rebuilt.connect(self._show_fold)
        session.changed.connect(self._heed)

    def _heed(self, what: What) -> None:
        if What.STUDY in what:
            self.rebuild()
        elif What.CHOICE in what:
            self.list.mark()
            self._show_fold()

    def rebuild(self) -> None:
        """Show the series and curves of the study."""
        self.list.rebuild()

    def set_folded(self, folded: bool) -> None:
        """Fold the list to one line, or lay it out in the column."""
        self.close_list()
        self._folded = folded
        self._title.setVisible(not folded)
        self.fold.setVisible(folded)
        self.list.setVisible(not folded)
        self._box.setContentsMargins(7, 8 if folded else 14, 7, 0)
        self.setSizePolicy(
            QSizePolicy.Policy.Preferred,
            QSizePolicy.Policy.Fixed if folded else QSizePolicy.Policy.Expanding,
        )
        self._show_fold()

    def _show_fold(self) -> None:
        series, entry = self._session.series, self.list.chosen_entry()
        if series is None:
            self.fold.show_chosen("No series yet", "bring in data on the Data page")
        elif self._session.curve is None or entry is None:
            self.fold.show_chosen(series.name, entry.figure if entry is not None else "")
        else:
            self.fold.show_chosen(series.name, f"{entry.text()} · {entry.figure}")

    def open(self) -> None:
        """Open the list over the column; choosing, Escape or a click elsewhere closes it."""
        popup = self._popup = Opened(self)
        popup.closed.connect(self.close_list)
        box = QVBoxLayout(popup)
        box.setContentsMargins(10, 10, 10, 10)
        box.addWidget(section("Series and curves"))
        box.addWidget(self.list, 1)
        self.list.show()
        corner = self.mapToGlobal(QPoint(4, 6))
        popup.setGeometry(corner.x(), corner.y(), self.width() + WIDER, int(self.window().height() * SHARE))
        popup.show()
        chosen = self.list.chosen_entry()
        first = self.list.search_field if self.list.search_field.isVisible() else chosen
        if first is not None:
            first.setFocus(Qt.FocusReason.PopupFocusReason)
        self.list.mark()

    def close_list(self) -> None:
        """Put the list back into the column."""
        if self._popup is None:
            return
        popup, self._popup = self._popup, None
        self._box.addWidget(self.list, 1)
        self.list.setVisible(not self._folded)
        self.list.search_field.clear()
        popup.close()
        popup.deleteLater()
