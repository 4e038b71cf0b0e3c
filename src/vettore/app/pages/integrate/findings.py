"""The right column of the Integrate page: the area in words and numbers, and what can be made of it."""

from __future__ import annotations

from PySide6.QtCore import Signal

from vettore.app.pages.integrate.present import POINTS, STRIPS, IntegrateView
from vettore.app.widgets.parts import Column, Pairs, button, label, rule, section
from vettore.app.widgets.value_table import ValueTable


class AreaFindings(Column):
    """Draws what a view says of an area."""

    keep_asked = Signal()
    series_asked = Signal()
    slopes_asked = Signal()

    def __init__(self) -> None:
        super().__init__("What the area says")
        self.number, self.unit = label("", "display", wrap=True), label("", "muted", wrap=True)
        self.about, self.table = Pairs(), ValueTable()
        self._title = section("")
        self.keep = button("", self.keep_asked.emit, "primary", "Keep it in the study; it follows the data")
        self.running = button(
            "Make the running area a series", self.series_asked.emit, "", "A new series of x and area"
        )
        self.slopes = button("Make the slopes a series", self.slopes_asked.emit, "", "A new series of x and slope")
        # What is done with an area stands before its strips, however many there are.
        self.add(section("Area"), self.number, self.unit, self.keep, rule(), self.about)
        self.add(self.running, self.slopes, self._title, self.table)
        self.column.addStretch()

    def draw(self, view: IntegrateView) -> None:
        """Show a view."""
        self.keep.setText(view.keep)
        for part in (self.keep, self.running, self.slopes):
            part.setVisible(view.series is not None)
        self._title.setText(("Points used" if view.of_function else "Strip by strip").upper())
        if view.awaited:
            return
        shown = view.shown
        empty = "—" if view.refusal else ""
        self.number.setText(shown.number if shown is not None else empty)
        self.unit.setText(shown.unit if shown is not None else "")
        self.about.show_pairs(shown.pairs if shown is not None else ())
        full = () if shown is None or shown.full is None else shown.full
        headings, strips = (shown.headings, shown.strips) if shown is not None else ((), ())
        self.table.show_rows(headings, strips, full, POINTS if view.of_function else STRIPS)
        self._title.setVisible(bool(strips))
