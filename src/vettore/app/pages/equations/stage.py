"""The middle of the Equations page: bench, strip, one plot a measured column on one x, and the line that reads."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping

import numpy as np
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.equations.bench import EquationsBench
from vettore.app.pages.equations.present import NO_COLUMNS, NO_SERIES, UNSEEN, EquationsView, PlotView
from vettore.app.stage.grips import Grips
from vettore.app.stage.plot import Plot
from vettore.app.stage.sampled_lines import Sampled, SampledLines
from vettore.app.strip.equation import EquationStrip
from vettore.app.style import theme
from vettore.app.widgets.parts import Invitation, about, button, ground, label
from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.core.typesetting.typeset import Row, TextBox
from vettore.study.fitting.system_readings import examples_of

# Pixels of the plots under the one in front, and how many are seen at once.
LOW, SEEN = 132, 2
SHAPED = "shaped by hand"


class EquationsStage(QStackedWidget):
    """Draws a view; signals say which column is to come in front and what is to be read."""

    front_chosen = Signal(str)
    reading_typed = Signal(str)

    def __init__(self, open_file: Callable[[], object], say: Callable[[str, str], object]) -> None:
        super().__init__()
        self.setObjectName("canvas")
        self._say = say
        self.bench, self.strip = EquationsBench(), EquationStrip()
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.plot = Plot(say, with_residuals=True)
        self.line = SampledLines()
        self.plot.put(self.line, 5)
        self.grips = Grips()
        self.plot.put(self.grips, 18)
        self._low_plots: list[Plot] = []
        self._low_lines: list[SampledLines] = []
        self._low_keys: list[str] = []
        self._at_home: dict[int, Hashable] = {}
        self._lows = QWidget()
        self._low_box = QVBoxLayout(self._lows)
        self._low_box.setContentsMargins(0, 0, 0, 0)
        self._low_box.setSpacing(0)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setWidget(self._lows)
        self._scroll.setAccessibleName("Other columns")
        bar, row = ground("bar", (18, 7, 14, 7))
        self.ask = QLineEdit()
        self.ask.setAccessibleName("Read a number off the equations")
        self.ask.returnPressed.connect(self._read)
        row.addWidget(label("Read", "label"))
        row.addWidget(self.ask, 1)
        row.addWidget(button("Read it", self._read, "", "Keep this number with the equations (Enter)"))
        self._bar = bar
        about("equations.md#read-numbers", bar)
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        parts = ((self.bench, 0), (self.strip, 0), (self.refusal, 0), (self.plot, 1), (self._scroll, 0), (bar, 0))
        for widget, stretch in parts:
            box.addWidget(widget, stretch)
        self._filled = filled
        self._invitations = {
            words: Invitation(words, "Open a file …", open_file) for words in (NO_SERIES, NO_COLUMNS)
        }
        for widget in (*self._invitations.values(), filled):
            self.addWidget(widget)

    def _read(self) -> None:
        if self.ask.text().strip():
            self.reading_typed.emit(self.ask.text())

    def draw(self, view: EquationsView, ink: str, style: NumberStyle) -> None:
        """Show a view; ``ink`` is the colour of its series."""
        self.setCurrentWidget(self._invitations.get(view.invites, self._filled))
        if view.invites:
            return
        self.refusal.setText(view.refusal)
        self.refusal.setVisible(bool(view.refusal))
        has_system = view.system is not None
        self._bar.setVisible(has_system)
        if view.system is not None:
            self.ask.setPlaceholderText(examples_of(view.system))
        if view.strip is not None:
            self.show_strip(view)
        else:
            self.strip.show_equation(TextBox(""), [], {})
        self.strip.setVisible(view.strip is not None)
        self.plot.dress(style)
        self.grips.set_grips([(grip.x, grip.y, grip.words) for grip in view.grips])
        plots = [plot for plot in view.plots if plot.key != UNSEEN]
        self._draw_front(plots[0] if plots else None, view.x_title, ink)
        self._draw_lows([*plots[1:], *(plot for plot in view.plots if plot.key == UNSEEN)], view, ink, style)
        self.align()

    def show_strip(self, view: EquationsView) -> None:
        """Show the equation of the column in front, and a chip for every coefficient."""
        assert view.strip is not None
        left, equals, *terms = view.strip.parts
        rows = [Row((part,)) if not isinstance(part, Row) else part for part in terms]
        assert isinstance(equals, TextBox)
        self.strip.plain_text = "; ".join(view.system.result.equations) if view.system is not None else ""
        self.strip.show_equation(left, rows, dict(view.chips))

    def _draw_front(self, plot: PlotView | None, x_title: str, ink: str) -> None:
        if plot is None:
            return
        self.plot.set_titles(x_title, plot.title)
        self._fill(self.plot, self.line, plot, ink)
        has_residuals = plot.residuals is not None
        self.plot.zero.setVisible(has_residuals)
        time, by, rows = plot.residuals if plot.residuals is not None else (plot.x[:0], plot.y[:0], plot.rows[:0])
        self.plot.residual_marks.set_data(time, by, rows, np.zeros(len(rows), dtype=bool), ink, None)
        self.plot.set_residual_range(by)

    def _draw_lows(self, plots: list[PlotView], view: EquationsView, ink: str, style: NumberStyle) -> None:
        """Have one low plot for each further column."""
        while len(self._low_plots) < len(plots):
            self._add_low()
        self._low_keys = [plot.key for plot in plots]
        for place, low in enumerate(self._low_plots):
            low.setVisible(place < len(plots))
            if place < len(plots):
                low.dress(style)
                low.set_titles("", plots[place].title)
                self._fill(low, self._low_lines[place], plots[place], ink)
        self._scroll.setVisible(bool(plots))
        # Beside the open bench the plot in front needs the room.
        seen = min(len(plots), SEEN if self.bench.isHidden() else 1)
        self._scroll.setFixedHeight(seen * LOW)
        # So that the plot in front ends where those beside the bar for scrolling do.
        bar = self._scroll.verticalScrollBar().sizeHint().width() if len(plots) > seen else 0
        self.plot.ci.setContentsMargins(0, 10, 16 + bar, 6)

    def _add_low(self) -> None:
        low, line = Plot(self._say), SampledLines()
        low.put(line, 5)
        low.setFixedHeight(LOW)
        low.upper.getAxis("bottom").setStyle(showValues=False)
        low.upper.getAxis("bottom").setHeight(6)
        low.ci.setContentsMargins(0, 4, 16, 2)
        low.upper.vb.setXLink(self.plot.upper.vb)
        place = len(self._low_plots)
        low.row_clicked.connect(lambda _row, _more, place=place: self._bring_to_front(place))
        self._low_plots.append(low)
        self._low_lines.append(line)
        self._low_box.addWidget(low)

    def _bring_to_front(self, place: int) -> None:
        if place < len(self._low_keys) and self._low_keys[place] != UNSEEN:
            self.front_chosen.emit(self._low_keys[place])

    def _fill(self, plot: Plot, line: SampledLines, view: PlotView, ink: str) -> None:
        plot.marks.set_data(view.x, view.y, view.rows, view.aside, ink, None)
        line.set_lines(tuple(_as_lines(view)))
        plot.legend.set_entries(
            [(name, theme().series[place % len(theme().series)]) for place, (name, _) in enumerate(view.curves)]
            if view.key == UNSEEN
            else []
        )
        home = (view.key, len(view.x), len(view.curves), view.x.tobytes() if len(view.x) < 2000 else id(view.x))
        if self._at_home.get(id(plot)) != home:
            self._at_home[id(plot)] = home
            xs = [view.x, *(curve.x for _, curve in view.curves)]
            ys = [view.y, *(curve.y for _, curve in view.curves)]
            x, y = np.concatenate(xs), np.concatenate(ys)
            good = np.isfinite(x) & np.isfinite(y)
            if good.any():
                plot.show_home(x[good], y[good], with_zero=view.key == UNSEEN)

    def show_shaped(self, curves: Mapping[str, tuple[Array, Array]], view: EquationsView) -> None:
        """Show the curves under the hand, without their bands."""
        shown = [plot for plot in view.plots if plot.key != UNSEEN]
        items = [(self.line, shown[0])] if shown else []
        rest = [*shown[1:], *(plot for plot in view.plots if plot.key == UNSEEN)]
        items += list(zip(self._low_lines, rest, strict=False))
        for line, plot in items:
            named = [(name, curves[name]) for name, _ in plot.curves if name in curves]
            series = theme().series
            line.set_lines(
                tuple(
                    Sampled(
                        x, y, ink=series[place % len(series)] if plot.key == UNSEEN else "", dashed=plot.key == UNSEEN
                    )
                    for place, (_, (x, y)) in enumerate(named)
                )
            )

    def align(self) -> None:
        """Give the left axes of all plots one width, so that their edges align."""
        plots = [self.plot, *(low for low in self._low_plots if low.isVisibleTo(self._lows))]
        for plot in plots:
            plot.fit_axis_widths()
        widest = max(plot.upper.getAxis("left").width() for plot in plots)
        for plot in plots:
            for panel in filter(None, (plot.upper, plot.lower)):
                panel.getAxis("left").setWidth(widest)


def _as_lines(view: PlotView) -> list[Sampled]:
    if view.key != UNSEEN:
        return [Sampled(curve.x, curve.y, curve.low, curve.high) for _, curve in view.curves]
    series = theme().series
    return [
        Sampled(curve.x, curve.y, ink=series[place % len(series)], dashed=True)
        for place, (_, curve) in enumerate(view.curves)
    ]
