"""What the window works on: the study with its history, and what is chosen at the moment.

Widgets read from here and ask for edits here; when something changes they are told and read again.
"""

from __future__ import annotations

from collections.abc import Iterable
from enum import Flag, auto
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from vettore.app.following import Follower
from vettore.app.own_models import OwnModels
from vettore.app.places import places
from vettore.app.style import series_colour
from vettore.app.work import Background
from vettore.core.rounding import NumberStyle
from vettore.files.held import Hold
from vettore.files.whole import stamp_of
from vettore.study import edits
from vettore.study.history import History
from vettore.study.kinds.fits import AnyFit
from vettore.study.series import Series
from vettore.study.study import Study
from vettore.study.table import Table


class What(Flag):
    """What has changed: the study, which of its series and curves is chosen, which rows are."""

    STUDY = auto()
    CHOICE = auto()
    ROWS = auto()


class Session(QObject):
    """The study in the window. ``changed`` is emitted once for each edit and each choice, with all that it changed."""

    changed = Signal(object)
    pointed_changed = Signal(int)
    # The user gives up a search: whoever else does it gives it up, too.
    search_stopped = Signal()
    message = Signal(str, str)
    # The program itself went wrong: a sentence, and what happened.
    fault_told = Signal(str, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.history = History()
        self.background = Background(self)
        self.path: Path | None = None
        # The file as it was when it was opened or saved last.
        self.stamp: tuple[int, int] | None = None
        self.hold: Hold | None = None
        self.own_models = OwnModels(places().library, self)
        self.follower = Follower(self, self)
        self.rows: frozenset[int] = frozenset()
        self.beside: set[str] = set()
        # Whether nothing is to move by itself.
        self.still = False
        self._series = ""
        self._curve = ""
        self._pointed = -1
        # Whether listeners are being told of an edit, and whether one of them went wrong over it.
        self._telling = self._faulty = False

    @property
    def study(self) -> Study:
        """The present study."""
        return self.history.study

    @property
    def style(self) -> NumberStyle:
        """How numbers are written."""
        return NumberStyle(self.study.report.decimal_mark)

    @property
    def series(self) -> Series | None:
        """The chosen series."""
        return next((series for series in self.study.series if series.id == self._series), None)

    @property
    def curve(self) -> AnyFit | None:
        """The chosen curve of the chosen series."""
        return next((curve for curve in self.study.curves if curve.id == self._curve), None)

    def start(self, study: Study, path: Path | None = None) -> None:
        """Begin with another study."""
        self.follower.stop()
        self.history = History(study)
        self.keep_at(path)
        curve = study.reported_curve
        self._curve = curve.id if curve else ""
        self._series = curve.series if curve else (study.series[0].id if study.series else "")
        self.rows = frozenset()
        self._tell_all()

    def keep_at(self, path: Path | None) -> None:
        """Say where the study is kept, as it is there now; other windows see that it is open here."""
        if path != self.path or self.hold is None:
            self.let_go()
            self.hold = None if path is None else Hold(path)
        self.path = path
        self.stamp = None if path is None else stamp_of(path)

    def let_go(self) -> None:
        """The study is no longer open here."""
        if self.hold is not None:
            self.hold.let_go()
            self.hold = None

    @property
    def changed_on_disk(self) -> bool:
        """Whether somebody else wrote the study's file since it was opened or saved here."""
        now = None if self.path is None else stamp_of(self.path)
        return now is not None and now != self.stamp

    def do(self, label: str, study: Study) -> None:
        """Make an edit; it can be undone. What changes nothing is no edit."""
        if (study.parts, study.title) == (self.study.parts, self.study.title):
            return
        self.history.do(label, study)
        self._settle()
        self._faulty = False
        self._tell_all()
        if self._faulty:
            # It cannot be shown, so that it would stand in the way of everything after it.
            self.history.undo()
            self._settle()
            self._tell_all()

    def hear_fault(self) -> bool:
        """Hear that something went wrong; whether it did while an edit was shown, which is taken back."""
        self._faulty = self._telling
        return self._faulty

    def grow(self, series: Series, table: Table) -> None:
        """Take rows that came in for a series: no decision, so that undo and redo keep them."""

        def grown(study: Study) -> Study:
            same = any(each.id == series.id and each.table is series.table for each in study.series)
            return edits.grow_series(study, series.id, table) if same else study

        self.history.amend_all(grown)
        self._settle()
        self._tell_all()

    def undo(self) -> None:
        """Take the last edit back."""
        label = self.history.undo()
        if label:
            self._settle()
            self._tell_all()
            self.message.emit("", f"Undone: {label}")

    def redo(self) -> None:
        """Do again what was undone."""
        label = self.history.redo()
        if label:
            self._settle()
            self._tell_all()
            self.message.emit("", f"Done again: {label}")

    def choose(self, series: str, curve: str = "") -> None:
        """Choose a series, and a curve of it (the first when none is named)."""
        if not curve:
            of_series = self.study.curves_of(series)
            curve = of_series[0].id if of_series else ""
        if (series, curve) == (self._series, self._curve):
            return
        if series != self._series:
            self.rows = frozenset()
            self._pointed = -1
        self._series, self._curve = series, curve
        if curve:
            self.history.amend(edits.set_report(self.study, self.study.report.changed(curve=curve)))
        self.changed.emit(What.CHOICE | What.ROWS)

    def choose_rows(self, rows: Iterable[int]) -> None:
        """Choose rows of the series."""
        # A plot may still show another series than the one that is chosen by now.
        count = 0 if self.series is None else self.series.rows
        chosen = frozenset(row for row in rows if 0 <= row < count)
        if chosen != self.rows:
            self.rows = chosen
            self.changed.emit(What.ROWS)

    def choose_clicked(self, row: int, more: bool) -> None:
        """Choose the row of a mark that was clicked: alone, or (``more``) beside the others; −1 lets all go."""
        if row < 0:
            self.choose_rows(())
        else:
            self.choose_rows(self.rows ^ {row} if more else {row})

    def ink(self, series: Series) -> str:
        """Return the colour of a series: the one chosen for it, or that of its place in the study."""
        if series.colour is not None:
            return series_colour(series.colour)
        return series_colour(next((i for i, each in enumerate(self.study.series) if each.id == series.id), 0))

    def point(self, row: int) -> None:
        """Point at a row (−1 for none): it is ringed on the plot and lit in the table."""
        if self.series is None or row >= self.series.rows:
            row = -1
        if row != self._pointed:
            self._pointed = row
            self.pointed_changed.emit(row)

    @property
    def pointed(self) -> int:
        """The row under the pointer, or −1."""
        return self._pointed

    def turn_beside(self, series: str) -> None:
        """Show a series beside the chosen one on the Data page, or no longer."""
        self.beside ^= {series}
        self.changed.emit(What.CHOICE)

    def set_aside(self, reason: str) -> None:
        """Set the chosen rows aside."""
        series = self.series
        if series is None or not self.rows:
            return
        count = len(self.rows)
        label = f"set row {min(self.rows) + 1} aside" if count == 1 else f"set {count} rows aside"
        self.do(label, edits.set_rows_aside(self.study, series.id, self.rows, reason))

    def bring_back(self) -> None:
        """Use the chosen rows again."""
        series = self.series
        if series is None or not self.rows:
            return
        count = len(self.rows)
        label = f"bring row {min(self.rows) + 1} back" if count == 1 else f"bring {count} rows back"
        self.do(label, edits.bring_rows_back(self.study, series.id, self.rows))

    def say(self, text: str, kind: str = "") -> None:
        """Show a sentence in the status line; ``kind`` "bad" makes it stand out."""
        self.message.emit(kind, text)

    def _settle(self) -> None:
        """Keep the choice on something that exists."""
        if self.series is None:
            self._series = self.study.series[-1].id if self.study.series else ""
            self.rows = frozenset()
        curve = self.curve
        if curve is None or curve.series != self._series:
            of_series = self.study.curves_of(self._series)
            self._curve = of_series[-1].id if of_series else ""
        if self.series is not None:
            self.rows = frozenset(row for row in self.rows if row < self.series.rows)

    def choose_newest(self) -> None:
        """Choose the series, or the curve, that was made last."""
        self._series = self.study.series[-1].id if self.study.series else ""
        self._settle()
        self._tell_all()

    def show_curve(self, curve: str) -> None:
        """Choose a curve just made, with its series."""
        self.choose(self.study.find_curve(curve).series, curve)

    def _tell_all(self) -> None:
        outer, self._telling = self._telling, True
        self.changed.emit(What.STUDY | What.CHOICE | What.ROWS)
        self._telling = outer
