"""The right of the Data page: what came in, what to look at, what is set aside, and a column in numbers."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QStackedWidget

from vettore.app.pages.data.present import came_in, in_numbers, set_aside, text_numbers
from vettore.app.session import Session
from vettore.app.widgets.copy_table import CopyTable
from vettore.app.widgets.data.histogram import Histogram
from vettore.app.widgets.data.look_list import LookList
from vettore.app.widgets.parts import Column, Pairs, about, button, label, plain_tip, rule, section
from vettore.app.widgets.welcome import FirstSteps
from vettore.core.columns.inspection import Finding
from vettore.study.inspect import ColumnNumbers, column_numbers, findings_of, summary_table
from vettore.study.series import ColumnSettings, Role, Series


class DataFindings(QStackedWidget):
    """What is said of the data; the first steps where there are none; what else may open over both."""

    def __init__(
        self,
        session: Session,
        remedy: Callable[[Finding], None],
        read_differently: Callable[[], object],
        show_help: Callable[[str], object],
    ) -> None:
        super().__init__()
        self._session = session
        self.source = Pairs()
        self.differently = button("Read it differently …", read_differently)
        self.follow = button("", self._turn_follow, "link", "New rows come in as they are written to the file")
        self.followed = label("", "muted", wrap=True)
        self.look_title, self.look = section("To look at"), LookList(session, remedy)
        self.look_rule, self.aside_rule = rule(), rule()
        self.aside_title, self.aside = section("Set aside"), Pairs()
        self.numbers_title, self.numbers, self.histogram = section("In numbers"), Pairs(), Histogram()
        self.numbers_title.setWordWrap(True)
        self.of_series = Column("Findings about the data")
        self.of_series.add(section("What came in"), self.source, self.differently, self.follow, self.followed, rule())
        self.of_series.add(self.look_title, self.look, self.look_rule)
        self.of_series.add(self.aside_title, self.aside, self.aside_rule)
        self.of_series.add(self.numbers_title, self.numbers, self.histogram)
        self.of_series.add(CopyTable(self._numbers_in_full))
        self.of_series.column.addStretch()
        self.first_steps = FirstSteps(show_help)
        self.addWidget(self.of_series)
        self.addWidget(self.first_steps)
        about("data.md#check-how-it-was-read", self.source, self.differently)
        about("data.md#look-for-what-is-wrong", self.of_series)
        about("data.md#follow-a-file", self.follow)

    def show_series(self, series: Series, column: int) -> None:
        """Say what there is to say of a series, and of one of its columns."""
        came = came_in(series)
        self.source.show_pairs(list(came.pairs))
        self.source.setToolTip(plain_tip(came.notes))
        self.differently.setVisible(came.differently)
        words = self._session.follower.words(series.id)
        self.follow.setVisible(came.differently and self._session.follower.can_follow(series))
        self.follow.setText("Stop following it" if words else "Follow it while it is written")
        self.followed.setText(f"followed {words}" if words else "")
        self.followed.setVisible(bool(words))
        # Long series take a moment.
        self._session.background.run(
            "look",
            lambda: findings_of(series),
            lambda findings: self._show_look(findings, series),
            lambda _sentence: self._show_look([], series),
        )
        aside = set_aside(series)
        self.aside.show_pairs(aside)
        for part in (self.aside_title, self.aside, self.aside_rule):
            part.setVisible(bool(aside))
        self.show_column(series, column)

    def _turn_follow(self) -> None:
        series = self._session.series
        if series is not None:
            self._session.follower.turn(series)

    def _show_look(self, findings: list[Finding], series: Series) -> None:
        self.look.show_findings(findings, series)
        for part in (self.look_title, self.look, self.look_rule):
            part.setVisible(bool(findings))

    def show_column(self, series: Series, place: int) -> None:
        """Show a column in numbers."""
        column, raw = series.columns[place], series.data[place]
        self.numbers_title.setText(f"{column.name}, in numbers".upper())
        self.histogram.setVisible(raw.texts is None)
        if raw.texts is not None:
            self.numbers.show_pairs(text_numbers(raw.texts))
            return
        self._session.background.run(
            "numbers",
            lambda: column_numbers(series, place),
            lambda answer: self._tell_numbers(answer, column, series.name_and_unit(Role.X)[1]),
            lambda sentence: self.numbers.show_pairs([("count", "0"), ("", sentence)]),
        )

    def _tell_numbers(self, numbers: ColumnNumbers, column: ColumnSettings, x_unit: str) -> None:
        self.numbers.show_pairs(in_numbers(numbers, column, x_unit, self._session.style))
        self.histogram.show_counts(*numbers.bars, column.unit, self._session.style)

    def _numbers_in_full(self) -> list[list[str]]:
        """Return the numbers of all columns as a table."""
        series = self._session.series
        return [[""]] if series is None else summary_table(series)
