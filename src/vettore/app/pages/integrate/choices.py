"""The left column of the Integrate page: how points are joined, the baseline, kept areas, a function of x."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from vettore.app.pages.integrate.present import Choice, IntegrateView
from vettore.app.pages.integrate.state import Typed
from vettore.app.widgets.formulas.formula_field import FormulaField
from vettore.app.widgets.parts import Column, about, button, clear, label, rule, section
from vettore.core.integration.function import RULES as FUNCTION_RULES
from vettore.words.areas import RULE_WORDS

BASELINE_HINT = "A level, spans of base as 0 … 5; 90 … 100, or a formula of x"


class ChoiceList(QWidget):
    """Buttons of which one may be chosen; ``chosen`` tells its key."""

    chosen = Signal(str)

    def __init__(self, tip: str) -> None:
        super().__init__()
        self._tip = tip
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(2)
        self._shown: tuple[Choice, ...] = ()
        self.buttons: dict[str, QPushButton] = {}

    def show_choices(self, choices: tuple[Choice, ...]) -> None:
        """Show other choices."""
        if choices == self._shown:
            return
        self._shown = choices
        clear(self._box)
        self.buttons = {}
        for choice in choices:
            line = button(choice.words, lambda key=choice.key: self.chosen.emit(key), "choice", self._tip)
            line.setCheckable(True)
            line.setChecked(choice.chosen)
            self.buttons[choice.key] = line
            self._box.addWidget(line)


class FunctionPanel(QWidget):
    """The fields of a function of x and the functions that are kept; ``taken`` tells that what is typed counts."""

    taken = Signal()
    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(8)
        outer.addWidget(section("Function of x"))
        self.function = FormulaField()
        self.function.set_names(("x",))
        self.function.setPlaceholderText("such as exp(-x^2)")
        self.function.setAccessibleName("Function of x to integrate")
        self.function.returnPressed.connect(self.taken.emit)
        self.start, self.end, self.strips = QLineEdit("0"), QLineEdit("1"), QLineEdit()
        self.strips.setPlaceholderText("as needed")
        self.rule = QComboBox()
        self.rule.addItems(list(FUNCTION_RULES))
        self.rule.setCurrentText("trapezoid")
        limits = QGridLayout()
        for words, field, row, column in (
            ("from", self.start, 0, 0),
            ("to", self.end, 0, 2),
            ("strips", self.strips, 1, 0),
            ("rule", self.rule, 2, 0),
        ):
            field.setAccessibleName(f"Function: {words}")
            limits.addWidget(label(words, "label"), row, column)
            limits.addWidget(field, row, column + 1, 1, 1 if row == 0 else 3)
            if isinstance(field, QLineEdit):
                field.returnPressed.connect(self.taken.emit)
        self.kept = ChoiceList("Show it")
        self.kept.chosen.connect(self.chosen.emit)
        outer.addWidget(self.function)
        outer.addLayout(limits)
        outer.addWidget(
            button("Show the area", self.taken.emit, "primary", "Enter in any of the fields does the same")
        )
        self._kept_title = section("Functions kept")
        outer.addWidget(self._kept_title)
        outer.addWidget(self.kept)

    def typed(self) -> Typed:
        """Return what stands in the fields."""
        texts = (field.text().strip() for field in (self.function, self.start, self.end, self.strips))
        return Typed(*texts, rule=self.rule.currentText())

    def show_kept(self, functions: tuple[Choice, ...]) -> None:
        """Show the functions that are kept, if there are any."""
        self._kept_title.setVisible(bool(functions))
        self.kept.show_choices(functions)

    def fill(self, formula: str, start: str, end: str) -> None:
        """Put a function into the fields."""
        for field, text in ((self.function, formula), (self.start, start), (self.end, end)):
            field.setText(text)


class PointsPanel(QWidget):
    """How points are joined, what the area stands on, and the areas that are kept."""

    rule_chosen = Signal(str)
    baseline_typed = Signal(str)
    area_chosen = Signal(str)
    peaks_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addWidget(section("How to join the points"))
        self.rules: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for key, (words, tip) in RULE_WORDS.items():
            line = button(words, lambda key=key: self.rule_chosen.emit(key), "choice", tip)
            line.setCheckable(True)
            group.addButton(line)
            self.rules[key] = line
            box.addWidget(line)
        self.baseline = QComboBox()
        self.baseline.setEditable(True)
        self.baseline.setAccessibleName("Baseline: zero, the line between the ends, another curve, or what you type")
        self.baseline.setToolTip(BASELINE_HINT)
        self.baseline.activated.connect(lambda _index: self._take_baseline())
        edit = self.baseline.lineEdit()
        assert edit is not None
        edit.setAccessibleName("Baseline")
        edit.returnPressed.connect(self._take_baseline)
        box.addWidget(section("Baseline"))
        box.addWidget(self.baseline)
        holder = QWidget()
        head = QHBoxLayout(holder)
        head.setContentsMargins(0, 0, 0, 0)
        head.addWidget(section("Areas kept"))
        head.addStretch()
        head.addWidget(
            button("find peaks", self.peaks_asked.emit, "link", "Keep an area under every peak that stands out")
        )
        self.kept = ChoiceList("Show this area")
        self.kept.chosen.connect(self.area_chosen.emit)
        box.addWidget(holder)
        box.addWidget(self.kept)

    def _take_baseline(self) -> None:
        self.baseline_typed.emit(self.baseline.currentText().strip())

    def draw(self, view: IntegrateView) -> None:
        """Show a view."""
        for choice in view.rules:
            self.rules[choice.key].setChecked(choice.chosen)
            self.rules[choice.key].setEnabled(choice.possible)
        words = list(view.baselines)
        if words != [self.baseline.itemText(place) for place in range(self.baseline.count())]:
            self.baseline.clear()
            self.baseline.addItems(words)
        edit = self.baseline.lineEdit()
        if self.baseline.currentText() != view.baseline:
            self.baseline.setEditText(view.baseline)
        if edit is not None and not edit.hasFocus():
            edit.setCursorPosition(0)
        self.kept.show_choices(view.kept)


class AreaChoices(QWidget):
    """Points or a function, chosen on top, each with the whole column; what follows is the page's affair."""

    turned = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(10, 8, 6, 10)
        outer.addWidget(rule())
        outer.addWidget(section("The area under"))
        line = QHBoxLayout()
        line.setSpacing(4)
        line.setContentsMargins(0, 0, 6, 0)
        self.ways: dict[bool, QPushButton] = {}
        group = QButtonGroup(self)
        for of_function, words, tip in (
            (False, "Points", "Measured points of a series, joined as you choose"),
            (True, "A function", "A function of x that you type"),
        ):
            way = button(words, lambda way=of_function: self.turned.emit(way), "choice", tip)
            way.setCheckable(True)
            group.addButton(way)
            self.ways[of_function] = way
            line.addWidget(way)
        outer.addLayout(line)
        self.points, self.panel = PointsPanel(), FunctionPanel()
        about("integrate.md#take-the-area-under-points", self.points)
        about("integrate.md#take-the-area-under-a-function", self.panel)
        scroll = Column("Area", (0, 8, 6, 0))
        scroll.add(self.points, self.panel)
        scroll.column.addStretch()
        outer.addWidget(scroll, 1)

    def draw(self, view: IntegrateView) -> None:
        """Show a view."""
        self.ways[view.of_function].setChecked(True)
        self.points.setVisible(not view.of_function)
        self.panel.setVisible(view.of_function)
        self.points.draw(view)
        self.panel.show_kept(view.functions)
