"""The right side of the Data page: what came in, what to look at, what is set aside, and a column in numbers."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QApplication, QStackedWidget

from vettore.app.session import Session
from vettore.app.widgets.histogram import Histogram
from vettore.app.widgets.look_list import LookList
from vettore.app.widgets.parts import Column, Pairs, about, button, plain_tip, rule, section
from vettore.app.widgets.welcome import FirstSteps
from vettore.core.inspection import Finding
from vettore.study.inspect import ColumnNumbers, column_numbers, findings_of, summary_table
from vettore.study.series import ColumnSettings, Series

MOST_ASIDE_LISTED = 5
# Endings of files that were read as text, and so can be read differently.
TEXT_ENDINGS = (".csv", ".tsv", ".txt", ".dat", ".asc", ".prn")


class DataFindings:
    """What the Data page says of its data; the page has ``session``, the place of the chosen column, and remedies."""

    session: Session
    _column: int
    _remedy: Callable[[Finding], None]

    def _build_findings(self) -> None:
        findings = Column("Findings about the data")
        self.source = Pairs()
        self.differently = button("Read it differently …", self.doors.read_differently)
        self.look_title, self.look = section("To look at"), LookList(self.session, self._remedy)
        self.look_rule, self.aside_rule = rule(), rule()
        self.aside_title, self.aside = section("Set aside"), Pairs()
        self.numbers_title, self.numbers, self.histogram = section("In numbers"), Pairs(), Histogram()
        self.numbers_title.setWordWrap(True)
        parts = [
            section("What came in"),
            self.source,
            self.differently,
            rule(),
            self.look_title,
            self.look,
            self.look_rule,
            self.aside_title,
            self.aside,
            self.aside_rule,
            self.numbers_title,
            self.numbers,
            self.histogram,
            button("Copy as a table", self.copy_numbers, "link"),
        ]
        findings.add(*parts)
        findings.column.addStretch()
        self.findings = QStackedWidget()
        self.told, self.first_steps = findings, FirstSteps(self.doors.show_help)
        self.findings.addWidget(self.told)
        self.findings.addWidget(self.first_steps)
        about("data.md#check-how-it-was-read", self.source, self.differently)
        about("data.md#look-for-what-is-wrong", findings)

    def _show_source(self, series: Series) -> None:
        source = series.table.source
        pairs = [("file", source.name), *source.how] if source.name else list(source.how)
        self.source.show_pairs([*pairs, ("rows", f"{series.rows}, none dropped")])
        notes = "\n".join(source.notes)
        self.source.setToolTip(plain_tip(f"Notes beside the table:\n{notes}") if notes else "")
        kind = source.kind == "file" and source.path.casefold().endswith(TEXT_ENDINGS)
        self.differently.setVisible(kind)

    def _show_look(self, series: Series) -> None:
        """Look for what deserves it in the background: long series take a moment."""
        self.session.background.run(
            "look",
            lambda: findings_of(series),
            lambda findings: self._show_findings(findings, series),
            lambda _sentence: self._show_findings([], series),
        )

    def _show_findings(self, findings: list[Finding], series: Series) -> None:
        self.look.show_findings(findings, series)
        for part in (self.look_title, self.look, self.look_rule):
            part.setVisible(bool(findings))

    def _show_aside(self, series: Series) -> None:
        """List what is set aside, and why."""
        entries = series.set_aside
        pairs = [(f"row {entry.row + 1}", entry.reason or "no reason given") for entry in entries[:MOST_ASIDE_LISTED]]
        if len(entries) > MOST_ASIDE_LISTED:
            pairs.append(("and", f"{len(entries) - MOST_ASIDE_LISTED} more"))
        self.aside.show_pairs(pairs)
        for part in (self.aside_title, self.aside, self.aside_rule):
            part.setVisible(bool(entries))

    def _show_numbers(self, series: Series) -> None:
        column, raw = series.columns[self._column], series.data[self._column]
        self.numbers_title.setText(f"{column.name}, in numbers".upper())
        self.histogram.setVisible(raw.texts is None)
        if raw.texts is not None:
            filled = sum(bool(text.strip()) for text in raw.texts)
            self.numbers.show_pairs([("text in", f"{filled} of {len(raw.texts)} rows")])
            return
        self.session.background.run(
            "numbers",
            lambda: column_numbers(series, self._column),
            lambda told: self._tell_numbers(told, column),
            lambda sentence: self.numbers.show_pairs([("count", "0"), ("", sentence)]),
        )

    def _tell_numbers(self, numbers: ColumnNumbers, column: ColumnSettings) -> None:
        style, told = self.session.style, numbers.told

        def unit(value: float | None, digits: int = 5) -> str:
            return f"{style.number(value, digits)} {column.unit}".strip()

        self.numbers.show_pairs(
            [
                ("count", f"{told.count}" + (f" · {told.blank} blank" if told.blank else "")),
                ("mean", style.pair(told.mean, told.standard_error, column.unit)),
                ("median", unit(told.median)),
                ("standard deviation (n\u00a0−\u00a01)", unit(told.standard_deviation, 4)),
                ("variance", style.number(told.variance, 4)),
                ("median absolute deviation", unit(numbers.median_absolute_deviation, 4)),
                ("smallest · largest", f"{style.number(told.minimum, 4)} · {style.number(told.maximum, 4)}"),
                ("quartiles", f"{style.number(told.lower_quartile, 4)} · {style.number(told.upper_quartile, 4)}"),
                ("sum", style.number(told.sum, 6)),
            ]
        )
        self.histogram.show_counts(*numbers.bars, column.unit, style)
        if numbers.with_x is not None:
            self.numbers.add_pair(f"correlation with {numbers.x_name}", style.number(numbers.with_x.correlation, 3))
            self.numbers.add_pair("by ranks", style.number(numbers.with_x.rank_correlation, 3))
            self.numbers.add_pair("covariance", style.number(numbers.with_x.covariance, 4))

    def copy_numbers(self) -> None:
        """Put the summary of all columns on the clipboard as a table."""
        from vettore.files.clipboard import as_tab_text

        series = self.session.series
        if series is not None:
            QApplication.clipboard().setText(as_tab_text(summary_table(series)))
            self.session.say("The numbers of all columns are on the clipboard.")
