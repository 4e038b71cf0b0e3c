"""The left of the Polynomial page: the shelf, how polynomials come onto it, and what is made of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from vettore.app.pages.polynomial.present import Made, Shelved, from_one, from_two
from vettore.app.widgets.parts import Column, button, clear, rule, section
from vettore.core.cells.typed import complex_in, numbers_in
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.polynomials.words import polynomial_of
from vettore.core.rounding import NumberStyle, read_number

OPERATIONS = (
    ("+", "sum"),
    ("−", "difference"),
    ("×", "product: the convolution of coefficients"),
    ("÷", "quotient and remainder"),
    ("∘", "the second put into the first"),
    ("gcd", "greatest common divisor"),
)


class Shelf(QWidget):
    """Tells what is to be shown (``chosen``), put on the shelf (``produced``), or cannot be (``refused``).

    ``wanted`` is what is still to be worked out and put there, with the highest degree that enters.
    """

    chosen = Signal(str)
    produced = Signal(object)
    wanted = Signal(object, int)
    refused = Signal(str)
    turned = Signal()
    fit_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._style = NumberStyle()
        self._shelved: dict[str, Shelved] = {}
        self._shown: Shelved | None = None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(10, 14, 6, 10)
        outer.addWidget(section("Shelf"))
        scroll = Column("Shelf", (0, 0, 6, 0))
        holder = QWidget()
        self._list = QVBoxLayout(holder)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(5)
        self.buttons: dict[str, QPushButton] = {}
        scroll.add(holder)
        scroll.column.addStretch()
        outer.addWidget(scroll, 1)
        self._add_entries(outer)
        self._add_makers(outer)

    def _add_entries(self, outer: QVBoxLayout) -> None:
        """Add the fields by which a polynomial is entered."""
        outer.addWidget(section("New one"))
        self.coefficients, self.roots, self.formula = QLineEdit(), QLineEdit(), QLineEdit()
        self.descending = QCheckBox("highest power first")
        self.descending.setChecked(True)
        self.descending.toggled.connect(lambda _on: self.turned.emit())
        self.coefficients.setPlaceholderText("coefficients: 1; 0; −2")
        self.roots.setPlaceholderText("roots: 1; −2; 3+2i; 3−2i")
        self.formula.setPlaceholderText("formula: (x − 1)^2*(x + 3)")
        entries: tuple[tuple[QLineEdit, str, Callable[[str], Polynomial]], ...] = (
            (self.coefficients, "by its coefficients", self._by_coefficients),
            (self.roots, "by its roots", _by_roots),
            (self.formula, "by a formula", polynomial_of),
        )
        self._entries = [(field, words, read) for field, words, read in entries]
        for field, words, read in entries:
            field.setAccessibleName(f"New polynomial {words}")
            field.setToolTip(f"New polynomial {words}; press Enter")
            field.returnPressed.connect(lambda f=field, w=words, r=read: self._take(f, w, r))
            outer.addWidget(field)
        outer.addWidget(self.descending)
        self.put = button("Put on the shelf", self._take_typed, "", "Take what stands above, as Enter does")
        outer.addWidget(self.put)
        self.from_fit = button(
            "from the chosen fit", self.fit_asked.emit, "link", "Take the chosen curve, with its ±"
        )
        outer.addWidget(self.from_fit)
        outer.addWidget(rule())

    def _add_makers(self, outer: QVBoxLayout) -> None:
        """Add what makes one polynomial from two, and one from one."""
        outer.addWidget(section("Make from two"))
        pair = QHBoxLayout()
        self.left, self.right = QComboBox(), QComboBox()
        self.left.setAccessibleName("First polynomial")
        self.right.setAccessibleName("Second polynomial")
        for box in (self.left, self.right):
            pair.addWidget(box)
        outer.addLayout(pair)
        grid = QGridLayout()
        grid.setSpacing(5)
        self.makers: dict[str, QPushButton] = {}
        for place, (sign, tip) in enumerate(OPERATIONS):
            item = button(sign, lambda sign=sign: self._make(sign), "choice", tip)
            item.setAccessibleName(tip)
            self.makers[sign] = item
            grid.addWidget(item, place // 3, place % 3)
        outer.addLayout(grid)
        outer.addWidget(section("Make from it"))
        single = QHBoxLayout()
        self.singles = [
            button(words, lambda words=words: self._make_one(words), "choice", tip)
            for words, tip in (("slope", "derivative"), ("area", "antiderivative from 0"))
        ]
        for item in self.singles:
            single.addWidget(item)
        self.shift = QLineEdit()
        self.shift.setPlaceholderText("x + …")
        self.shift.setAccessibleName("Shift x by")
        self.shift.returnPressed.connect(lambda: self._make_one("shift"))
        single.addWidget(self.shift)
        outer.addLayout(single)

    def show_shelf(self, shelf: Sequence[Shelved], shown: Shelved | None, style: NumberStyle) -> None:
        """List the polynomials, the shown one marked."""
        self._shown, self._style = shown, style
        self._shelved = {shelved.recipe.id: shelved for shelved in shelf}
        clear(self._list)
        self.buttons = {}
        kept = [box.currentData() for box in (self.left, self.right)]
        for box in (self.left, self.right):
            box.clear()
        for item in shelf:
            words = (
                f"{item.letter}   {item.recipe.name}\n      {item.recipe.made or f'degree {item.polynomial.degree}'}"
            )
            line = button(
                words, lambda identity=item.recipe.id: self.chosen.emit(identity), "choice", "Show this polynomial"
            )
            line.setCheckable(True)
            line.setChecked(item is shown)
            self.buttons[item.recipe.id] = line
            self._list.addWidget(line)
            for box in (self.left, self.right):
                box.addItem(item.letter, item.recipe.id)
        for place, (box, before) in enumerate(zip((self.left, self.right), kept, strict=True)):
            number = box.findData(before)
            box.setCurrentIndex(number if number >= 0 else min(place, box.count() - 1))
        if self.left.currentIndex() == self.right.currentIndex() and len(shelf) > 1 and kept[0] == kept[1]:
            self.right.setCurrentIndex(len(shelf) - 1)
        for part in (*self.makers.values(), *self.singles, self.left, self.right, self.shift):
            part.setEnabled(bool(shelf))

    def _by_coefficients(self, text: str) -> Polynomial:
        values = numbers_in(text)
        return Polynomial(values[::-1] if self.descending.isChecked() else values)

    def _take_typed(self) -> None:
        """Take what stands in the first field that is filled."""
        filled = [entry for entry in self._entries if entry[0].text().strip()]
        if filled:
            self._take(*filled[0])
        else:
            self.refused.emit("Write coefficients, roots or a formula first.")

    def _take(self, field: QLineEdit, words: str, read: Callable[[str], Polynomial]) -> None:
        text = "by coefficients" if field is self.coefficients else words
        try:
            result = Made(read(field.text()), text)
        except VettoreError as error:
            self.refused.emit(str(error))
            return
        field.clear()
        self.produced.emit(result)

    def _make(self, sign: str) -> None:
        """Make a polynomial from the two that are chosen."""
        shelved, other = (self._shelved.get(box.currentData()) for box in (self.left, self.right))
        if shelved is not None and other is not None:
            degree = shelved.polynomial.degree + other.polynomial.degree
            self.wanted.emit(lambda: from_two(sign, shelved, other, self._style), degree)

    def _make_one(self, key: str) -> None:
        """Make a polynomial from the shown one."""
        shown, by = self._shown, read_number(self.shift.text())
        if shown is None:
            return
        if key == "shift" and by is None:
            self.refused.emit(f"“{self.shift.text().strip()}” is not a number to shift x by.")
            return
        self.wanted.emit(lambda: from_one(key, shown, by or 0.0, self._style), shown.polynomial.degree)


def _by_roots(text: str) -> Polynomial:
    parts = [part for part in text.replace(",", ";").split(";") if part.strip()]
    if not parts:
        raise DataError("Write at least one root.", Fault.TOO_FEW)
    return Polynomial.from_roots([complex_in(part) for part in parts])
