"""What a plot shows, in words that follow the data, for those who hear it."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from PySide6.QtCore import QObject, QTimer
from PySide6.QtWidgets import QAbstractScrollArea

from vettore.app.stage.curves import CurveLine
from vettore.app.stage.marks import Marks
from vettore.app.stage.overlays import Pennants
from vettore.core.rounding import NumberStyle
from vettore.words.plots import plot_words

# Milliseconds after a change in which there may be others.
TELL_AFTER = 250


class Heard(Protocol):
    """What of a plot is told in words."""

    marks: Marks
    line: CurveLine
    pennants: Pennants
    titles: tuple[str, str]
    numbers: NumberStyle


class Spoken(QObject):
    """Keeps the accessible description of a plot."""

    def __init__(self, plot: Heard, widget: QAbstractScrollArea) -> None:
        super().__init__(widget)
        self._plot, self._widget = plot, widget
        widget.setAccessibleName("Plot")
        widget.viewport().setAccessibleName("Plot")
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
        self._widget.setAccessibleDescription(words)
        self._widget.viewport().setAccessibleName(words)
