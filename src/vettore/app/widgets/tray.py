"""The tray: the series of the study and their curves, each with a small picture and a key figure."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen
from PySide6.QtWidgets import QAbstractButton, QMenu, QScrollArea, QVBoxLayout, QWidget

from vettore.app.session import Session, What
from vettore.app.style import colour, sans, theme
from vettore.app.widgets.parts import clear, section
from vettore.app.work import Search
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.look.theme import SIZES
from vettore.study import edits
from vettore.study.derive import derive_fit, is_known
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Role, Series
from vettore.study.study import Study

PICTURE = QRectF(158, 11, 48, 20)
MOST_PICTURE_POINTS = 400
# Time for new entries to be given their places, in ms.
LAID_OUT_MS = 30
# What is seen above and below the chosen entry.
ROOM = 14


class TrayEntry(QAbstractButton):
    """A series or a curve in the tray."""

    def __init__(self, name: str, figure: str, picture: tuple[Array, Array], ink: str, curve: bool) -> None:
        super().__init__()
        self.setText(name)
        self.figure, self.picture, self.ink, self.curve = figure, picture, ink, curve
        self.setCheckable(True)
        self.setAccessibleName(f"{'Curve' if curve else 'Series'} {name}, {figure}")
        self.setToolTip(f"{name}\n{figure}")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def sizeHint(self) -> QSize:
        return QSize(SIZES.narrow_choices - 14, 36)

    def paintEvent(self, _event) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        frame = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        if self.isChecked():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colour("soft"))
            painter.drawRoundedRect(frame, 5, 5)
        if self.hasFocus():
            painter.setPen(QPen(colour("accent"), 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(frame, 5, 5)
        left = 44 if self.curve else 26
        ink = QColor(self.ink)
        if self.curve:
            painter.setPen(QPen(ink, 2.6))
            painter.drawLine(QPointF(24, 12), QPointF(38, 12))
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(ink)
            painter.drawEllipse(QPointF(14, 12), 4, 4)
        picture = PICTURE.translated(self.width() - (SIZES.choices - 14), -2)
        if self.width() < SIZES.choices - 30:
            picture.setLeft(picture.right() - PICTURE.width() * 0.6)
        room = picture.left() - left - 6
        font = sans(SIZES.text, sans().weight().Medium)
        painter.setFont(font)
        painter.setPen(colour("ink"))
        name = QFontMetrics(font).elidedText(self.text(), Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(left, 2, room + 4, 18), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(sans(SIZES.small))
        painter.setPen(colour("muted"))
        painter.drawText(QRectF(left, 18, room + 30, 16), Qt.AlignmentFlag.AlignVCenter, self.figure)
        self._draw_picture(painter, picture, ink)

    def _draw_picture(self, painter: QPainter, area: QRectF, ink: QColor) -> None:
        x, y = self.picture
        if len(x) < 2:
            return
        spans = [(v.min(), np.ptp(v) or 1.0) for v in (x, y)]
        px = area.left() + (x - spans[0][0]) / spans[0][1] * area.width()
        py = area.bottom() - (y - spans[1][0]) / spans[1][1] * area.height()
        points = [QPointF(a, b) for a, b in zip(px.tolist(), py.tolist(), strict=True)]
        if self.curve:
            painter.setPen(QPen(ink, 1.4))
            painter.drawPolyline(points)
        else:
            painter.setPen(QPen(ink, 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
            painter.drawPoints(points)


class Tray(QWidget):
    """Series and curves; a click chooses, the right button offers what can be done."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._entries: dict[tuple[str, str], TrayEntry] = {}
        self._unknown: list[str] = []
        self._refused: list[str] = []
        box = QVBoxLayout(self)
        box.setContentsMargins(7, 14, 7, 0)
        box.setSpacing(6)
        title = section("Series and curves")
        title.setContentsMargins(7, 0, 0, 0)
        box.addWidget(title)
        scroll = self._scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(1)
        scroll.setWidget(inner)
        box.addWidget(scroll)
        self._search = Search()
        session.search_stopped.connect(self._stop)
        session.changed.connect(self._heed)

    def _heed(self, what: What) -> None:
        if What.STUDY in what:
            self.rebuild()
        if What.CHOICE in what:
            self._mark()

    def rebuild(self) -> None:
        """Show the series and curves of the study."""
        clear(self._list)
        self._entries, self._unknown = {}, []
        study = self._session.study
        for series in study.series:
            self._add(series.id, "", self._series_entry(series))
            for curve in study.curves_of(series.id):
                self._add(series.id, curve.id, self._curve_entry(curve))
        self._list.addStretch()
        self._mark()
        unknown = [one for one in self._unknown if one not in self._refused]
        self._stop()
        search = self._search = Search()
        if unknown:
            # After what the page asks for of the same study, which the tray then need not search for itself.
            QTimer.singleShot(0, self, lambda: self._find(study, unknown, search))

    def _stop(self) -> None:
        self._search.stopped = True

    def _find(self, study: Study, unknown: list[str], search: Search) -> None:
        """Fit the curves that nobody has fitted yet."""

        def work() -> list[str]:
            refused = []
            for one in unknown:
                if search.stopped:
                    break
                try:
                    derive_fit(study, one, lambda _round, _squares: search.stopped)
                except VettoreError:
                    refused.append(one)
            return refused

        def found(refused: list[str]) -> None:
            # What cannot be fitted, or was given up, is not tried again until the study changes.
            if not search.stopped:
                self._refused = refused
                self.rebuild()
                self._refused = []

        if not search.stopped:
            self._session.background.run("tray", work, found, lambda _sentence: None)

    def _add(self, series: str, curve: str, entry: TrayEntry) -> None:
        entry.clicked.connect(lambda _checked=False: self._session.choose(series, curve))
        entry.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        entry.customContextMenuRequested.connect(
            lambda place: self._offer(series, curve).exec(entry.mapToGlobal(place))
        )
        self._entries[series, curve] = entry
        self._list.addWidget(entry)

    def _mark(self) -> None:
        series, curve = self._session.series, self._session.curve
        chosen = (series.id if series else "", curve.id if curve else "")
        for key, entry in self._entries.items():
            entry.setChecked(key == chosen)
        # Once the entries have their places.
        QTimer.singleShot(LAID_OUT_MS, self, self._bring_into_view)

    def _bring_into_view(self) -> None:
        """Scroll so far that the chosen entry is seen whole."""
        chosen = next((entry for entry in self._entries.values() if entry.isChecked()), None)
        if chosen is not None:
            self._scroll.ensureWidgetVisible(chosen, 0, ROOM)

    def _series_entry(self, series: Series) -> TrayEntry:
        figure = f"{series.rows} rows"
        if series.set_aside:
            figure += f" · {len(series.set_aside)} set aside"
        x, y = series.values(Role.X), series.values(Role.Y)
        empty: Array = np.empty(0)
        picture = (empty, empty)
        if x is not None and y is not None:
            rows = np.flatnonzero(series.in_use)
            rows = rows[:: max(1, len(rows) // MOST_PICTURE_POINTS)]
            picture = (x[rows], y[rows])
        ink = self._session.ink(series)
        return TrayEntry(series.name, figure, picture, ink, curve=False)

    def _curve_entry(self, curve: AnyFit) -> TrayEntry:
        empty: Array = np.empty(0)
        series = self._session.study.find_series(curve.series)
        if series.in_use.sum() > MOST_PICTURE_POINTS * 10:
            # A long fit is left to the page; the tray must not hold up the window.
            return TrayEntry(curve.name, "fitted on its page", (empty, empty), theme().fit, curve=True)
        if not is_known(self._session.study, curve.id) and curve.id not in self._refused:
            self._unknown.append(curve.id)
            return TrayEntry(curve.name, "…", (empty, empty), theme().fit, curve=True)
        try:
            fit = derive_fit(self._session.study, curve.id)
        except VettoreError:
            return TrayEntry(curve.name, "cannot be fitted", (empty, empty), theme().bad, curve=True)
        r2 = fit.result.r_squared
        figure = "no R²" if r2 is None else f"R² {self._session.style.fixed(r2, 4)}"
        if fit.curve is None:
            return TrayEntry(curve.name, figure, (empty, empty), theme().fit, curve=True)
        x = np.linspace(*fit.curve.span, 60)
        return TrayEntry(curve.name, figure, (x, fit.curve(x)), theme().fit, curve=True)

    def _next_colour(self, series: str) -> None:
        study = self._session.study
        one = study.find_series(series)
        place = next(i for i, other in enumerate(study.series) if other.id == series)
        now = place if one.colour is None else one.colour
        self._session.do("change a colour", edits.set_colour(study, series, (now + 1) % len(theme().series)))

    def _split(self, series: str) -> None:
        try:
            self._session.do("one series for each column", edits.split_series(self._session.study, series))
        except VettoreError as error:
            self._session.say(str(error), "bad")

    def _offer(self, series: str, curve: str) -> QMenu:
        menu = QMenu(self)
        study = self._session.study
        if curve:
            name = study.find_curve(curve).name
            remove = menu.addAction("Remove this curve")
            remove.triggered.connect(
                lambda: self._session.do(f"remove {name}", edits.remove_fit(self._session.study, curve))
            )
        else:
            name = study.find_series(series).name
            beside = menu.addAction("Show beside the chosen series")
            beside.setCheckable(True)
            beside.setChecked(series in self._session.beside)
            beside.triggered.connect(lambda: self._session.turn_beside(series))
            menu.addAction("Another colour").triggered.connect(lambda: self._next_colour(series))
            menu.addAction("One series for each column of numbers").triggered.connect(lambda: self._split(series))
            menu.addSeparator()
            remove = menu.addAction("Remove this series from the study")
            remove.triggered.connect(
                lambda: self._session.do(f"remove {name}", edits.remove_series(self._session.study, series))
            )
        return menu
