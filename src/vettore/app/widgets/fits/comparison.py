"""Two to four models large, side by side on shared axes, with what tells them apart."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.stage.curves import Trace
from vettore.app.stage.plot import Plot
from vettore.app.style import theme
from vettore.app.widgets.parts import Elided, button, clear, ground, label
from vettore.app.widgets.value_table import ValueTable
from vettore.core.fitting.after.compare import Compared
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.line_up import Entry
from vettore.study.series import Role, Series
from vettore.words.comparison import compared_row, comparison_words

# Places at which the difference of two curves is drawn.
PLACES = 600


class Comparison(QWidget):
    """The stage's other view; ``chosen`` tells which model to go on with, ``closed`` that it is done."""

    chosen = Signal(object)
    closed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        head, line = ground("strip", (18, 10, 14, 10))
        self.words = label("", "sentence", wrap=True)
        line.addWidget(self.words, 1)
        line.addWidget(button("Back to the fit", self.closed.emit, "", "Leave the comparison"))
        panels = QWidget()
        self._panels = QHBoxLayout(panels)
        self._panels.setContentsMargins(4, 4, 0, 0)
        self._panels.setSpacing(0)
        foot = QWidget()
        foot.setObjectName("bar")
        foot.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        lines = QVBoxLayout(foot)
        lines.setContentsMargins(18, 8, 14, 8)
        self.note = label("", "muted", wrap=True)
        self.table = ValueTable()
        lines.addWidget(self.note)
        lines.addWidget(self.table)
        for widget, stretch in ((head, 0), (panels, 1), (foot, 0)):
            box.addWidget(widget, stretch)
        self.plots: list[Plot] = []
        self._traces: list[Trace] = []

    def wait(self, count: int) -> None:
        """Say that the models are being fitted to all rows."""
        self.words.setText(f"Fitting {count} models to all rows …")
        clear(self._panels)
        self.plots, self._traces = [], []
        self.table.show_rows((), [], [])
        self.note.setText("")

    def refuse(self, sentence: str) -> None:
        """Say why there is no comparison."""
        self.words.setText(sentence)

    def show_compared(self, series: Series, entries: Sequence[Entry], compared: Sequence[Compared]) -> None:
        """Show models in the order in which they were pinned."""
        style = self._session.style
        self.words.setText(comparison_words(compared, style))
        clear(self._panels)
        self.plots, self._traces = [], []
        widest = max(float(np.abs(item.fit.result.residuals).max()) for item in entries if item.fit)
        for place, entry in enumerate(entries):
            panel = QWidget()
            column = QVBoxLayout(panel)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(0)
            top = QHBoxLayout()
            top.setContentsMargins(62 if place == 0 else 14, 2, 12, 0)
            title = Elided("value")
            title.setText(entry.name)
            top.addWidget(title, 1)
            top.addWidget(button("Choose", lambda key=entry.key: self.chosen.emit(key), "link", f"Fit {entry.name}"))
            column.addLayout(top)
            plot = self._plot(series, entry, place, style)
            plot.set_residual_range(np.array([widest]))
            column.addWidget(plot, 1)
            self._panels.addWidget(panel, 13 if place == 0 else 10)
        self._show_differences(entries)
        self._show_table(compared, style)

    def _plot(self, series: Series, entry: Entry, place: int, style: NumberStyle) -> Plot:
        assert entry.fit is not None
        result, rows = entry.fit.result, entry.fit.rows
        plot = Plot(self._session.say, with_residuals=True)
        plot.setAccessibleName(f"{entry.name} through the points")
        plot.dress(style)
        none = np.zeros(len(rows), dtype=bool)
        ink = self._session.ink(series)
        plot.marks.set_data(result.x, result.y, rows, none, ink)
        plot.line.set_curve(result.curve, result.level)
        plot.residual_marks.set_data(result.x, result.residuals, rows, none, ink)
        if self.plots:
            plot.share_axes(self.plots[0])
            plot.set_titles(series.label(Role.X), "")
        else:
            plot.set_titles(series.label(Role.X), series.label(Role.Y))
        plot.show_home(result.x, result.y)
        plot.row_pointed.connect(self._session.point)
        self.plots.append(plot)
        return plot

    def _show_differences(self, entries: Sequence[Entry]) -> None:
        """Draw in each strip but the first how its residuals differ from those of the first model."""
        first = entries[0].fit
        assert first is not None
        x = np.linspace(*first.result.curve.span, PLACES)
        for plot, entry in zip(self.plots[1:], entries[1:], strict=True):
            assert entry.fit is not None
            trace = Trace()
            with np.errstate(all="ignore"):
                trace.set_data(x, first.result.curve(x) - entry.fit.result.curve(x), theme().accent)
            plot.put_below(trace, 6)
            self._traces.append(trace)
        self.note.setText(f"Lines in the strips: by how much the residuals differ from those of {entries[0].name}.")

    def _show_table(self, compared: Sequence[Compared], style: NumberStyle) -> None:
        headings = ("model", "coefficients", "residual s", "R²", "leave-one-out", "ΔAICc", "weight")
        rows, full = [], []
        for item in compared:
            rows.append(compared_row(item, style))
            result = item.result
            known = (result.residual_sd, item.r_squared_about_mean, result.left_one_out_error)
            numbers = ("" if value is None else value for value in known)
            full.append((item.name, item.coefficients, *numbers, item.difference, item.weight))
        self.table.show_rows(headings, rows, full)
