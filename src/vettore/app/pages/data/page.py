"""The Data page: the plot above, the table below, linked; what came in and the column in numbers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import (
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vettore.app.pages.data.bringing import Bringing
from vettore.app.pages.data.choices import DataChoices
from vettore.app.pages.data.findings import DataFindings
from vettore.app.pages.data.hands import TableHands
from vettore.app.pages.data.making import SeriesMaker
from vettore.app.pages.data.practice import Practice
from vettore.app.pages.data.present import beside, without_place
from vettore.app.pages.page import Doors, Page
from vettore.app.session import Session
from vettore.app.stage.hand_box import Hand
from vettore.app.stage.plot import Plot
from vettore.app.widgets.data.ask_bar import AskBar
from vettore.app.widgets.data.column_bar import ColumnBar
from vettore.app.widgets.data.column_popup import ColumnPopup
from vettore.app.widgets.data.row_bar import RowBar
from vettore.app.widgets.data.table import SeriesTable
from vettore.app.widgets.data.tools_line import ToolsLine
from vettore.app.widgets.parts import about
from vettore.app.widgets.welcome import Welcome
from vettore.core.columns.inspection import Finding, Remedy
from vettore.core.remarks import counted
from vettore.study import edits
from vettore.study.series import Role, Series
from vettore.words.findings import finding_sentence


class DataPage(Page):
    """Look at a series, type and paste, point at rows, set rows aside, decide about columns."""

    name = "Data"
    help_page = "data.md"
    few_choices = True

    def __init__(self, session: Session, doors: Doors) -> None:
        super().__init__(session, doors)
        self._column = -1
        self._shown: tuple[object, ...] = ()
        self.choices = DataChoices(
            {
                "open": doors.open_file,
                "paste": lambda: self.bringing.paste(),
                "columns": lambda: self.bringing.type_columns(),
                "practice": lambda: self.practice.open(),
            }
        )
        self._build_stage()
        self._listen_to_choices()
        self.findings = DataFindings(session, self._remedy, doors.read_differently, doors.show_help)
        self.practice = Practice(session, self.plot, self.findings)
        self.practice.opened.connect(self._begin_practice)
        self.practice.closed.connect(self._leave_practice)
        session.pointed_changed.connect(self._show_pointed)
        session.follower.changed.connect(self.redraw)

    def _listen_to_choices(self) -> None:
        self.choices.hand.currentTextChanged.connect(lambda words: self.plot.set_hand(Hand(words)))
        self.choices.join.clicked.connect(lambda _checked: self.refresh())
        self.choices.cross.clicked.connect(self._set_cross)
        for box in (self.choices.log_x, self.choices.log_y):
            box.clicked.connect(self._set_log)

    def _build_stage(self) -> None:
        self.plot = Plot(self.session.say)
        self.plot.log_turned.connect(self._show_log)
        self.first = self.plot
        self.table = SeriesTable()
        self.hands = TableHands(self.session, self.table)
        self.making, self.bringing = SeriesMaker(self.session, self.table), Bringing(self.session, self.table)
        self.bar, self.ask, self.work_out = RowBar(self.session), AskBar(self.session), ColumnBar(self.session)
        self.tools = ToolsLine(
            self.session,
            [
                ("Find rows …", "Choose rows by a condition, or set them aside", self.ask, self.ask.field),
                ("Work out a column …", "From the other columns, by a formula", self.work_out, self.work_out.name),
            ],
        )
        self.table_box = QWidget()
        box = QVBoxLayout(self.table_box)
        box.setContentsMargins(16, 4, 16, 12)
        box.addWidget(self.table)
        splitter = QSplitter(Qt.Orientation.Vertical)
        splitter.setObjectName("canvas")
        splitter.addWidget(self.plot)
        splitter.addWidget(self.table_box)
        splitter.setSizes([420, 260])
        splitter.setChildrenCollapsible(False)
        filled = QWidget()
        column = QVBoxLayout(filled)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(splitter, 1)
        for widget in (self.bar, self.tools):
            column.addWidget(widget)
        self.welcome = Welcome(self.doors.open_file, self.doors.show_demo, lambda: self.practice.open())
        self.welcome.chosen.connect(lambda path: self.doors.open_paths([path]))
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        stage.addWidget(self.welcome)
        stage.addWidget(filled)
        self.stage = stage
        self._listen()

    def _listen(self) -> None:
        """Heed what is done on plot and table, and say what they are about."""
        self.table.rows_chosen.connect(self.session.choose_rows)
        self.table.row_pointed.connect(self.session.point)
        self.table.header.role_clicked.connect(self.decide_column)
        self.table.header.moved.connect(self._move_column)
        self.table.selectionModel().currentChanged.connect(lambda index, _old: self._choose_column(index.column()))
        self.plot.row_pointed.connect(self.session.point)
        self.plot.row_clicked.connect(self.session.choose_clicked)
        self.plot.rows_enclosed.connect(self.session.choose_rows)
        self.bar.add_keys(self.plot, self.table)
        about("data.md#look-at-the-plot", self.plot)
        about("data.md#type-and-change-cells", self.table)
        about("data.md#set-rows-aside", self.bar, self.ask)
        about("data.md#work-out-a-column", self.work_out)
        about("data.md#bring-in-data", self.welcome)

    def _leave_practice(self) -> None:
        for part in (self.table_box, self.bar, self.tools):
            part.setVisible(True)
        self._shown = ()
        self.refresh()

    def _begin_practice(self) -> None:
        """Hide what belongs to the chosen series while other rows are previewed."""
        self.stage.setCurrentIndex(1)
        for part in (self.table_box, self.bar, self.tools):
            part.setVisible(False)

    def refresh(self) -> None:
        """Show the chosen series."""
        series = self.session.series
        self.stage.setCurrentIndex(0 if series is None else 1)
        self.choices.dragging.setVisible(series is not None)
        self.first = self.plot if series is not None else self.welcome.first
        if not self.practice.is_open:
            self.findings.setCurrentWidget(
                self.findings.of_series if series is not None else self.findings.first_steps
            )
        self.table.show_series(series, self.session.style)
        if series is None:
            self.welcome.show_recent(self.doors.recent())
            return
        if self._column >= len(series.columns) or self._column < 0:
            self._column = series.place(Role.Y) or 0
        self._show_plot(series)
        self.findings.show_series(series, self._column)
        self.show_rows()

    def close_topmost(self) -> bool:
        """Close the practice data, or the bar under the table."""
        return self.practice.close() or self.tools.close_bar()

    def status(self) -> list[str]:
        """Say what is shown."""
        series = self.session.series
        if series is None:
            return []
        words = [
            f"{counted(series.rows, 'row')}, {counted(len(series.columns), 'column')}",
            "raw values are never changed",
        ]
        if self.session.pointed >= 0:
            words.append(f"row {self.session.pointed + 1} under the pointer")
        return words

    def _show_plot(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        ink = self.session.ink(series)
        self.plot.dress(self.session.style)
        self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
        if x is None or y is None:
            empty = np.empty(0)
            self.plot.marks.set_data(empty, empty, np.empty(0, np.intp), empty.astype(bool), ink)
            return
        # Without blanks the columns are shown as they are, and not as copies of a million rows.
        rows = np.flatnonzero(series.measured) if not series.measured.all() else slice(None)
        numbers = np.arange(series.rows)[rows]
        sigma = series.sigma
        self.plot.marks.set_data(
            x[rows],
            y[rows],
            numbers,
            ~series.kept[rows],
            ink,
            None if sigma is None else sigma[rows],
        )
        self.plot.trace.setVisible(self.choices.join.isChecked())
        if self.choices.join.isChecked():
            used = np.flatnonzero(series.in_use)
            self.plot.trace.set_data(x[used], y[used], ink)
        others = [
            (item.name, item.x, item.y, self.session.ink(self.session.study.find_series(item.id)))
            for item in beside(self.session.study, series, self.session.beside)
        ]
        self.plot.show_others(others, (series.name, ink))
        shown = (series.key, series.place(Role.X), series.place(Role.Y), tuple(name for name, *_ in others))
        if shown != self._shown:
            self._shown = shown
            home = (x[rows], y[rows])
            if others:
                every = [home, *((other_x, other_y) for _, other_x, other_y, _ in others)]
                home = tuple(np.concatenate(values) for values in zip(*every, strict=True))
            self.plot.show_home(*home)

    def _remedy(self, finding: Finding) -> None:
        """Do what a finding offers."""
        series = self.session.series
        if series is None:
            return
        study = self.session.study
        if finding.remedy is Remedy.SET_ASIDE:
            reason = finding_sentence(finding, series, self.session.style)
            self.session.do("set rows aside", edits.set_rows_aside(study, series.id, finding.rows, reason))
        elif finding.remedy is Remedy.SORT:
            self.session.do("sort by x", edits.sort_rows(study, series.id, series.place(Role.X) or 0, False))
        elif finding.remedy is Remedy.AVERAGE:
            self.making.averages()
        elif finding.remedy is Remedy.OTHER_READING:
            name = series.columns[finding.column].name
            self.session.do(f"read {name} the other way", edits.read_other_way(study, series.id, finding.column))

    def _choose_column(self, place: int) -> None:
        if place >= 0 and place != self._column and self.session.series is not None:
            self._column = place
            self.findings.show_column(self.session.series, self._column)

    def show_rows(self) -> None:
        """Light the chosen rows on plot and table."""
        if self.visible:
            self.plot.marks.set_chosen(self.session.rows)
            self.table.show_rows(self.session.rows)

    def _show_pointed(self, row: int) -> None:
        if self.visible:
            self.plot.marks.set_pointed(row)
            self.table.show_pointed(row)

    def decide_column(self, place: int, where: QPoint) -> None:
        """Open the form of a column under its header."""
        if self.session.series is not None:
            self.popup = ColumnPopup(self.session, place, self.table)
            self.popup.show_at(where)

    def _move_column(self, old: int, new: int) -> None:
        series = self.session.series
        if series is not None:
            self.session.do("move a column", edits.move_column(self.session.study, series.id, old, new))

    def _set_cross(self, shown: bool) -> None:
        self.plot.cross_shown = shown
        self.plot.cross.set_place(None, "")

    def _set_log(self) -> None:
        self.plot.set_log(self.choices.log_x.isChecked(), self.choices.log_y.isChecked())

    def _show_log(self, *log: bool) -> None:
        """Follow the scales of the axes, and say which rows have no place on them."""
        self.choices.show_log(*log)
        series = self.session.series
        for role, on in zip((Role.X, Role.Y), log, strict=True):
            words = without_place(series, role) if on and series is not None else ""
            if words:
                self.session.say(words, "bad")

    def set_role(self, place: int, role: Role) -> None:
        """Give a column another role."""
        series = self.session.series
        if series is None or series.columns[place].role is role:
            return
        column = series.columns[place]
        changed = edits.set_column(self.session.study, series.id, place, replace(column, role=role))
        self.session.do(f"make {column.name} {role}", changed)
