"""The right of the Interpolate page: what the curve says, its doubts, gaps, and the values that were read."""

from __future__ import annotations

from collections.abc import Callable

from vettore.app.pages.interpolate.present import InterpolateView
from vettore.app.widgets.parts import Column, Pairs, button, label, rule, section
from vettore.app.widgets.value_table import ValueTable


class InterpolateFindings(Column):
    """Draws a view."""

    def __init__(self, show_working: Callable[[], None]) -> None:
        super().__init__("What the curve says")
        self.sentence = label("", "sentence", wrap=True)
        self.doubts, self.gaps = Pairs(), label("", "sentence", wrap=True)
        self._gap_title = section("Gaps")
        self.values = ValueTable()
        self._values_title = section("Values read")
        self.add(section("What the curve says"), self.sentence, rule(), section("Its doubts"), self.doubts)
        self.add(self._gap_title, self.gaps, self._values_title, self.values)
        self.column.addStretch()
        self.add(button("Show the working", show_working, "", "The pieces, and how they came about"))

    def show_view(self, view: InterpolateView) -> None:
        """Draw what is said; a refusal is a view with a sentence alone."""
        self.sentence.setText(view.sentence)
        self.doubts.show_pairs(list(view.doubts))
        if not view.doubts:
            return
        self.gaps.setText("\n".join(view.gaps))
        for part in (self._gap_title, self.gaps):
            part.setVisible(bool(view.gaps))
        self._values_title.setVisible(bool(view.rows))
        self.values.show_rows(view.header, list(view.rows), list(view.full))
