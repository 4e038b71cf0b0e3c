"""The Data page: the plot above, the table below, linked; what came in and the column in numbers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.page import Page
from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.style import series_colour
from vettore.app.widgets.histogram import Histogram
from vettore.app.widgets.parts import Column, Invitation, Pairs, button, label, rule, section
from vettore.app.widgets.row_bar import RowBar
from vettore.app.widgets.table import SeriesTable
from vettore.core.errors import VettoreError, name_rows
from vettore.core.statistics import describe
from vettore.study import edits
from vettore.study.series import Role, Series

NUMBER_ROLES = [role for role in Role if role is not Role.TEXT]


class DataPage(Page):
    """Look at a series, point at rows, set rows aside, give columns their roles."""

    name = "Data"
    help_page = "data.md"
    few_choices = True

    def __init__(self, session: Session, open_file: Callable[[], object]) -> None:
        super().__init__(session)
        self._column = -1
        self._shown: tuple[object, ...] = ()
        self._build_choices(open_file)
        self._build_stage(open_file)
        self._build_findings()
        session.rows_changed.connect(self._show_rows)
        session.pointed_changed.connect(self._show_pointed)

    def _build_choices(self, open_file: Callable[[], object]) -> None:
        self.choices = QWidget()
        box = QVBoxLayout(self.choices)
        box.setContentsMargins(12, 8, 12, 12)
        box.addWidget(rule())
        box.addWidget(section("Bring in"))
        box.addWidget(button("Open a file …", open_file, "primary", "Text tables and studies (Ctrl+O)"))
        hint = label("or drop files anywhere on the window", "muted", wrap=True)
        box.addWidget(hint)
        box.addStretch()

    def _build_stage(self, open_file: Callable[[], object]) -> None:
        self.plot = Plot()
        self.first = self.plot
        self.table = SeriesTable()
        self.bar = RowBar(self.session)
        lower = QWidget()
        box = QVBoxLayout(lower)
        box.setContentsMargins(16, 4, 16, 12)
        box.addWidget(self.table)
        splitter = QSplitter(Qt.Orientation.Vertical)
        splitter.setObjectName("canvas")
        splitter.addWidget(self.plot)
        splitter.addWidget(lower)
        splitter.setSizes([360, 360])
        splitter.setChildrenCollapsible(False)
        filled = QWidget()
        column = QVBoxLayout(filled)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(splitter, 1)
        column.addWidget(self.bar)
        empty = Invitation("Bring in measured data to look at.", "Open a file …", open_file)
        stage = QStackedWidget()
        stage.setObjectName("canvas")
        stage.addWidget(empty)
        stage.addWidget(filled)
        self.stage = stage
        self.table.rows_chosen.connect(self.session.choose_rows)
        self.table.row_pointed.connect(self.session.point)
        self.table.header.role_clicked.connect(self._offer_roles)
        self.table.selectionModel().currentChanged.connect(lambda index, _old: self._choose_column(index.column()))
        self.plot.row_pointed.connect(self.session.point)
        self.plot.row_clicked.connect(self._row_clicked)
        for keys, action in (("S", lambda: self.bar.reason.setFocus()), ("B", self.session.bring_back)):
            for widget in (self.plot, self.table):
                shortcut = QShortcut(QKeySequence(keys), widget)
                shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
                shortcut.activated.connect(action)

    def _build_findings(self) -> None:
        findings = Column("Findings about the data")
        self.source, self.look = Pairs(), Pairs()
        self.look_title, self.look_text = section("To look at"), label("", "sentence", wrap=True)
        self.look_rule = rule()
        self.numbers_title, self.numbers, self.histogram = section("In numbers"), Pairs(), Histogram()
        self._parts = [
            section("What came in"),
            self.source,
            rule(),
            self.look_title,
            self.look_text,
            self.look_rule,
            self.numbers_title,
            self.numbers,
            self.histogram,
        ]
        findings.add(*self._parts)
        findings.column.addStretch()
        self.findings = findings

    def refresh(self) -> None:
        """Show the chosen series."""
        series = self.session.series
        self.stage.setCurrentIndex(0 if series is None else 1)
        for part in self._parts:
            part.setVisible(series is not None)
        self.table.show_series(series, self.session.style)
        if series is None:
            return
        if self._column >= len(series.columns) or self._column < 0:
            self._column = series.place(Role.Y) or 0
        self._show_plot(series)
        self._show_source(series)
        self._show_numbers(series)
        self._show_rows()

    def status(self) -> list[str]:
        """Say what is shown."""
        series = self.session.series
        if series is None:
            return []
        words = [f"{series.rows} rows, {len(series.columns)} columns", "raw values are never changed"]
        if self.session.pointed >= 0:
            words.append(f"row {self.session.pointed + 1} under the pointer")
        return words

    def _show_plot(self, series: Series) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        place = next(i for i, one in enumerate(self.session.study.series) if one.id == series.id)
        self.plot.dress(self.session.style)
        self.plot.set_titles(series.label(Role.X), series.label(Role.Y))
        if x is None or y is None:
            empty = np.empty(0)
            self.plot.marks.set_data(empty, empty, np.empty(0, np.intp), empty.astype(bool), series_colour(place))
            return
        rows = np.flatnonzero(series.measured)
        sigma = series.sigma
        self.plot.marks.set_data(
            x[rows],
            y[rows],
            rows,
            ~series.kept[rows],
            series_colour(place),
            None if sigma is None else sigma[rows],
        )
        shown = (series.key, series.place(Role.X), series.place(Role.Y))
        if shown != self._shown:
            self._shown = shown
            self.plot.show_home(x[rows], y[rows])

    def _show_source(self, series: Series) -> None:
        source = series.table.source
        pairs = [("file", source.name), *source.how] if source.name else list(source.how)
        self.source.show_pairs([*pairs, ("rows", f"{series.rows}, none dropped")])
        notes = "\n".join(source.notes)
        self.source.setToolTip(f"Notes beside the table:\n{notes}" if notes else "")
        sentences = _what_to_look_at(series)
        for part in (self.look_title, self.look_text, self.look_rule):
            part.setVisible(bool(sentences))
        self.look_text.setText("\n".join(f"△ {sentence}" for sentence in sentences))

    def _show_numbers(self, series: Series) -> None:
        column, raw = series.columns[self._column], series.data[self._column]
        self.numbers_title.setText(f"{column.name}, in numbers".upper())
        self.histogram.setVisible(raw.texts is None)
        if raw.texts is not None:
            filled = sum(bool(text.strip()) for text in raw.texts)
            self.numbers.show_pairs([("text in", f"{filled} of {len(raw.texts)} rows")])
            return
        values = raw.values[series.kept]
        style = self.session.style
        try:
            told = describe(values)
        except VettoreError as error:
            self.numbers.show_pairs([("count", "0"), ("", str(error))])
            self.histogram.hide()
            return

        def unit(value: float | None, digits: int = 5) -> str:
            return f"{style.number(value, digits)} {column.unit}".strip()

        self.numbers.show_pairs(
            [
                ("count", f"{told.count}" + (f" · {told.blank} blank" if told.blank else "")),
                ("mean", unit(told.mean)),
                ("median", unit(told.median)),
                ("standard deviation (n − 1)", unit(told.standard_deviation, 4)),
                ("variance", style.number(told.variance, 4)),
                ("smallest · largest", f"{style.number(told.minimum, 4)} · {style.number(told.maximum, 4)}"),
                ("quartiles", f"{style.number(told.lower_quartile, 4)} · {style.number(told.upper_quartile, 4)}"),
                ("sum", style.number(told.sum, 6)),
            ]
        )
        self.histogram.show_values(values, column.unit, style)

    def _choose_column(self, place: int) -> None:
        if place >= 0 and place != self._column and self.session.series is not None:
            self._column = place
            self._show_numbers(self.session.series)

    def _row_clicked(self, row: int, more: bool) -> None:
        if row < 0:
            self.session.choose_rows(())
        elif more:
            self.session.choose_rows(self.session.rows ^ {row})
        else:
            self.session.choose_rows({row})

    def _show_rows(self) -> None:
        if self.visible:
            self.plot.marks.set_chosen(self.session.rows)
            self.table.show_rows(self.session.rows)

    def _show_pointed(self, row: int) -> None:
        if self.visible:
            self.plot.marks.set_pointed(row)
            self.table.show_pointed(row)

    def _offer_roles(self, place: int, where) -> None:
        series = self.session.series
        if series is None or series.data[place].texts is not None:
            return
        menu = QMenu(self.table)
        for role in NUMBER_ROLES:
            action = menu.addAction(str(role))
            action.setCheckable(True)
            action.setChecked(series.columns[place].role is role)
            action.triggered.connect(lambda _checked=False, role=role: self.set_role(place, role))
        menu.popup(where)

    def set_role(self, place: int, role: Role) -> None:
        """Give a column another role."""
        series = self.session.series
        if series is None or series.columns[place].role is role:
            return
        column = series.columns[place]
        changed = edits.set_column(self.session.study, series.id, place, replace(column, role=role))
        self.session.do(f"make {column.name} {role}", changed)


def _what_to_look_at(series: Series) -> list[str]:
    """Return sentences about rows that deserve a look."""
    sentences = []
    for column, settings in zip(series.data, series.columns, strict=True):
        if column.texts is not None:
            continue
        blank = (np.flatnonzero(~np.isfinite(column.values)) + 1).tolist()
        if blank and len(blank) < series.rows:
            used = settings.role in (Role.X, Role.Y)
            consequence = "left out of every fit" if used else "not used by any curve"
            sentences.append(f"No number in {settings.name}: {name_rows(blank)} ({consequence}).")
    for entry in series.set_aside[:3]:
        sentences.append(f"Row {entry.row + 1} is set aside: {entry.reason or 'no reason given'}.")
    if len(series.set_aside) > 3:
        sentences.append(f"{len(series.set_aside) - 3} more rows are set aside.")
    return sentences
