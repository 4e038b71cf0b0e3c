"""The axes of a plot: one or two panels on the same x scale, edges aligned, what stands on them, and what part is in view."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import pyqtgraph as pg
from PySide6.QtCore import QPointF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QMouseEvent, QWheelEvent

from vettore.app.stage.axis import SHARED_WIDTH, WIDTH
from vettore.app.stage.curves import Grid
from vettore.app.stage.framing import Framing
from vettore.app.stage.items import StageItem
from vettore.app.stage.overlays import Note
from vettore.app.stage.panel import Panel
from vettore.app.stage.upright import Upright
from vettore.app.style import colour, sans
from vettore.core.arrays import Array
from vettore.core.remarks import counted
from vettore.core.rounding import MINUS, NumberStyle


class Axes(pg.GraphicsLayoutWidget):
    """``upper`` has x and y, ``lower``, where asked for, the same x and a y of its own."""

    log_turned = Signal(bool, bool)

    def __init__(self, say: Callable[[str, str], object], with_lower: bool = False) -> None:
        """``say`` takes a sentence and its kind: what was done, or what cannot be."""
        super().__init__()
        self._say = say
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setBackground(colour("canvas"))
        self.setFrameShape(self.Shape.NoFrame)
        self.ci.setContentsMargins(0, 10, 16, 6)
        self.ci.setSpacing(14)
        self._grids: list[Grid] = []
        # Everything that stands on the axes, to follow when they become logarithmic.
        self._put: list[StageItem | Upright] = []
        self._shares = False
        self.numbers = NumberStyle()
        self.lower: Panel | None = None
        self.upper = self._panel(0)
        self.framing = Framing(self.upper.vb)
        # What has no place on a logarithmic axis.
        self.note = Note()
        self.put(self.note, 36)
        if with_lower:
            self._add_lower()

    def _add_lower(self) -> None:
        self.lower = self._panel(1)
        self.lower.follow_x(self.upper)
        self.lower.vb.setMouseEnabled(x=True, y=False)
        self.upper.getAxis("bottom").setStyle(showValues=False)
        self.upper.getAxis("bottom").setHeight(4)
        self.ci.layout.setRowStretchFactor(0, 5)
        self.ci.layout.setRowStretchFactor(1, 2)
        self.ci.layout.setRowPreferredHeight(1, 150)
        self.ci.layout.setRowMaximumHeight(1, 230)

    def _panel(self, row: int) -> Panel:
        panel = Panel()
        panel.vb.setBackgroundColor(colour("plot_ground"))
        panel.vb.setDefaultPadding(0)
        panel.vb.disableAutoRange()
        self.addItem(panel, row, 0)
        # View boxes hold no reference to items that do not take part in their bounds, so the plot does.
        grid = Grid(panel.getAxis("bottom"), panel.getAxis("left"))
        self._grids.append(grid)
        panel.vb.addItem(grid, ignoreBounds=True)
        return panel

    def dress(self, style: NumberStyle) -> None:
        """Take the theme's colours and the user's way of writing numbers."""
        self.numbers = style
        self.setBackground(colour("canvas"))
        for panel in filter(None, (self.upper, self.lower)):
            panel.vb.setBackgroundColor(colour("plot_ground"))
            for side in ("left", "bottom"):
                axis = panel.getAxis(side)
                axis.style_of_numbers = style
                axis.dress()
                axis.picture = None

    def share_axes(self, first: Axes) -> None:
        """Take the axes of another plot that stands to the left; only that one shows the figures of y."""
        self._shares = True
        for panel in filter(None, (self.upper, self.lower)):
            axis = panel.getAxis("left")
            axis.setStyle(showValues=False)
            axis.showLabel(False)
            axis.setWidth(SHARED_WIDTH)
        for hand_box, other in ((self.upper.vb, first.upper.vb), (first.upper.vb, self.upper.vb)):
            hand_box.sigRangeChanged.connect(lambda _box, view, _changed, other=other: _take_view(other, view))
        _take_view(self.upper.vb, first.upper.vb.viewRange())

    def put(self, item: StageItem | Upright, z: float) -> None:
        """Draw an item on the axes, the higher ``z`` the further in front; whoever puts it keeps it."""
        item.setZValue(z)
        item.set_log(self.framing.log)
        self.upper.vb.addItem(item, ignoreBounds=True)
        self._put.append(item)

    def put_below(self, item: StageItem, z: float) -> None:
        """Draw an item in the strip below; its y is never logarithmic."""
        assert self.lower is not None
        item.setZValue(z)
        item.set_log((self.framing.log[0], False))
        self.lower.vb.addItem(item, ignoreBounds=True)
        self._put.append(item)

    def take_away(self, item: StageItem | Upright) -> None:
        """Draw an item no longer."""
        self._put.remove(item)
        item.getViewBox().removeItem(item)

    def set_log(self, x: bool, y: bool) -> None:
        """Make axes logarithmic or linear, and say which rows have no place on them."""
        if (x, y) == self.framing.log:
            return
        self.upper.getAxis("left").setLogMode(y)
        for panel in filter(None, (self.upper, self.lower)):
            panel.getAxis("bottom").setLogMode(x)
        for item in self._put:
            below = self.lower is not None and item.getViewBox() is self.lower.vb
            item.set_log((x, y and not below))
        self.framing.set_log((x, y))
        self.fit_axis_widths()
        self.say_without_place()
        self.log_turned.emit(x, y)

    def say_without_place(self) -> None:
        """Say how many rows have no place on a logarithmic axis."""
        number = self.framing.without_place()
        words = f"{counted(number, 'row')} not above 0: no place on a logarithmic axis" if number else ""
        self.note.set_text(words)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.framing.remember()
        super().wheelEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.framing.remember()
        super().mousePressEvent(event)

    @property
    def titles(self) -> tuple[str, str]:
        """The names of the axes x and y."""
        return ((self.lower or self.upper).getAxis("bottom").title, self.upper.getAxis("left").title)

    def set_titles(self, x: str, y: str) -> None:
        """Name the axes."""
        self.upper.getAxis("left").set_title(y)
        (self.lower or self.upper).getAxis("bottom").set_title(x)

    def show_home(self, x: Array, y: Array, beyond: bool = False, with_zero: bool = False) -> None:
        """Set the view to all of the data; with room beyond it in x, and with y = 0, when asked."""
        self.framing.show_home(x, y, beyond, with_zero)
        self.fit_axis_widths()
        self.say_without_place()

    def go_home(self) -> None:
        """Show all of the data again."""
        self.framing.remember()
        self.framing.go_home()
        self.fit_axis_widths()

    def go_back(self) -> None:
        """Show the view before the last zoom or move."""
        self.framing.go_back()
        self.fit_axis_widths()

    def set_limits(self, axis: int, low: float, high: float) -> None:
        """Show x (0) or y (1) from one value to another. Raises VettoreError."""
        self.framing.set_limits(axis, low, high)
        self.fit_axis_widths()

    def position_of(self, x: float, y: float) -> QPointF:
        """Return where a data point lies in this widget, in pixels."""
        return QPointF(self.mapFromScene(self.upper.vb.mapViewToScene(QPointF(x, y))))

    def fit_axis_widths(self) -> None:
        """Give both left axes the width that the wider figures need, so that the edges align."""
        if self._shares:
            return
        metrics = QFontMetricsF(sans(11))
        panels = [panel for panel in (self.upper, self.lower) if panel is not None]
        widest = 0.0
        for panel in panels:
            axis = panel.getAxis("left")
            low, high = panel.vb.viewRange()[1]
            for spacing, values in axis.tickValues(low, high, max(panel.vb.height(), 100))[:1]:
                for text in axis.tickStrings(values, 1.0, spacing):
                    widest = max(widest, metrics.horizontalAdvance(text.replace(MINUS, "-")))
        for panel in panels:
            panel.getAxis("left").setWidth(max(WIDTH, widest + 38))

    def axis_at(self, place: QPointF) -> int | None:
        """Return the axis (0 is x, 1 is y) at a point of the scene, or None."""
        sides = [(0, (self.lower or self.upper).getAxis("bottom")), (1, self.upper.getAxis("left"))]
        return next((axis for axis, side in sides if side.sceneBoundingRect().contains(place)), None)


def _take_view(box: pg.ViewBox, view: Sequence[Sequence[float]]) -> None:
    """Show the view of another box; one that is shown already is left alone, so that two can follow each other."""
    if [tuple(side) for side in box.viewRange()] != [tuple(side) for side in view]:
        box.setRange(xRange=view[0], yRange=view[1], padding=0)
