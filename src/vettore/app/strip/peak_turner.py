"""Which peak the strip shows: ‹ peak 2 of 3 ›."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QWidget

from vettore.app.widgets.parts import button, label


class PeakTurner(QWidget):
    """``turned`` tells by how many peaks to go on or back."""

    turned = Signal(int)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(2)
        self.back = button("‹", lambda: self.turned.emit(-1), "link", "The peak before")
        self.words = label("", "label")
        self.on = button("›", lambda: self.turned.emit(1), "link", "The next peak")
        for arrow, name in ((self.back, "Peak before"), (self.on, "Next peak")):
            arrow.setAccessibleName(name)
        for widget in (self.back, self.words, self.on):
            line.addWidget(widget)
        self.hide()

    def show_peak(self, place: int, count: int) -> None:
        """Show which of how many peaks stands in the strip, counted from 1; of no peaks, nothing."""
        self.words.setText(f"peak {place} of {count}")
        self.back.setEnabled(place > 1)
        self.on.setEnabled(place < count)
        self.setVisible(count > 0)
        self.adjustSize()
