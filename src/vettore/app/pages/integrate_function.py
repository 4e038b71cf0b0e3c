"""The part of the Integrate page that takes a function of x: drawn, integrated, read and crossed without any data."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PySide6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from vettore.app.session import Session
from vettore.app.stage.area_items import Handle, Running, Strips
from vettore.app.stage.plot import Plot
from vettore.app.style import theme
from vettore.app.widgets.formula_field import FormulaField
from vettore.app.widgets.parts import Elided, Pairs, button, clear, ground, label, section
from vettore.app.widgets.value_table import ValueTable
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.formula.formula import read_formula
from vettore.core.integration.function import RULES as FUNCTION_RULES
from vettore.core.integration.function import FunctionArea, Rung, integrate_function, ladder
from vettore.core.rounding import read_number
from vettore.core.typed import limit_in
from vettore.study import edits_of_curves
from vettore.study.areas import formula_of_x
from vettore.study.kinds.function import FunctionRecipe

# Places at which a function is drawn.
DRAWN = 1200


@dataclass(frozen=True, eq=False)
class FunctionAnswer:
    """An area under a function with its ladder."""

    formula: str
    a: float
    b: float
    area: FunctionArea
    rule: str
    rungs: tuple[Rung, ...]
    shape_of: Callable[[Array], Array]


class FunctionHands:
    """Fields, work and pictures of a function of x."""

    session: Session
    plot: Plot
    stage: QStackedWidget
    handles: tuple[Handle, ...]
    strip_item: Strips
    running_item: Running
    refusal: QLabel
    number: QLabel
    unit: QLabel
    about: Pairs
    table: ValueTable
    settles: QLabel
    keep: QPushButton
    series_button: QPushButton
    slopes: QPushButton
    function_curve: FormulaCurve | None

    def _build_function(self, outer: QVBoxLayout) -> None:
        outer.addWidget(section("Or a function of x"))
        self.function = FormulaField()
        self.function.set_names(("x",))
        self.function.setPlaceholderText("such as exp(-x^2)")
        self.function.setAccessibleName("Function of x to integrate")
        limits = QGridLayout()
        self.start, self.end, self.strips = QLineEdit("0"), QLineEdit("1"), QLineEdit()
        self.strips.setPlaceholderText("as needed")
        self.function_rule = QComboBox()
        self.function_rule.addItems(list(FUNCTION_RULES))
        self.function_rule.setCurrentText("trapezoid")
        for place, (words, field) in enumerate(
            (("from", self.start), ("to", self.end), ("strips", self.strips), ("rule", self.function_rule))
        ):
            field.setAccessibleName(f"Function: {words}")
            row, column = ((0, 0), (0, 2), (1, 0), (2, 0))[place]
            limits.addWidget(label(words, "label"), row, column)
            limits.addWidget(field, row, column + 1, 1, 1 if row == 0 else 3)
            if isinstance(field, QLineEdit):
                field.returnPressed.connect(self.take_function)
        self.function.returnPressed.connect(self.take_function)
        outer.addWidget(self.function)
        outer.addLayout(limits)
        self._kept_functions = QWidget()
        self._functions = QVBoxLayout(self._kept_functions)
        self._functions.setContentsMargins(0, 0, 0, 0)
        self._functions.setSpacing(2)
        outer.addWidget(self._kept_functions)

    def _build_asks(self) -> None:
        """Build the line under the plot that reads a function: y at x, and every x where y."""
        self.asks, line = ground("bar", (18, 7, 14, 7))
        self.at_x, self.where_y = QLineEdit(), QLineEdit()
        self.said_at, self.said_where = label("", "value"), Elided("value")
        for words, spoken, field, said, stretch in (
            ("At x =", "Read the function at x", self.at_x, self.said_at, 1),
            ("Where y =", "Find x where the function is y", self.where_y, self.said_where, 2),
        ):
            field.setFixedWidth(84)
            field.setAccessibleName(spoken)
            field.textChanged.connect(self._read_function)
            line.addWidget(label(words, "label"))
            line.addWidget(field)
            line.addWidget(said, stretch)
        self.keep_function = button("Keep this function", self.turn_function, "link", "Keep it in the study")
        line.addWidget(self.keep_function)
        self.asks.hide()

    def _list_functions(self) -> None:
        clear(self._functions)
        self.function_buttons = {}
        for one in self.session.study.functions:
            line = button(
                f"{one.formula}   {one.start} … {one.end}",
                lambda one=one: self.show_function(one),
                "choice",
                "Show it",
            )
            self.function_buttons[one.id] = line
            self._functions.addWidget(line)

    def show_function(self, one: FunctionRecipe) -> None:
        """Show a function that is kept."""
        for field, text in ((self.function, one.formula), (self.start, one.start), (self.end, one.end)):
            field.setText(text)
        self.take_function()

    def _kept_function(self) -> FunctionRecipe | None:
        typed = tuple(field.text().strip() for field in (self.function, self.start, self.end))
        study = self.session.study
        return next((one for one in study.functions if (one.formula, one.start, one.end) == typed), None)

    def turn_function(self) -> None:
        """Keep the function that is shown, or let go of it."""
        kept = self._kept_function()
        if kept is not None:
            self.session.do("let go of a function", edits_of_curves.remove_function(self.session.study, kept.id))
            return
        typed = [field.text().strip() for field in (self.function, self.start, self.end)]
        self.session.do("keep a function", edits_of_curves.add_function(self.session.study, *typed))

    def _read_function(self) -> None:
        """Answer at the x and at the y that were typed."""
        curve, style = self.function_curve, self.session.style
        self.said_at.setText("")
        self.said_where.setText("")
        if curve is None:
            return
        flags = []
        x, y = (read_number(field.text()) for field in (self.at_x, self.where_y))
        if x is not None:
            value = float(curve(x))
            self.said_at.setText(f"y = {style.number(value, 8)}")
            flags.append((x, value, style.number(value, 6), False))
        if y is not None:
            found = curve.crossings(y, *curve.span)
            texts = [style.number(float(one), 8) for one in found]
            self.said_where.setText(f"x = {'; '.join(texts)}" if texts else "nowhere on this range")
            flags += [(float(one), y, style.number(float(one), 6), False) for one in found[:12]]
        self.plot.pennants.set_flags(flags)

    # A function of x.

    def take_function(self) -> None:
        """Show the area under the function that was typed; without one, that under the points."""
        text = self.function.text().strip()
        if not text:
            self._shown = ()
            self.refresh()
            return
        self.stage.setCurrentIndex(1)
        limits = []
        for field in (self.start, self.end):
            typed = field.text().strip()
            number = limit_in(typed)
            if number is None:
                self._show_refusal(f"“{typed}” is no limit; write a number, or inf.")
                return
            limits.append(number)
        strips = read_number(self.strips.text()) if self.strips.text().strip() else None
        chosen = self.function_rule.currentText()
        a, b = limits

        def work() -> FunctionAnswer:
            area = integrate_function(text, a, b, None if strips is None else int(strips), rule=chosen)
            finite = math.isfinite(a) and math.isfinite(b)
            try:
                rungs = ladder(text, a, b, chosen, rungs=7) if finite else ()
            except VettoreError:
                rungs = ()
            return FunctionAnswer(text, a, b, area, chosen, rungs, formula_of_x(text))

        self.session.background.run("area", work, self._show_function, self._show_refusal, 1)

    def _show_function(self, answer: FunctionAnswer) -> None:
        self.answer = None
        self.refusal.hide()
        style, area = self.session.style, answer.area
        empty = np.empty(0)
        self.plot.dress(style)
        self.plot.marks.set_data(empty, empty, empty.astype(np.intp), empty.astype(bool), "", None)
        self.plot.set_titles("x", answer.formula)
        low = answer.a if math.isfinite(answer.a) else (min(answer.b, 0.0) - 8 if math.isfinite(answer.b) else -8.0)
        high = answer.b if math.isfinite(answer.b) else max(low, 0.0) + 8
        x = np.linspace(low, high, DRAWN)
        y = answer.shape_of(x)
        tree = read_formula(answer.formula, ("x",)).right
        self.function_curve = FormulaCurve(tree, "x", {}, (), None, (low, high), None, 0)
        self.plot.line.set_curve(self.function_curve)
        self.plot.beyond.set_span(None)
        self._list_functions()
        self.keep_function.setText("Let go of it" if self._kept_function() else "Keep this function")
        self.asks.show()
        self._read_function()
        good = np.isfinite(y)
        for handle in self.handles:
            handle.setVisible(False)
        if good.sum() > 1:
            self.plot.show_home(np.append(x[good], x[0]), np.append(y[good], 0.0))
            edges = area.edges if area.error is None else np.array([x[good][0], x[good][-1]])
            self.strip_item.set_strips(edges, answer.shape_of, lambda at: np.zeros(np.shape(at)), theme().series[0])
            steps = np.diff(x[good])
            running = np.concatenate([[0.0], np.cumsum(steps * (y[good][1:] + y[good][:-1]) / 2)])
            self._show_running(x[good], running)
        digits = 12 if area.error is not None and area.error < 1e-9 * abs(area.area) else 8
        self.number.setText(style.number(area.area, digits) if area.settled else "not settled")
        error = "" if area.error is None else f"error below {style.number(area.error, 2)}"
        self.unit.setText(error if area.settled else area.message)
        self.about.show_pairs(
            [
                ("function", answer.formula),
                ("strips", str(area.strips)),
                ("evaluations", str(area.evaluations)),
                *([("", area.message)] if area.settled else []),
            ]
        )
        self.table.show_rows((), [], [])
        for part in (self._strips_title, self.keep, self.series_button, self.slopes):
            part.hide()
        cells = []
        for rung in answer.rungs:
            order = "" if rung.order is None else f"order {style.fixed(rung.order, 1)}"
            cells.append((f"{rung.strips} strips", style.number(rung.area, 7), order))
        self._fill_rungs(cells[-5:])
        self.session.say("", "status")
        last = answer.rungs[-1] if answer.rungs else None
        words = "" if last is None or last.extrapolated is None else style.number(last.extrapolated, 10)
        self.settles.setText(f"The rungs lead to {words} ({answer.rule} rule)." if words else "")
