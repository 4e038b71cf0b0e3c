"""The left of the Fit page: the line-up of models, how it is fitted, and ways to other fits."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QVBoxLayout, QWidget

from vettore.app.widgets.fits.how_fitted import HowFitted
from vettore.app.widgets.fits.line_up_panel import LineUpPanel
from vettore.app.widgets.fits.peak_choices import PeakChoices
from vettore.app.widgets.parts import about, button, rule


class FitChoices(QWidget):
    """``doing`` are what the buttons do by their names: another, several, formula."""

    def __init__(self, doing: Mapping[str, Callable[[], object]]) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 6, 10)
        box.addWidget(rule())
        self.panel = LineUpPanel()
        box.addWidget(self.panel, 1)
        self.how, self.peaks = HowFitted(), PeakChoices()
        self.another = button("Add a curve", doing["another"], "link", "Keep this curve and fit a second one")
        self.more = button(
            "Over several series …", doing["several"], "link", "The same model over many series at once"
        )
        self.write = button("Your own formula …", doing["formula"], "", "Any formula over the columns (Ctrl+E)")
        QShortcut(QKeySequence("Ctrl+E"), self.write, doing["formula"])
        links = QVBoxLayout()
        links.setSpacing(0)
        for link in (self.another, self.more):
            links.addWidget(link, alignment=Qt.AlignmentFlag.AlignLeft)
        box.addWidget(self.peaks)
        box.addWidget(self.how)
        box.addLayout(links)
        box.addWidget(self.write)
        about("fit.md#write-your-own-formula", self.write)
        about("fit.md#choose-a-model", self.panel)
        about("fit.md#decide-how-it-is-fitted", self.how)
        about("fit.md#peaks", self.peaks)
        about("fit.md#fit-several-series", self.more)
