"""The right of the Polynomial page: roots, turning points, slope and area, values, and what can be done with it."""

from __future__ import annotations

from collections.abc import Callable

from vettore.app.pages.polynomial.present import PolynomialView
from vettore.app.widgets.parts import Column, Pairs, button, label, rule, section
from vettore.app.widgets.value_table import ValueTable


class PolynomialFindings(Column):
    """Draws a view."""

    def __init__(
        self, fit_shape: Callable[[], None], keep_function: Callable[[], None], remove: Callable[[], None]
    ) -> None:
        super().__init__("What the polynomial says")
        self.sentence = label("", "sentence", wrap=True)
        self.root_table, self.value_table = ValueTable(), ValueTable()
        self.put_back, self.turn_pairs, self.follows = label("", "muted", wrap=True), Pairs(), Pairs()
        self._turn_title, self._value_title = section("Turning points"), section("Values")
        self.drop = button("Take it off the shelf", remove, "", "It can be brought back by undo")
        self.add(section("Roots"), self.sentence, self.root_table, self.put_back, rule())
        self.add(self._turn_title, self.turn_pairs, section("Slope and area"), self.follows)
        self.add(self._value_title, self.value_table)
        self.column.addStretch()
        self.as_model = button("Fit its shape to the chosen series", fit_shape, "", "y = a + b·p(x), on the Fit page")
        self.as_function = button(
            "Keep it as a function of x", keep_function, "", "On the Integrate page: drawn, read, integrated"
        )
        self.add(self.as_model, self.as_function, self.drop)

    def show_view(self, view: PolynomialView, letter: str) -> None:
        """Draw what is said."""
        self.sentence.setText(view.sentence)
        self.put_back.setText(view.put_back)
        self.root_table.show_rows(("root", "±", f"{letter} there"), list(view.root_rows), list(view.full_roots))
        self.turn_pairs.show_pairs(list(view.turns))
        self._turn_title.setVisible(bool(view.turns))
        self.follows.show_pairs(list(view.follows))

    def show_values(self, letter: str, rows: list[tuple[str, ...]], full: list[tuple[float, float]]) -> None:
        """Show the values that were asked for."""
        self.value_table.show_rows(("x", f"{letter}(x)"), rows, full)
        self._value_title.setVisible(bool(rows))
