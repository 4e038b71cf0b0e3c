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

from vettore.app.pages.integrate.present import Choice, View
from vettore.app.pages.integrate.state import Typed
from vettore.app.widgets.formula_field import FormulaField
from vettore.app.widgets.parts import Column, button, clear, label, rule, section
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
        outer.addWidget(section("Or a function of x"))
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
        outer.addWidget(self.kept)

    def typed(self) -> Typed:
        """Return what stands in the fields."""
        texts = (field.text().strip() for field in (self.function, self.start, self.end, self.strips))
        return Typed(*texts, rule=self.rule.currentText())

    def fill(self, formula: str, start: str, end: str) -> None:
        """Put a function into the fields."""
        for field, text in ((self.function, formula), (self.start, start), (self.end, end)):
            field.setText(text)


class AreaChoices(QWidget):
    """Says what the user asks for; what follows from it is the page's affair."""

    rule_chosen = Signal(str)
    baseline_typed = Signal(str)
    area_chosen = Signal(str)
    peaks_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(10, 8, 6, 10)
        outer.addWidget(rule())
        scroll = Column("Area", (0, 0, 6, 0))
        outer.addWidget(scroll, 1)
        scroll.add(section("How to join the points"))
        self.rules: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for key, (words, tip) in RULE_WORDS.items():
            line = button(words, lambda key=key: self.rule_chosen.emit(key), "choice", tip)
            line.setCheckable(True)
            group.addButton(line)
            self.rules[key] = line
            scroll.add(line)
        self.baseline = QComboBox()
        self.baseline.setEditable(True)
        self.baseline.setAccessibleName("Baseline: zero, the line between the ends, another curve, or what you type")
        self.baseline.setToolTip(BASELINE_HINT)
        self.baseline.activated.connect(lambda _index: self._take_baseline())
        edit = self.baseline.lineEdit()
        assert edit is not None
        edit.returnPressed.connect(self._take_baseline)
        scroll.add(section("Baseline"), self.baseline)
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
        scroll.add(holder, self.kept)
        scroll.column.addStretch()
        self.panel = FunctionPanel()
        outer.addWidget(self.panel)

    def _take_baseline(self) -> None:
        self.baseline_typed.emit(self.baseline.currentText().strip())

    def draw(self, view: View) -> None:
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
        self.panel.kept.show_choices(view.functions)
