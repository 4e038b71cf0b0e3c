"""What can be decided about a coefficient, in a small form under its chip: value, hold, limits."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QCheckBox, QGridLayout, QLineEdit, QVBoxLayout, QWidget

from vettore.app.widgets.parts import button, label
from vettore.app.widgets.popup import Popup
from vettore.core.fitting.result import Coefficient
from vettore.core.rounding import NumberStyle, read_number

# name, value, whether held, lower and upper limit
Decided = Callable[[str, float, bool, float | None, float | None], None]


class CoefficientPopup(Popup):
    """Value, hold and limits of one coefficient."""

    def __init__(
        self,
        coefficient: Coefficient,
        limits: tuple[float | None, float | None],
        meaning: str,
        style: NumberStyle,
        decided: Decided,
        parent: QWidget,
    ) -> None:
        super().__init__(parent, once=True)
        self._name, self._decided = coefficient.name, decided
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 12)
        box.addWidget(label(f"{coefficient.name}: {meaning}" if meaning else coefficient.name, "sentence", wrap=True))
        self.value = QLineEdit(style.short(coefficient.value))
        self.low, self.high = (QLineEdit("" if limit is None else style.short(limit)) for limit in limits)
        for field in (self.low, self.high):
            field.setPlaceholderText("none")
        grid = QGridLayout()
        rows = (("value", self.value), ("not below", self.low), ("not above", self.high))
        for row, (words, field) in enumerate(rows):
            field.setAccessibleName(f"{coefficient.name} {words}")
            field.returnPressed.connect(self.apply)
            grid.addWidget(label(words, "label"), row, 0)
            grid.addWidget(field, row, 1)
        box.addLayout(grid)
        self.hold = QCheckBox("hold at this value")
        self.hold.setChecked(coefficient.held)
        self.problem = label("", "bad", wrap=True)
        self.problem.hide()
        box.addWidget(self.hold)
        box.addWidget(self.problem)
        box.addWidget(button("Apply", self.apply, "primary", "Without holding, the value is where the search starts"))
        self.setFixedWidth(260)

    def show_under(self, place: QPoint) -> None:
        """Open with the top left corner there."""
        self.move(place)
        self.show()
        self.value.setFocus()
        self.value.selectAll()

    def apply(self) -> None:
        """Take what was typed, or say what is wrong with it."""
        numbers: list[float | None] = []
        for field, may_be_blank in ((self.value, False), (self.low, True), (self.high, True)):
            text = field.text().strip()
            number = read_number(text) if text else None
            if number is None and (text or not may_be_blank):
                self._say(f"“{text}” is not a number.")
                return
            numbers.append(number)
        value, low, high = numbers
        assert value is not None
        if low is not None and high is not None and not low < high:
            self._say("The lower limit must be below the upper one.")
            return
        if (low is not None and value < low) or (high is not None and value > high):
            self._say("The value lies outside its limits.")
            return
        self._decided(self._name, value, self.hold.isChecked(), low, high)
        self.close()

    def _say(self, words: str) -> None:
        self.problem.setText(words)
        self.problem.show()
