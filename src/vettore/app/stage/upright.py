"""An upright line at a value of x that can be dragged sideways, on a linear axis or a logarithmic one."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg

from vettore.app.stage.items import off_axis, on_axis


class Upright(pg.InfiniteLine):
    """Stands at ``at``, a value of the data; whoever makes it listens to the line's own signals."""

    def __init__(self) -> None:
        super().__init__(angle=90, movable=True)
        self._log = False
        self._shown_at = 0.0

    @property
    def at(self) -> float:
        """Where the line stands, as a value of the data."""
        return float(off_axis(self.value(), self._log))

    def show_at(self, x: float) -> None:
        """Stand at a value of the data, and tell nobody; without a place on the axis the line is not painted."""
        self._shown_at = x
        place = float(on_axis(x, self._log))
        self.setOpacity(1.0 if np.isfinite(place) else 0.0)
        if np.isfinite(place):
            self.blockSignals(True)
            self.setValue(place)
            self.blockSignals(False)

    def set_log(self, log: tuple[bool, bool]) -> None:
        """Stand at the same value on another axis."""
        at = self.at if self.opacity() else self._shown_at
        self._log = log[0]
        self.show_at(at)
