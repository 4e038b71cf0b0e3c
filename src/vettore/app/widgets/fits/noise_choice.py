"""How y scatters: a list of the kinds of noise, and a field for the number that one may need."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QWidget

from vettore.core.fitting.noises.listed import NOISES
from vettore.core.rounding import NumberStyle, read_number
from vettore.words.noises import NOISE_WORDS

KEYS = tuple(NOISES)


class NoiseChoice(QWidget):
    """Emits the kind that was chosen, with its number or None; one that needs a number is chosen once that is written."""

    chosen = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.kinds = QComboBox()
        self.kinds.addItems([NOISE_WORDS[key].choice for key in KEYS])
        self.kinds.setAccessibleName("How y scatters")
        self.kinds.setToolTip("\n".join(NOISE_WORDS[key].tip for key in KEYS if NOISE_WORDS[key].tip))
        self.kinds.activated.connect(self._choose)
        self.size_field = QLineEdit()
        self.size_field.setFixedWidth(58)
        self.size_field.returnPressed.connect(self._take_size)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        line.addWidget(self.kinds, 1)
        line.addWidget(self.size_field)
        self._show_size(KEYS[0], "")

    def show_noise(self, key: str, size: float | None, style: NumberStyle) -> None:
        """Show the kind that a fit takes, and its number."""
        self.kinds.setCurrentIndex(KEYS.index(key))
        self._show_size(key, "" if size is None else style.plain(f"{size:g}"))

    def _show_size(self, key: str, text: str) -> None:
        what = NOISES[key].size
        self.size_field.setVisible(bool(what))
        self.size_field.setText(text)
        self.size_field.setAccessibleName(what or "size")
        self.size_field.setToolTip(f"Write {what}." if what else "")

    def _choose(self, place: int) -> None:
        key = KEYS[place]
        self._show_size(key, "")
        if NOISES[key].size:
            self.size_field.setFocus()
        else:
            self.chosen.emit(key, None)

    def _take_size(self) -> None:
        key = KEYS[self.kinds.currentIndex()]
        what = NOISES[key].size
        value = positive_in(self.size_field, f"{what[:1].upper()}{what[1:]} is a number above zero.")
        if value is not None:
            self.chosen.emit(key, value)


def positive_in(field: QLineEdit, refusal: str) -> float | None:
    """Return the number above zero in a field; None for another, which is marked and refused."""
    value = read_number(field.text().replace("%", "").strip())
    wrong = value is None or not value > 0
    field.setProperty("wrong", wrong)
    field.style().unpolish(field)
    field.style().polish(field)
    field.setToolTip(refusal if wrong else "")
    return None if wrong else value
