"""What can be decided about a coefficient, in a small form under its chip: value, hold, limits."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QCheckBox, QLineEdit, QWidget

from vettore.app.widgets.parts import button
from vettore.app.widgets.popup import Form
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.rounding import NumberStyle, read_number

# name, value, whether held, lower and upper limit
Decided = Callable[[str, float, bool, float | None, float | None], None]

WIDTH = 260


class CoefficientPopup(Form):
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
        name = coefficient.name
        self.value = QLineEdit(style.short(coefficient.value))
        self.low, self.high = (QLineEdit("" if limit is None else style.short(limit)) for limit in limits)
        for field in (self.low, self.high):
            field.setPlaceholderText("none")
        fields = (("value", self.value), ("not below", self.low), ("not above", self.high))
        spoken = ((words, f"{name} {words}", field) for words, field in fields)
        super().__init__(f"{name}: {meaning}" if meaning else name, spoken, WIDTH, parent)
        self._name, self._decided = name, decided
        self.hold = QCheckBox("hold at this value")
        self.hold.setChecked(coefficient.held)
        self.box.addWidget(self.hold)
        self.box.addWidget(self.problem)
        self.box.addWidget(
            button("Apply", self.apply, "primary", "Without holding, the value is where the search starts")
        )

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
                self.say(f"“{text}” is not a number.")
                return
            numbers.append(number)
        value, low, high = numbers
        assert value is not None
        if low is not None and high is not None and not low < high:
            self.say("The lower limit must be below the upper one.")
            return
        if (low is not None and value < low) or (high is not None and value > high):
            self.say("The value lies outside its limits.")
            return
        self._decided(self._name, value, self.hold.isChecked(), low, high)
        self.close()
