"""Readings at several x as a table that can be copied, kept one by one, or made a series."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from vettore.app.session import Session
from vettore.app.widgets.parts import Column, button, label
from vettore.app.widgets.value_table import ValueTable
from vettore.core.remarks import counted
from vettore.study import edits
from vettore.study.derive_curves import sampled
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.readings import DerivedReading
from vettore.study.series import Role

# More readings than this make the list of kept ones useless; a series holds them better.
MOST_KEPT = 12


class ReadingTable(QDialog):
    """What a curve says at a list of x."""

    def __init__(
        self, session: Session, fit: DerivedFit, readings: Sequence[DerivedReading], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Readings")
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(480, 460)
        self._session, self._fit, self._found = session, fit, list(readings)
        (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
        box = QVBoxLayout(self)
        box.setContentsMargins(18, 14, 18, 14)
        box.addWidget(label(f"{fit.name}: {y_name} at {len(readings)} {x_name}", "head", wrap=True))
        style = session.style
        self.table = ValueTable()
        rows = [
            (
                style.short(reading.recipe.at),
                style.pair(reading.value or 0.0, reading.standard_error),
                style.number(reading.slope, 4),
                "extrapolated" if reading.beyond else "",
            )
            for reading in readings
        ]
        full = [
            (item.recipe.at, item.value or 0.0, item.standard_error or "", item.slope or 0.0) for item in readings
        ]
        headings = (f"{x_name} {x_unit}".strip(), f"{y_name} {y_unit}".strip(), "slope", "")
        self.table.show_rows(headings, rows, full, (x_name, y_name, f"standard error of {y_name}", "slope"))
        shown = Column("Readings", (0, 0, 0, 0))
        shown.add(self.table)
        shown.column.addStretch()
        box.addWidget(shown, 1)
        foot = QHBoxLayout()
        self.keep = button("Keep each", self.keep_each, "", "Keep every one as a reading")
        self.keep.setEnabled(len(readings) <= MOST_KEPT and bool(fit.recipe.id))
        self.as_series = button("As a new series", self.make_series, "", "x, the curve and its standard error")
        foot.addWidget(self.keep)
        foot.addWidget(self.as_series)
        foot.addStretch()
        foot.addWidget(button("Close", self.close, "primary"))
        box.addLayout(foot)

    def keep_each(self) -> None:
        """Keep every reading."""
        study = self._session.study
        for reading in self._found:
            study = edits.keep(study, reading.recipe)
        self._session.do(f"keep {len(self._found)} readings", study)
        self.close()

    def make_series(self) -> None:
        """Add the table as a series of its own."""
        table = sampled(self._fit, [reading.recipe.at for reading in self._found])
        name = f"{self._fit.series.name}, {self._fit.name.lower()}"
        self._session.do("make a series of the curve", edits.add_series(self._session.study, table, name))
        self._session.say(f"{name}: a new series of {counted(table.rows, 'row')}.")
        self.close()
