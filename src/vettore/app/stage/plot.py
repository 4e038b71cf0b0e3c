"""The plot of a page: one or two stacked panels on the same x scale, edges aligned."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import QMarginsF, QPointF, QRectF, QSizeF, Qt, Signal
from PySide6.QtGui import QFontMetricsF, QImage, QPageSize, QPainter, QPdfWriter

from vettore.app.stage.axis import SHARED_WIDTH, WIDTH, Axis
from vettore.app.stage.items import Beyond, CurveLine, Grid, Level, Marks, StageItem, Trace, on_axis
from vettore.app.stage.overlays import Cross, Legend, Pennants, Rubber
from vettore.app.style import colour, sans
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.rounding import MINUS, NumberStyle

REACH = 14.0
# Room around the data, as a share of its span.
MARGIN = 0.06
BEYOND = 0.16
# Pixels of a saved picture per pixel on screen.
PICTURE_SCALE = 3


class Hand(StrEnum):
    """What dragging on the plot does."""

    MOVE = "moves the view"
    LASSO = "chooses by lasso"
    BOX = "chooses a box"
    SPAN = "chooses a span of x"
    ZOOM = "zooms into a box"


class HandBox(pg.ViewBox):
    """A view box whose dragging moves the view or encloses points."""

    outlined = Signal(object, bool)

    def __init__(self) -> None:
        super().__init__(enableMenu=False)
        self.hand = Hand.MOVE
        self._path: list[tuple[float, float]] = []

    def mouseDragEvent(self, event, axis=None) -> None:
        if self.hand is Hand.MOVE or event.button() != Qt.MouseButton.LeftButton or axis is not None:
            super().mouseDragEvent(event, axis)
            return
        event.accept()
        here = self.mapSceneToView(event.scenePos())
        start = self.mapSceneToView(event.buttonDownScenePos())
        if event.isStart():
            self._path = [(start.x(), start.y())]
        if self.hand is Hand.LASSO:
            self._path.append((here.x(), here.y()))
            path = self._path
        else:
            low, high = self.viewRange()[1]
            y0, y1 = (low, high) if self.hand is Hand.SPAN else (start.y(), here.y())
            path = [(start.x(), y0), (here.x(), y0), (here.x(), y1), (start.x(), y1)]
        self.outlined.emit(path, event.isFinish())


class Plot(pg.GraphicsLayoutWidget):
    """Points, a curve and readings; below them, if asked for, the residuals on the same x."""

    row_clicked = Signal(int, bool)
    row_pointed = Signal(int)
    place_clicked = Signal(float)
    rows_enclosed = Signal(object)
    span_dragged = Signal(float, float)

    def __init__(self, with_residuals: bool = False) -> None:
        super().__init__()
        self.setAccessibleName("Plot of the series")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setBackground(colour("canvas"))
        self.setFrameShape(self.Shape.NoFrame)
        self.ci.setContentsMargins(0, 10, 16, 6)
        self.ci.setSpacing(14)
        self._grids: list[Grid] = []
        self.log = (False, False)
        self._data: tuple[Array, Array] = (np.empty(0), np.empty(0))
        self._room_beyond = False
        self._shares = False
        self.upper = self._panel(0, "")
        self.marks, self.line, self.beyond, self.pennants = Marks(), CurveLine(), Beyond(), Pennants()
        # A curve that might be, beside the one that is.
        self.ghost = CurveLine(ghost=True)
        for item, z in ((self.beyond, -50), (self.ghost, 6), (self.line, 5), (self.marks, 10), (self.pennants, 20)):
            item.setZValue(z)
            self.upper.vb.addItem(item, ignoreBounds=True)
        self.lower: pg.PlotItem | None = None
        if with_residuals:
            self._add_residuals()
        self.rubber = Rubber()
        self.rubber.setZValue(30)
        self.upper.vb.addItem(self.rubber, ignoreBounds=True)
        self.cross, self.legend, self.trace = Cross(), Legend(), Trace()
        self.trace.setVisible(False)
        self.others: list[Marks] = []
        self.cross_shown = False
        self._numbers = NumberStyle()
        for item, z in ((self.trace, 4), (self.cross, 40), (self.legend, 35)):
            item.setZValue(z)
            self.upper.vb.addItem(item, ignoreBounds=True)
        self.upper.vb.outlined.connect(self._outlined)
        self._views: list[tuple[list[float], list[float]]] = []
        self._home: tuple[tuple[float, float], tuple[float, float]] | None = None
        self.scene().sigMouseClicked.connect(self._clicked)
        self.scene().sigMouseMoved.connect(self._moved)

    def _panel(self, row: int, title: str) -> pg.PlotItem:
        axes = {side: Axis(side) for side in ("left", "bottom")}
        panel = pg.PlotItem(axisItems=axes, enableMenu=False, viewBox=HandBox())
        panel.hideButtons()
        panel.vb.setBackgroundColor(colour("plot_ground"))
        panel.vb.setDefaultPadding(0)
        panel.vb.disableAutoRange()
        panel.setLabel("left", title)
        self.addItem(panel, row, 0)
        # View boxes hold no reference to items that do not take part in their bounds, so the plot does.
        grid = Grid(axes["bottom"], axes["left"])
        self._grids.append(grid)
        panel.vb.addItem(grid, ignoreBounds=True)
        return panel

    def _add_residuals(self) -> None:
        self.lower = self._panel(1, "")
        self.lower.getAxis("left").set_title("Residual")
        self.lower.setXLink(self.upper)
        self.lower.vb.setMouseEnabled(x=True, y=False)
        self.upper.getAxis("bottom").setStyle(showValues=False)
        self.upper.getAxis("bottom").setHeight(4)
        self.residual_marks, self.lower_beyond = Marks(), Beyond()
        self.residual_marks.radius = 3.2
        self.residual_marks.stems = True
        self.zero = Level(0.0, "fit")
        for item in (self.lower_beyond, self.zero, self.residual_marks):
            self.lower.vb.addItem(item, ignoreBounds=True)
        self.ci.layout.setRowStretchFactor(0, 5)
        self.ci.layout.setRowStretchFactor(1, 2)
        self.ci.layout.setRowPreferredHeight(1, 150)
        self.ci.layout.setRowMaximumHeight(1, 230)

    def dress(self, style: NumberStyle) -> None:
        """Take the theme's colours and the user's way of writing numbers."""
        self._numbers = style
        self.setBackground(colour("canvas"))
        for panel in filter(None, (self.upper, self.lower)):
            panel.vb.setBackgroundColor(colour("plot_ground"))
            for side in ("left", "bottom"):
                axis = panel.getAxis(side)
                axis.style_of_numbers = style
                axis.dress()
                axis.picture = None

    def share_axes(self, first: Plot) -> None:
        """Take the axes of another plot that stands to the left; only that one shows the figures of y."""
        self._shares = True
        for panel in filter(None, (self.upper, self.lower)):
            axis = panel.getAxis("left")
            axis.setStyle(showValues=False)
            axis.showLabel(False)
            axis.setWidth(SHARED_WIDTH)
        for one, other in ((self.upper.vb, first.upper.vb), (first.upper.vb, self.upper.vb)):
            one.sigRangeChanged.connect(lambda _box, view, _changed, other=other: _take_view(other, view))
        _take_view(self.upper.vb, first.upper.vb.viewRange())

    def add_grips(self, grips: StageItem) -> None:
        """Put grips over everything that is drawn; the page keeps them."""
        grips.setZValue(45)
        self.upper.vb.addItem(grips, ignoreBounds=True)

    def show_others(self, others: list[tuple[str, Array, Array, str]], first: tuple[str, str]) -> None:
        """Show further series as (name, x, y, colour) with a legend; ``first`` is the name and colour of the main one."""
        for item in self.others:
            self.upper.vb.removeItem(item)
        self.others = []
        for _, x, y, ink in others:
            marks = Marks()
            marks.log = self.log
            marks.radius = 3.4
            marks.setZValue(8)
            marks.set_data(x, y, np.full(len(x), -2), np.zeros(len(x), dtype=bool), ink)
            self.upper.vb.addItem(marks, ignoreBounds=True)
            self.others.append(marks)
        self.legend.set_entries([first, *((name, ink) for name, _, _, ink in others)] if others else [])

    def picture(self, path: Path) -> None:
        """Save what is shown as PNG, SVG or PDF, by the ending. Raises VettoreError."""
        size = self.size()
        kind = path.suffix.casefold()
        if kind == ".png":
            target = QImage(size * PICTURE_SCALE, QImage.Format.Format_ARGB32)
            target.setDevicePixelRatio(PICTURE_SCALE)
        elif kind == ".svg":
            from PySide6.QtSvg import QSvgGenerator

            target = QSvgGenerator()
            target.setFileName(str(path))
            target.setSize(size)
            target.setViewBox(self.rect())
        elif kind == ".pdf":
            target = QPdfWriter(str(path))
            target.setResolution(96)
            target.setPageSize(QPageSize(QSizeF(size) * 0.75, QPageSize.Unit.Point))
            target.setPageMargins(QMarginsF())
        else:
            raise VettoreError(f"“{path.name}”: a picture ends in .png, .svg or .pdf.")
        painter = QPainter()
        if not painter.begin(target):
            raise VettoreError(f"“{path.name}” could not be saved in {path.parent}.")
        self.render(painter, QRectF(QPointF(), QSizeF(size)), self.rect())
        painter.end()
        if kind == ".png" and not target.save(str(path)):
            raise VettoreError(f"“{path.name}” could not be saved in {path.parent}.")

    def set_hand(self, hand: Hand) -> None:
        """Say what dragging on the plot does."""
        self.upper.vb.hand = hand

    def set_log(self, x: bool, y: bool) -> None:
        """Make axes logarithmic or linear."""
        if (x, y) == self.log:
            return
        self.log = (x, y)
        self.upper.getAxis("left").setLogMode(y)
        for panel in filter(None, (self.upper, self.lower)):
            panel.getAxis("bottom").setLogMode(x)
        for item in (self.marks, self.line, self.ghost, self.beyond, self.pennants, self.trace, *self.others):
            item.log = (x, y)
        if self.lower is not None:
            for item in (self.residual_marks, self.lower_beyond):
                item.log = (x, False)
        self.show_home(*self._data, beyond=self._room_beyond)

    def last_view(self) -> None:
        """Go back to the view before the last zoom or move."""
        if self._views:
            x, y = self._views.pop()
            self.upper.vb.setRange(xRange=x, yRange=y, padding=0)

    def remember_view(self) -> None:
        """Keep the present view to go back to."""
        view = self.upper.vb.viewRange()
        if not self._views or self._views[-1] != view:
            self._views = [*self._views[-19:], view]

    def wheelEvent(self, event) -> None:
        self.remember_view()
        super().wheelEvent(event)

    def mousePressEvent(self, event) -> None:
        self.remember_view()
        super().mousePressEvent(event)

    def _outlined(self, points: list[tuple[float, float]], done: bool) -> None:
        """Show what is being enclosed; when done, zoom to it or tell which rows are inside."""
        self.rubber.set_outline([] if done else points)
        if not done or len(points) < 3:
            return
        hand = self.upper.vb.hand
        xs, ys = [x for x, _ in points], [y for _, y in points]
        if hand is Hand.ZOOM:
            self.upper.vb.setRange(xRange=(min(xs), max(xs)), yRange=(min(ys), max(ys)), padding=0)
            return
        x, y = on_axis(self.marks.xs, self.log[0]), on_axis(self.marks.ys, self.log[1])
        if hand is Hand.SPAN:
            low, high = (10.0**edge if self.log[0] else edge for edge in (min(xs), max(xs)))
            self.span_dragged.emit(low, high)
            inside = (x >= min(xs)) & (x <= max(xs))
        else:
            inside = _inside(x, y, np.array(points))
        self.rows_enclosed.emit(self.marks.numbers[np.flatnonzero(inside)].tolist())

    def set_titles(self, x: str, y: str) -> None:
        """Name the axes."""
        self.upper.getAxis("left").set_title(y)
        (self.lower or self.upper).getAxis("bottom").set_title(x)

    def show_home(self, x: Array, y: Array, beyond: bool = False) -> None:
        """Set the view to all of the data, with room beyond it when asked."""
        self._data, self._room_beyond = (x, y), beyond
        x, y = (on_axis(values, log) for values, log in zip((x, y), self.log, strict=True))
        good = np.isfinite(x) & np.isfinite(y)
        x, y = x[good], y[good]
        if not len(x):
            self._home = ((0.0, 1.0), (0.0, 1.0))
        else:
            right = BEYOND if beyond else MARGIN
            self._home = (_padded(x, MARGIN, right), _padded(y, MARGIN, MARGIN))
        self.go_home()

    def go_home(self) -> None:
        """Fit the view to the data again."""
        if self._home is not None:
            self.upper.vb.setRange(xRange=self._home[0], yRange=self._home[1], padding=0)
            self._fit_axis_widths()

    def set_residual_range(self, residuals: Array) -> None:
        """Scale the residual strip about zero."""
        if self.lower is not None:
            reach = float(np.max(np.abs(residuals))) * 1.2 if len(residuals) else 1.0
            self.lower.vb.setYRange(-(reach or 1.0), reach or 1.0, padding=0)
            self._fit_axis_widths()

    def keyPressEvent(self, event) -> None:
        if event.key() == Qt.Key.Key_Escape and self.upper.vb.hand is Hand.SPAN:
            self.set_hand(Hand.MOVE)
            self.rubber.set_outline([])
            return
        if event.key() == Qt.Key.Key_Home:
            self.remember_view()
            self.go_home()
            return
        if event.key() == Qt.Key.Key_Backspace:
            self.last_view()
            return
        steps = {
            Qt.Key.Key_Left: (-0.1, 0),
            Qt.Key.Key_Right: (0.1, 0),
            Qt.Key.Key_Up: (0, 0.1),
            Qt.Key.Key_Down: (0, -0.1),
        }
        if event.key() in steps:
            (x0, x1), (y0, y1) = self.upper.vb.viewRange()
            dx, dy = steps[event.key()]
            self.upper.vb.translateBy(x=dx * (x1 - x0), y=dy * (y1 - y0))
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.upper.vb.scaleBy((0.8, 0.8))
        elif event.key() == Qt.Key.Key_Minus:
            self.upper.vb.scaleBy((1.25, 1.25))
        else:
            super().keyPressEvent(event)

    def position_of(self, x: float, y: float) -> QPointF:
        """Return where a data point lies in this widget, in pixels."""
        return QPointF(self.mapFromScene(self.upper.vb.mapViewToScene(QPointF(x, y))))

    def _fit_axis_widths(self) -> None:
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

    def _row_at(self, scene_point) -> int:
        panels = [(self.upper, self.marks)]
        if self.lower is not None:
            panels.append((self.lower, self.residual_marks))
        for panel, marks in panels:
            if panel.vb.sceneBoundingRect().contains(scene_point):
                return marks.nearest(panel.vb.mapSceneToView(scene_point), REACH)
        return -1

    def _clicked(self, event) -> None:
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if event.double():
            self.go_home()
            return
        row = self._row_at(event.scenePos())
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        self.row_clicked.emit(row, more)
        if row < 0 and self.upper.vb.sceneBoundingRect().contains(event.scenePos()):
            self.place_clicked.emit(self.upper.vb.mapSceneToView(event.scenePos()).x())

    def _moved(self, point) -> None:
        self.row_pointed.emit(self._row_at(point))
        inside = self.upper.vb.sceneBoundingRect().contains(point)
        if not (self.cross_shown and inside):
            self.cross.set_place(None, "")
            return
        at = self.upper.vb.mapSceneToView(point)
        values = [10.0**v if log else v for v, log in zip((at.x(), at.y()), self.log, strict=True)]
        text = "  ·  ".join(self._numbers.number(value, 4) for value in values)
        self.cross.set_place((at.x(), at.y()), text)


def _take_view(box: pg.ViewBox, view) -> None:
    """Show the view of another box; one that is shown already is left alone, so that two can follow each other."""
    if [tuple(side) for side in box.viewRange()] != [tuple(side) for side in view]:
        box.setRange(xRange=view[0], yRange=view[1], padding=0)


def _inside(x: Array, y: Array, polygon: Array) -> Array:
    """Return which points lie inside a polygon: those with an odd number of its edges to their right."""
    inside = np.zeros(len(x), dtype=bool)
    ends = np.roll(polygon, -1, axis=0)
    with np.errstate(all="ignore"):
        for (x0, y0), (x1, y1) in zip(polygon, ends, strict=True):
            spans = (y0 > y) != (y1 > y)
            inside ^= spans & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
    return inside


def _padded(values: Array, low: float, high: float) -> tuple[float, float]:
    a, b = float(np.min(values)), float(np.max(values))
    span = b - a or abs(a) or 1.0
    return a - low * span, b + high * span
