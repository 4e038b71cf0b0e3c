"""What a plot shows, in words that follow the data, for those who hear it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QTimer

from vettore.words.plots import plot_words

if TYPE_CHECKING:
    from vettore.app.stage.plot import Plot

# Milliseconds after a change in which there may be others.
TELL_AFTER = 250


class Spoken(QObject):
    """Keeps the accessible description of a plot."""

    def __init__(self, plot: Plot) -> None:
        super().__init__(plot)
        self._plot = plot
        plot.setAccessibleName("Plot")
        plot.viewport().setAccessibleName("Plot")
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(TELL_AFTER)
        self._soon.timeout.connect(self._tell)
        for item in (plot.marks, plot.line, plot.pennants):
            item.shown.connect(self._soon.start)

    def _tell(self) -> None:
        plot, curve, ends = self._plot, self._plot.line.curve, None
        if curve is not None and np.isfinite(curve.span).all():
            with np.errstate(all="ignore"):
                first, last = np.asarray(curve(np.array(curve.span)), dtype=float).tolist()
            ends = (first, last)
        readings = [text for _x, _y, text, _kept in plot.pennants.pennants]
        marks = plot.marks
        words = plot_words(plot.titles, marks.xs, marks.ys, marks.aside, ends, readings, plot.numbers)
        plot.setAccessibleDescription(words)
        plot.viewport().setAccessibleName(words)
