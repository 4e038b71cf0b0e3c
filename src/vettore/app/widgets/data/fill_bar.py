"""The bar of the Interpolate page: values at x that are typed, and values filled in as a new series."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QStackedWidget, QVBoxLayout

from vettore.app.session import Session
from vettore.app.widgets.bar import Bar
from vettore.app.widgets.parts import button, label
from vettore.core.cells.typed import numbers_in
from vettore.core.errors import DataError, Fault
from vettore.core.rounding import read_number
from vettore.study.kinds.filling import Filling

WAYS = {"every": "distance of x", "this many": "how many values", "at a list": "12; 30.5; 47", "at the x of": ""}
QUESTION = 96


class FillBar(Bar):
    """``read`` asks for the values at the typed x, ``filled`` for a new series."""

    read = Signal()
    filled = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        lines = QVBoxLayout()
        lines.setSpacing(5)
        self.at = QLineEdit()
        self.at.setPlaceholderText("one x, several, or a range: 12; 30.5   or   0 … 48 every 6")
        self.at.setAccessibleName("Read at these x")
        self.at.returnPressed.connect(self.read.emit)
        self.question = label("", "label")
        self.way = QComboBox()
        self.way.addItems(list(WAYS))
        self.way.setAccessibleName("At which x values are filled in")
        self.way.currentTextChanged.connect(self._turn)
        self.every = QLineEdit()
        self.every.setAccessibleName("Fill in values: distance, number or list")
        self.every.returnPressed.connect(self.filled.emit)
        self.other = QComboBox()
        self.other.setAccessibleName("Series whose x is taken")
        self._what = QStackedWidget()
        self._what.addWidget(self.every)
        self._what.addWidget(self.other)
        self._what.setFixedHeight(self.every.sizeHint().height())
        fill = label("Fill in", "label")
        for widget in (self.question, fill):
            widget.setFixedWidth(QUESTION)
        first, second = QHBoxLayout(), QHBoxLayout()
        for line in (first, second):
            line.setSpacing(8)
            lines.addLayout(line)
        first.addWidget(self.question)
        first.addWidget(self.at, 1)
        first.addWidget(button("Read", self.read.emit, "link", "Show the values at these x"))
        second.addWidget(fill)
        second.addWidget(self.way)
        second.addWidget(self._what, 1)
        second.addWidget(button("as a new series", self.filled.emit, "link", "A series that follows these points"))
        self.row.addLayout(lines)
        self._turn()

    def show_series(self) -> None:
        """Offer the other series of the study."""
        chosen = self.other.currentData()
        self.other.clear()
        for series in self._session.study.series:
            if self._session.series is None or series.id != self._session.series.id:
                self.other.addItem(series.name, series.id)
        if chosen is not None:
            self.other.setCurrentIndex(max(self.other.findData(chosen), 0))

    def _turn(self) -> None:
        way = self.way.currentText()
        self._what.setCurrentIndex(1 if way == "at the x of" else 0)
        self.every.setPlaceholderText(WAYS[way])

    def filling(self, source: str) -> tuple[Filling, str]:
        """Return what is to be filled in, and how to call it. Raises DataError."""
        way, text = self.way.currentText(), self.every.text().strip()
        if way == "at the x of":
            if self.other.currentData() is None:
                raise DataError("There is no other series whose x could be taken.", Fault.NOTHING)
            return Filling("", source, other=self.other.currentData()), f"at the x of {self.other.currentText()}"
        if way == "at a list":
            at = tuple(numbers_in(text))
            return Filling("", source, at=at), f"at {len(at)} x"
        number = read_number(text)
        if number is None or not number > 0:
            raise DataError(
                f"“{text}” is not a {'distance' if way == 'every' else 'number'} above zero.", Fault.OUT_OF_BOUNDS
            )
        if way == "every":
            return Filling("", source, every=number), f"every {text}"
        return Filling("", source, count=int(number)), f"{int(number)} values"
