"""The plot of a page: one or two stacked panels on the same x scale, edges aligned."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import QPoint, QPointF, Qt, Signal
from PySide6.QtGui import QContextMenuEvent, QKeyEvent

from vettore.app.stage.axes import Axes
from vettore.app.stage.axes_menu import AxisPopup, axes_menu
from vettore.app.stage.curves import Beyond, CurveLine, Level, Trace
from vettore.app.stage.hand_box import Hand
from vettore.app.stage.items import off_axis, on_axis
from vettore.app.stage.marks import Marks
from vettore.app.stage.overlays import Cross, Legend, Pennants, Rubber
from vettore.app.stage.picture import ask_picture, copy_picture
from vettore.app.stage.spoken import Spoken
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError

REACH = 14.0


class Plot(Axes):
    """Points, a curve and readings; below them, if asked for, the residuals on the same x."""

    row_clicked = Signal(int, bool)
    row_pointed = Signal(int)
    place_clicked = Signal(float)
    rows_enclosed = Signal(object)
    span_dragged = Signal(float, float)

    def __init__(self, say: Callable[[str, str], object], with_residuals: bool = False) -> None:
        """``say`` takes a sentence and its kind: what was done, or what cannot be."""
        super().__init__(say, with_residuals)
        self.marks, self.line, self.beyond, self.pennants = Marks(), CurveLine(), Beyond(), Pennants()
        # A curve that might be, beside the one that is.
        self.ghost = CurveLine(ghost=True)
        self.rubber, self.cross, self.legend, self.trace = Rubber(), Cross(), Legend(), Trace()
        self.trace.setVisible(False)
        for item, z in (
            (self.beyond, -50),
            (self.trace, 4),
            (self.line, 5),
            (self.ghost, 6),
            (self.marks, 10),
            (self.pennants, 20),
            (self.rubber, 30),
            (self.legend, 35),
            (self.cross, 40),
        ):
            self.put(item, z)
        if with_residuals:
            self._add_residuals()
        self.others: list[Marks] = []
        self.cross_shown = False
        # What dragging did before a box was asked for once.
        self._hand_before: Hand | None = None
        self.spoken = Spoken(self, self)
        self.upper.vb.outlined.connect(self._outlined)
        self.scene().sigMouseClicked.connect(self._clicked)
        self.scene().sigMouseMoved.connect(self._moved)

    def _add_residuals(self) -> None:
        assert self.lower is not None
        self.lower.getAxis("left").set_title("Residual")
        self.residual_marks, self.lower_beyond = Marks(), Beyond()
        self.residual_marks.radius = 3.2
        self.residual_marks.stems = True
        self.zero = Level(0.0, "fit")
        for item, z in ((self.lower_beyond, -50), (self.zero, 0), (self.residual_marks, 0)):
            self.put_below(item, z)

    def name_residuals(self, title: str) -> None:
        """Call the strip under the plot by what it shows."""
        if self.lower is not None:
            self.lower.getAxis("left").set_title(title)

    def show_others(self, others: list[tuple[str, Array, Array, str]], first: tuple[str, str]) -> None:
        """Show further series as (name, x, y, colour) with a legend; ``first`` is the name and colour of the main one."""
        for item in self.others:
            self.take_away(item)
        self.others = []
        for _, x, y, ink in others:
            marks = Marks()
            marks.radius = 3.4
            marks.set_data(x, y, np.full(len(x), -2), np.zeros(len(x), dtype=bool), ink)
            self.put(marks, 8)
            self.others.append(marks)
        self.legend.set_entries([first, *((name, ink) for name, _, _, ink in others)] if others else [])

    def set_hand(self, hand: Hand) -> None:
        """Say what dragging on the plot does."""
        self.upper.vb.hand = hand

    def _outlined(self, points: list[tuple[float, float]], done: bool) -> None:
        """Show what is being enclosed; when done, zoom to it or tell which rows are inside."""
        self.rubber.set_outline([] if done else points)
        if not done or len(points) < 3:
            return
        hand = self.upper.vb.hand
        xs, ys = [x for x, _ in points], [y for _, y in points]
        if hand is Hand.ZOOM:
            self.upper.vb.setRange(xRange=(min(xs), max(xs)), yRange=(min(ys), max(ys)), padding=0)
            if self._hand_before is not None:
                self._end_hand()
            self.fit_axis_widths()
            return
        log = self.framing.log
        x, y = on_axis(self.marks.xs, log[0]), on_axis(self.marks.ys, log[1])
        if hand is Hand.SPAN:
            low, high = off_axis(np.array([min(xs), max(xs)]), log[0]).tolist()
            self.span_dragged.emit(low, high)
            inside = (x >= min(xs)) & (x <= max(xs))
        else:
            inside = _inside(x, y, np.array(points))
        self.rows_enclosed.emit(self.marks.numbers[np.flatnonzero(inside)].tolist())

    def zoom_once(self) -> None:
        """Let the next drag choose the box that is then shown."""
        self._hand_before = self.upper.vb.hand
        self.set_hand(Hand.ZOOM)
        self._say("Drag a box over what you want to see; Escape leaves it.", "")

    def ask_limits(self, axis: int, place: QPoint | None = None) -> None:
        """Open the form of an axis (0 is x, 1 is y) at a place of the screen."""
        panel = self.upper if axis else (self.lower or self.upper)
        side = panel.getAxis("left" if axis else "bottom")
        title = side.title or "xy"[axis]
        self.axis_form = AxisPopup(self, self, axis, title, self.numbers)
        middle = self.mapFromScene(side.sceneBoundingRect().center())
        self.axis_form.show_at(place or self.viewport().mapToGlobal(middle))

    def copy(self) -> None:
        """Put the plot on the clipboard."""
        self._say(copy_picture(self), "")

    def save(self) -> None:
        """Ask for a name and save the plot there."""
        try:
            done = ask_picture(self)
            if done:
                self._say(done, "")
        except VettoreError as error:
            self._say(str(error), "bad")

    def set_residual_range(self, residuals: Array) -> None:
        """Scale the residual strip about zero."""
        if self.lower is not None:
            reach = float(np.max(np.abs(residuals))) * 1.2 if len(residuals) else 1.0
            self.lower.vb.setYRange(-(reach or 1.0), reach or 1.0, padding=0)
            self.fit_axis_widths()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self.upper.vb.hand in (Hand.SPAN, Hand.ZOOM):
            self._end_hand()
            self.rubber.set_outline([])
        elif not self.framing.take_key(event.key()):
            super().keyPressEvent(event)
        else:
            self.fit_axis_widths()

    def _end_hand(self) -> None:
        """Dragging does again what it did."""
        self.set_hand(self._hand_before or Hand.MOVE)
        self._hand_before = None

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        # By mouse the menu opens on a click, since dragging with the right button zooms.
        if event.reason() is not QContextMenuEvent.Reason.Mouse:
            axes_menu(self, self).popup(self.viewport().mapToGlobal(self.viewport().rect().center()))

    def _row_at(self, scene_point: QPointF) -> int:
        panels = [(self.upper, self.marks)]
        if self.lower is not None:
            panels.append((self.lower, self.residual_marks))
        for panel, marks in panels:
            if panel.vb.sceneBoundingRect().contains(scene_point):
                return marks.nearest(panel.vb.mapSceneToView(scene_point), REACH)
        return -1

    def _clicked(self, event: Any) -> None:
        place = event.scenePos()
        if event.isAccepted():
            # A grip, or a mark, has taken it.
            return
        if event.button() == Qt.MouseButton.RightButton:
            axes_menu(self, self).popup(event.screenPos().toPoint())
            return
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if event.double():
            axis = self.axis_at(place)
            if axis is None:
                self.go_home()
            else:
                self.ask_limits(axis, event.screenPos().toPoint())
            return
        row = self._row_at(place)
        more = bool(event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier))
        self.row_clicked.emit(row, more)
        if row < 0 and self.upper.vb.sceneBoundingRect().contains(place):
            self.place_clicked.emit(float(off_axis(self.upper.vb.mapSceneToView(place).x(), self.framing.log[0])))

    def _moved(self, point: QPointF) -> None:
        self.row_pointed.emit(self._row_at(point))
        inside = self.upper.vb.sceneBoundingRect().contains(point)
        if not (self.cross_shown and inside):
            self.cross.set_place(None, "")
            return
        at = self.upper.vb.mapSceneToView(point)
        values = [float(off_axis(v, log)) for v, log in zip((at.x(), at.y()), self.framing.log, strict=True)]
        text = "  ·  ".join(self.numbers.number(value, 4) for value in values)
        self.cross.set_place((at.x(), at.y()), text)


def _inside(x: Array, y: Array, polygon: Array) -> Array:
    """Return which points lie inside a polygon: those with an odd number of its edges to their right."""
    inside = np.zeros(len(x), dtype=bool)
    ends = np.roll(polygon, -1, axis=0)
    with np.errstate(all="ignore"):
        for (x0, y0), (x1, y1) in zip(polygon, ends, strict=True):
            spans = (y0 > y) != (y1 > y)
            inside ^= spans & (x < (x1 - x0) * (y - y0) / (y1 - y0) + x0)
    return inside
