"""Practice data on the Data page: a panel on the right, and on the plot what it would make."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QStackedWidget

from vettore.app.session import Session
from vettore.app.stage.plot import Plot
from vettore.app.style import series_colour
from vettore.app.widgets.data.practice_panel import PracticePanel
from vettore.core.columns.practice_data import PracticeData
from vettore.study import edits, making


class Practice(QObject):
    """The panel is made when it is first opened; it stands over the findings until it is closed."""

    opened = Signal()
    closed = Signal()

    def __init__(self, session: Session, plot: Plot, findings: QStackedWidget) -> None:
        super().__init__()
        self._session, self._plot, self._findings = session, plot, findings
        self.panel: PracticePanel | None = None

    @property
    def is_open(self) -> bool:
        """Whether the panel has the right side."""
        return self.panel is not None and self._findings.currentWidget() is self.panel

    def open(self) -> None:
        """Show the panel, with a live preview on the plot."""
        if self.panel is None:
            self.panel = PracticePanel(self._finish, self.close)
            self.panel.previewed.connect(self._preview)
            self._findings.addWidget(self.panel)
        self._findings.setCurrentWidget(self.panel)
        self.opened.emit()
        self.panel.preview()

    def close(self) -> bool:
        """Give the right side back; whether the panel had it."""
        if not self.is_open:
            return False
        self._findings.setCurrentIndex(0)
        self.closed.emit()
        return True

    def _finish(self, practice_data: PracticeData) -> None:
        study = edits.add_series(self._session.study, making.practice_table(practice_data), "Practice data")
        self.close()
        self._session.do("make practice data", study)
        self._session.choose_newest()

    def _preview(self, practice_data: PracticeData | None) -> None:
        if practice_data is None or not self.is_open:
            return
        rows = np.arange(len(practice_data.x))
        aside = np.zeros(len(practice_data.x), dtype=bool)
        self._plot.set_titles(practice_data.x_name, practice_data.y_name)
        self._plot.marks.set_data(
            practice_data.x, practice_data.y, rows, aside, series_colour(len(self._session.study.series))
        )
        self._plot.show_home(practice_data.x, practice_data.y)
