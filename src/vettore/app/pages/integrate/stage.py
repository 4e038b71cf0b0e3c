"""The middle of the Integrate page: points, strips and limits, the running area, rungs, what a function says."""

from __future__ import annotations

from collections.abc import Callable, Hashable

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from vettore.app.pages.integrate.present import EXAMPLE, NO_FUNCTION, NO_POINTS, Asks, Drawing, IntegrateView
from vettore.app.stage.area_items import Handle, Running, Strips
from vettore.app.stage.plot import Plot
from vettore.app.style import theme
from vettore.app.widgets.parts import Elided, Invitation, button, clear, ground, label, section
from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.study.series import Role, Series

# Room above and below the running area, as a share of its height.
ROOM = 0.08
NOTHING = np.empty(0)
SETTLES = "Does it settle as strips get finer?"


class Rungs(QWidget):
    """The area with fewer strips and by other rules, side by side, and what that says."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 8, 14, 8)
        self._title = section(SETTLES)
        column.addWidget(self._title)
        holder = QWidget()
        self._grid = QGridLayout(holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(18)
        column.addWidget(holder, alignment=Qt.AlignmentFlag.AlignLeft)
        self.settles = label("", "muted", wrap=True)
        column.addWidget(self.settles)

    def show_rungs(self, cells: tuple[tuple[str, str, str], ...], settles: str, factor: str = "") -> None:
        """Show cells of words, value and change, in units of a power of ten; none hides them."""
        self._title.setText(f"{SETTLES} areas in {factor}".upper() if factor else SETTLES.upper())
        self.setVisible(bool(cells))
        self.settles.setText(settles)
        clear(self._grid)
        for place, texts in enumerate(cells):
            for row, (text, kind) in enumerate(zip(texts, ("muted", "value", "muted"), strict=True)):
                self._grid.addWidget(label(text, kind), row, place)


class AskLine(QWidget):
    """The line that reads a function: y at x, and every x where y."""

    typed = Signal()
    keep_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        bar, line = ground("bar", (18, 7, 14, 7))
        box.addWidget(bar)
        self.at_x, self.where_y = QLineEdit(), QLineEdit()
        self.said_at, self.said_where = label("", "value"), Elided("value")
        for words, spoken, field, text_label, stretch in (
            ("At x =", "Read the function at x", self.at_x, self.said_at, 1),
            ("Where y =", "Find x where the function is y", self.where_y, self.said_where, 2),
        ):
            field.setFixedWidth(84)
            field.setAccessibleName(spoken)
            field.textChanged.connect(lambda _text: self.typed.emit())
            line.addWidget(label(words, "label"))
            line.addWidget(field)
            line.addWidget(text_label, stretch)
        self.keep = button("Keep this function", self.keep_asked.emit, "link", "Keep it in the study")
        line.addWidget(self.keep)
        self.hide()

    def show_asks(self, asks: Asks | None, keep: str) -> None:
        """Show what a function says; None hides the line."""
        self.setVisible(asks is not None)
        self.keep.setText(keep)
        self.said_at.setText(asks.at_x if asks is not None else "")
        self.said_where.setText(asks.where_y if asks is not None else "")


class AreaStage(QStackedWidget):
    """Draws a view; ``limit_moved`` tells which limit was let go, and where."""

    limit_moved = Signal(int, float)

    def __init__(
        self,
        open_file: Callable[[], object],
        show_example: Callable[[], object],
        say: Callable[[str, str], object],
    ) -> None:
        super().__init__()
        self.setObjectName("canvas")
        self._drawn: Hashable = None
        self.plot = Plot(say, with_residuals=True)
        assert self.plot.lower is not None
        self._lower = self.plot.lower
        self._lower.getAxis("left").set_title("Running area")
        self.plot.zero.setVisible(False)
        self.strip_item, self.running_item = Strips(), Running()
        self.plot.put(self.strip_item, 3)
        self.plot.put_below(self.running_item, 0)
        self.handles = (Handle(), Handle())
        for place, handle in enumerate(self.handles):
            self.plot.put(handle, 15)
            handle.released.connect(lambda x, place=place: self.limit_moved.emit(place, x))
        self.refusal = label("", "bad", wrap=True)
        self.refusal.setContentsMargins(18, 8, 18, 8)
        self.refusal.hide()
        self.asks, self.rungs = AskLine(), Rungs()
        filled = QWidget()
        box = QVBoxLayout(filled)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for widget, stretch in ((self.refusal, 0), (self.plot, 1), (self.asks, 0), (self.rungs, 0)):
            box.addWidget(widget, stretch)
        self._filled = filled
        self._invitations = {
            NO_POINTS: Invitation(NO_POINTS, "Open a file …", open_file),
            NO_FUNCTION: Invitation(NO_FUNCTION, f"Take {EXAMPLE} as an example", show_example),
        }
        for widget in (*self._invitations.values(), filled):
            self.addWidget(widget)

    def draw(self, view: IntegrateView, ink: str, style: NumberStyle) -> None:
        """Show a view; ``ink`` is the colour of its series."""
        self.setCurrentWidget(self._invitations.get(view.invites, self._filled))
        self.plot.dress(style)
        self.plot.set_titles(*view.titles)
        self.refusal.setText(view.refusal)
        self.refusal.setVisible(bool(view.refusal))
        for handle in self.handles:
            handle.dress()
            handle.setVisible(view.series is not None)
        if view.series is not None:
            self._draw_points(view.series, ink)
        self.asks.show_asks(view.asks, view.keep_function)
        self.plot.pennants.set_flags(list(view.asks.flags) if view.asks is not None else [])
        if view.awaited:
            return
        if view.shown is None:
            self.rungs.show_rungs((), "")
            self.strip_item.set_strips(NOTHING, None, None, "")
            self.running_item.set_running(NOTHING, NOTHING)
            return
        self._draw_area(view.shown.drawing, ink or theme().series[0])
        self.rungs.show_rungs(view.shown.rungs, view.shown.settles, view.shown.rungs_in)

    def _draw_points(self, series: Series, ink: str) -> None:
        x, y = series.values(Role.X), series.values(Role.Y)
        if x is None or y is None:
            return
        drawn = (series.key, series.place(Role.X), series.place(Role.Y))
        rows = np.flatnonzero(series.measured)
        self.plot.line.set_curve(None)
        self.plot.marks.set_data(x[rows], y[rows], rows, ~series.kept[rows], ink, None)
        if drawn != self._drawn:
            self._drawn = drawn
            self._bring_into_view(x[rows], y[rows])

    def _bring_into_view(self, x: Array, y: Array) -> None:
        """Show points (n,) with zero, which is part of the picture."""
        self.plot.show_home(x, y, with_zero=True)

    def _draw_area(self, drawing: Drawing, ink: str) -> None:
        if drawing.limits is not None:
            for handle, limit in zip(self.handles, drawing.limits, strict=True):
                handle.show_at(limit)
        if drawing.curve is not None:
            x, y = drawing.points if drawing.points is not None else (NOTHING, NOTHING)
            self.plot.marks.set_data(x, y, np.arange(len(x)), np.zeros(len(x), dtype=bool), ink, None)
            self.plot.line.set_curve(drawing.curve)
            self.plot.beyond.set_span(None)
        if drawing.home is not None and drawing.what != self._drawn:
            self._drawn = drawing.what
            self._bring_into_view(*drawing.home)
        self.strip_item.set_strips(drawing.edges, drawing.shape_of, drawing.floor_of, ink)
        x, y = drawing.running
        self.running_item.set_running(x, y)
        if len(y):
            low, high = min(float(y.min()), 0.0), max(float(y.max()), 0.0)
            room = (high - low or 1.0) * ROOM
            self._lower.vb.setYRange(low - room, high + room, padding=0)
