"""One panel of a plot: a view box between an axis on the left and one below.

The library's own panel brings a hidden form of more than fifty widgets for what a menu of ours does.
"""

from __future__ import annotations

import pyqtgraph as pg
from PySide6.QtWidgets import QGraphicsGridLayout

from vettore.app.stage.axis import Axis
from vettore.app.stage.hand_box import HandBox


class Panel(pg.GraphicsWidget):
    """``vb`` is the view box; the axes show what is seen of it."""

    def __init__(self) -> None:
        super().__init__()
        self.vb = HandBox()
        self._axes = {side: Axis(side) for side in ("left", "bottom")}
        grid = QGraphicsGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(0)
        for item, row, column in ((self._axes["left"], 0, 0), (self.vb, 0, 1), (self._axes["bottom"], 1, 1)):
            grid.addItem(item, row, column)
        grid.setRowStretchFactor(0, 100)
        grid.setColumnStretchFactor(1, 100)
        for axis in self._axes.values():
            axis.linkToView(self.vb)
            # Over the plot's ground, so that the line of the axis is whole.
            axis.setZValue(0.5)

    def getAxis(self, side: str) -> Axis:
        """Return the axis "left" or "bottom"."""
        return self._axes[side]

    def follow_x(self, other: Panel) -> None:
        """Show the same x as another panel."""
        self.vb.setXLink(other.vb)
