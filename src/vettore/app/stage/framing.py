"""Which part of the data the axes of a plot show: the whole, typed limits, and the views to go back to."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import pyqtgraph as pg
from PySide6.QtCore import Qt

from vettore.app.stage.items import off_axis, on_axis
from vettore.core.arrays import Array
from vettore.core.errors import Fault, VettoreError

# Room around the data, as a share of its span.
MARGIN = 0.06
BEYOND = 0.16
VIEWS_KEPT = 20
STEP, CLOSER = 0.1, 0.8
STEPS = {
    Qt.Key.Key_Left: (-STEP, 0.0),
    Qt.Key.Key_Right: (STEP, 0.0),
    Qt.Key.Key_Up: (0.0, STEP),
    Qt.Key.Key_Down: (0.0, -STEP),
}
CLOSER_KEYS = (Qt.Key.Key_Plus, Qt.Key.Key_Equal)

Span = tuple[float, float]


class Framing:
    """The view of one view box; places are data, whatever the axes' scales."""

    def __init__(self, box: pg.ViewBox) -> None:
        self._box = box
        self.log = (False, False)
        self._data: tuple[Array, Array] = (np.empty(0), np.empty(0))
        self._beyond, self._with_zero = False, False
        self._home: tuple[Span, Span] | None = None
        self._views: list[tuple[list[float], list[float]]] = []

    def show_home(self, x: Array, y: Array, beyond: bool, with_zero: bool) -> None:
        """Show all of the rows x and y (n,), with room beyond them in x, and with y = 0, when asked."""
        self._data, self._beyond, self._with_zero = (x, y), beyond, with_zero
        x, y = (on_axis(values, log) for values, log in zip((x, y), self.log, strict=True))
        good = np.isfinite(x) & np.isfinite(y)
        x, y = x[good], y[good]
        if with_zero and not self.log[1]:
            y = np.append(y, 0.0)
        if len(x):
            self._home = (_padded(x, MARGIN, BEYOND if beyond else MARGIN), _padded(y, MARGIN, MARGIN))
        else:
            self._home = ((0.0, 1.0), (0.0, 1.0))
        self.go_home()

    def go_home(self) -> None:
        """Show all of the data again."""
        if self._home is not None:
            self._show(*self._home)

    def set_log(self, log: tuple[bool, bool]) -> None:
        """Take another scale of the axes and show all of the data on it."""
        self.log = log
        self._views = []
        self.show_home(*self._data, self._beyond, self._with_zero)

    def without_place(self) -> int:
        """Return how many measured rows have no place on the axes: those not above 0 where an axis is logarithmic."""
        x, y = self._data
        array = np.zeros(len(x), dtype=bool)
        with np.errstate(invalid="ignore"):
            for values, log in zip((x, y), self.log, strict=True):
                if log:
                    array |= values <= 0
        return int(array.sum())

    def limits(self) -> tuple[Span, Span]:
        """Return what the axes show, in data."""
        out = [
            (float(off_axis(low, log)), float(off_axis(high, log)))
            for (low, high), log in zip(self._box.viewRange(), self.log, strict=True)
        ]
        return out[0], out[1]

    def set_limits(self, axis: int, low: float, high: float) -> None:
        """Show x (``axis`` 0) or y (1) from ``low`` to ``high``. Raises VettoreError."""
        if not (np.isfinite(low) and np.isfinite(high) and low < high):
            raise VettoreError("The lower limit must be below the upper one.", Fault.OUT_OF_BOUNDS)
        if self.log[axis]:
            if low <= 0:
                raise VettoreError("A logarithmic axis begins above 0.", Fault.OUT_OF_BOUNDS)
            low, high = float(np.log10(low)), float(np.log10(high))
        self.remember()
        view = self._box.viewRange()
        view[axis] = [low, high]
        self._show(*view)

    def remember(self) -> None:
        """Keep the present view to go back to."""
        view = self._box.viewRange()
        if not self._views or self._views[-1] != view:
            self._views = [*self._views[1 - VIEWS_KEPT :], view]

    def go_back(self) -> None:
        """Show the view before the last zoom or move."""
        present = self._box.viewRange()
        while self._views and self._views[-1] == present:
            self._views.pop()
        if self._views:
            self._show(*self._views.pop())

    def take_key(self, key: int) -> bool:
        """Move or zoom by a key; whether the key was one for that."""
        if key == Qt.Key.Key_Home:
            self.remember()
            self.go_home()
        elif key == Qt.Key.Key_Backspace:
            self.go_back()
        elif key in STEPS:
            (x0, x1), (y0, y1) = self._box.viewRange()
            dx, dy = STEPS[Qt.Key(key)]
            self._box.translateBy(x=dx * (x1 - x0), y=dy * (y1 - y0))
        elif key in CLOSER_KEYS or key == Qt.Key.Key_Minus:
            by = CLOSER if key in CLOSER_KEYS else 1 / CLOSER
            self._box.scaleBy((by, by))
        else:
            return False
        return True

    def _show(self, x: Sequence[float], y: Sequence[float]) -> None:
        self._box.setRange(xRange=x, yRange=y, padding=0)


def _padded(values: Array, low: float, high: float) -> Span:
    a, b = float(np.min(values)), float(np.max(values))
    span = b - a or abs(a) or 1.0
    return a - low * span, b + high * span
