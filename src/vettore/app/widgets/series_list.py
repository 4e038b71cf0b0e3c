"""The series of the study and their curves as a list with a search, keys, and what can be done with each."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QApplication, QInputDialog, QLineEdit, QMenu, QScrollArea, QVBoxLayout, QWidget

from vettore.app.search import Search
from vettore.app.session import Session
from vettore.app.style import theme
from vettore.app.widgets.parts import clear, label, tab_through
from vettore.app.widgets.tray_entry import TrayEntry, told_by_their_ends
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.remarks import counted
from vettore.study import edits
from vettore.study.derive import derive_fit, is_known
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Role, Series
from vettore.study.study import Study

MOST_PICTURE_POINTS = 400
# Time for new entries to be given their places, in ms.
LAID_OUT_MS = 30
# What is seen above and below the chosen entry.
ROOM = 14
# Fewer entries than this need no search.
WORTH_SEARCHING = 8


class SeriesList(QWidget):
    """A click or Enter chooses; the right button offers what can be done."""

    picked = Signal()
    rebuilt = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._entries: dict[tuple[str, str], TrayEntry] = {}
        self._unknown: list[str] = []
        self._refused: list[str] = []
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.search_field = QLineEdit()
        self.search_field.setPlaceholderText("search …")
        self.search_field.setAccessibleName("Search for a series or a curve by its name")
        self.search_field.setClearButtonEnabled(True)
        self.search_field.textChanged.connect(self._narrow)
        self.search_field.returnPressed.connect(self._pick_first)
        box.addWidget(self.search_field)
        self._nothing = label("Nothing has that in its name.", "muted", wrap=True)
        box.addWidget(self._nothing)
        scroll = self._scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(1)
        scroll.setWidget(inner)
        box.addWidget(scroll, 1)
        self._search = Search()
        session.search_stopped.connect(self._stop)

    @property
    def entries(self) -> dict[tuple[str, str], TrayEntry]:
        """The lines by series and curve."""
        return self._entries

    def chosen_entry(self) -> TrayEntry | None:
        """Return the line that is chosen."""
        return next((entry for entry in self._entries.values() if entry.isChecked()), None)

    def rebuild(self) -> None:
        """Show the series and curves of the study."""
        clear(self._list)
        self._entries, self._unknown = {}, []
        study = self._session.study
        alike = told_by_their_ends([series.name for series in study.series])
        for series in study.series:
            self._add(series.id, "", self._series_entry(series, series.name in alike))
            for curve in study.curves_of(series.id):
                self._add(series.id, curve.id, self._curve_entry(curve))
        self._list.addStretch()
        tab_through(self.search_field, self._entries.values())
        self._narrow()
        self.mark()
        self.rebuilt.emit()
        # What is shown has the whole column laid out at once: in an event of its own.
        many = len(self._entries) >= WORTH_SEARCHING
        QTimer.singleShot(0, self, lambda: self.search_field.setVisible(many))
        unknown = [curve for curve in self._unknown if curve not in self._refused]
        self._stop()
        search = self._search = Search()
        if unknown:
            # After what the page asks for of the same study, which the tray then need not search for itself.
            QTimer.singleShot(0, self, lambda: self._find(study, unknown, search))

    def _narrow(self) -> None:
        """Show the lines that have what was typed in their name, curves beside their series."""
        wanted = self.search_field.text().strip().casefold()
        shown = 0
        for (series, _curve), entry in self._entries.items():
            names = [entry.text(), self._entries[series, ""].text()]
            fits = not wanted or any(wanted in name.casefold() for name in names)
            entry.setVisible(fits)
            shown += fits
        self._nothing.setVisible(bool(wanted) and not shown)

    def _pick_first(self) -> None:
        visible = next((entry for entry in self._entries.values() if entry.isVisible()), None)
        if visible is not None:
            visible.click()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go up and down among the lines that are shown; Enter chooses."""
        visible = [entry for entry in self._entries.values() if entry.isVisible()]
        focused = next((place for place, entry in enumerate(visible) if entry.hasFocus()), -1)
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and focused >= 0:
            visible[focused].click()
        elif event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up) and visible:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            place = min(max(focused + step, 0), len(visible) - 1)
            visible[place].setFocus(Qt.FocusReason.TabFocusReason)
            self._scroll.ensureWidgetVisible(visible[place], 0, ROOM)
        else:
            super().keyPressEvent(event)

    def _stop(self) -> None:
        self._search.stopped = True

    def _find(self, study: Study, unknown: list[str], search: Search) -> None:
        """Fit the curves that nobody has fitted yet."""

        def work() -> list[str]:
            refused = []
            for curve in unknown:
                if search.stopped:
                    break
                try:
                    derive_fit(study, curve, lambda _round, _squares: search.stopped)
                except VettoreError:
                    refused.append(curve)
            return refused

        def done(refused: list[str]) -> None:
            # What cannot be fitted, or was given up, is not tried again until the study changes.
            if not search.stopped:
                self._refused = refused
                self.rebuild()
                self._refused = []

        if not search.stopped:
            self._session.background.run("tray", work, done, lambda _sentence: None)

    def _add(self, series: str, curve: str, entry: TrayEntry) -> None:
        entry.clicked.connect(lambda _checked=False: self._pick(series, curve))
        entry.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        entry.customContextMenuRequested.connect(
            lambda place: self.offer(series, curve).exec(entry.mapToGlobal(place))
        )
        self._entries[series, curve] = entry
        self._list.addWidget(entry)

    def _pick(self, series: str, curve: str) -> None:
        if QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier and not curve:
            # Beside the chosen series, which stays chosen.
            self._session.turn_beside(series)
            self.mark()
            return
        self._session.choose(series, curve)
        self.mark()
        self.picked.emit()

    def mark(self) -> None:
        """Mark the chosen series or curve, and bring it into view."""
        series, curve = self._session.series, self._session.curve
        chosen = (series.id if series else "", curve.id if curve else "")
        for key, entry in self._entries.items():
            entry.setChecked(key == chosen)
            beside = not key[1] and key[0] in self._session.beside and key[0] != chosen[0]
            if entry.beside != beside:
                entry.beside = beside
                entry.update()
        # Once the entries have their places.
        QTimer.singleShot(LAID_OUT_MS, self, self.bring_into_view)

    def bring_into_view(self) -> None:
        """Scroll so far that the chosen entry is seen whole."""
        chosen = self.chosen_entry()
        if chosen is not None:
            self._scroll.ensureWidgetVisible(chosen, 0, ROOM)

    def _series_entry(self, series: Series, middle: bool) -> TrayEntry:
        figure = counted(series.rows, "row")
        if series.set_aside:
            figure += f" · {len(series.set_aside)} set aside"
        x, y = series.values(Role.X), series.values(Role.Y)
        empty: Array = np.empty(0)
        picture = (empty, empty)
        if x is not None and y is not None:
            rows = np.flatnonzero(series.in_use)
            rows = rows[:: max(1, len(rows) // MOST_PICTURE_POINTS)]
            picture = (x[rows], y[rows])
        return TrayEntry(series.name, figure, picture, self._session.ink(series), curve=False, middle=middle)

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

    # What can be done with a series or a curve.

    def offer(self, series: str, curve: str) -> QMenu:
        """Return the menu of a line."""
        menu, session = QMenu(self), self._session
        if curve:
            name = session.study.find_curve(curve).name
            menu.addAction("Remove this curve").triggered.connect(
                lambda: session.do(f"remove {name}", edits.remove_fit(session.study, curve))
            )
            return menu
        menu.addAction("Rename …").triggered.connect(lambda: self.ask_name(series))
        menu.addAction("Duplicate").triggered.connect(
            lambda: session.do("duplicate a series", edits.duplicate_series(session.study, series))
        )
        for words, by in (("Move up", -1), ("Move down", 1)):
            menu.addAction(words).triggered.connect(
                lambda _on=False, by=by: session.do("move a series", edits.move_series(session.study, series, by))
            )
        beside = menu.addAction("Show beside the chosen series")
        beside.setCheckable(True)
        beside.setChecked(series in session.beside)
        beside.triggered.connect(lambda: session.turn_beside(series))
        menu.addAction("Another colour").triggered.connect(lambda: self._next_colour(series))
        menu.addAction("One series for each column of numbers").triggered.connect(lambda: self._split(series))
        menu.addSeparator()
        name = session.study.find_series(series).name
        menu.addAction("Remove this series from the study").triggered.connect(
            lambda: session.do(f"remove {name}", edits.remove_series(session.study, series))
        )
        return menu

    def ask_name(self, series: str) -> None:
        """Ask for another name of a series."""
        now = self._session.study.find_series(series).name
        name, taken = QInputDialog.getText(self, "Rename", "Name of the series:", text=now)
        if taken and name.strip():
            self._session.do("rename a series", edits.rename_series(self._session.study, series, name.strip()))

    def _next_colour(self, series: str) -> None:
        study = self._session.study
        place = next(i for i, other in enumerate(study.series) if other.id == series)
        chosen = study.find_series(series).colour
        now = place if chosen is None else chosen
        self._session.do("change a colour", edits.set_colour(study, series, (now + 1) % len(theme().series)))

    def _split(self, series: str) -> None:
        try:
            self._session.do("one series for each column", edits.split_series(self._session.study, series))
        except VettoreError as error:
            self._session.say(str(error), "bad")
