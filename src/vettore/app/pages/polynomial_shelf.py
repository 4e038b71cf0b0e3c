"""The shelf of the Polynomial page: what is on it, how polynomials come onto it, and what is made of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

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

from vettore.app.session import Session
from vettore.app.widgets.parts import Column, button, clear, rule, section
from vettore.core.errors import VettoreError
from vettore.core.polynomial import Polynomial
from vettore.core.polynomial_words import polynomial_of, polynomial_text
from vettore.core.rounding import read_number
from vettore.core.typed import complex_in, numbers_in
from vettore.study import edits_of_curves
from vettore.study.derive_curves import derive_polynomial
from vettore.study.kinds.polynomial import PolynomialRecipe


@dataclass(frozen=True, eq=False)
class Shelved:
    """A polynomial of the shelf, worked out."""

    recipe: PolynomialRecipe
    letter: str
    polynomial: Polynomial


class ShelfHands:
    """What the Polynomial page does with its shelf; the page has ``session``, ``shown``, ``refresh``."""

    session: Session
    shown: Shelved | None
    refresh: Callable[[], None]

    def _build_choices(self) -> None:
        self.choices = QWidget()
        outer = QVBoxLayout(self.choices)
        outer.setContentsMargins(10, 14, 6, 10)
        outer.addWidget(section("Shelf"))
        scroll = Column("Shelf", (0, 0, 6, 0))
        self._shelf_holder = QWidget()
        self._shelf = QVBoxLayout(self._shelf_holder)
        self._shelf.setContentsMargins(0, 0, 0, 0)
        self._shelf.setSpacing(5)
        self.shelf_buttons: dict[str, QPushButton] = {}
        scroll.add(self._shelf_holder)
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
        self.descending.toggled.connect(lambda _on: self.refresh())
        self.coefficients.setPlaceholderText("coefficients: 1; 0; −2")
        self.roots.setPlaceholderText("roots: 1; −2; 3+2i; 3−2i")
        self.formula.setPlaceholderText("formula: (x − 1)^2*(x + 3)")
        entries = (
            (self.coefficients, "New polynomial by its coefficients", self.add_by_coefficients),
            (self.roots, "New polynomial by its roots", self.add_by_roots),
            (self.formula, "New polynomial by a formula", self.add_by_formula),
        )
        self._entries = [(field, action) for field, _words, action in entries]
        for field, words, action in entries:
            field.setAccessibleName(words)
            field.setToolTip(f"{words}; press Enter")
            field.returnPressed.connect(action)
            outer.addWidget(field)
        outer.addWidget(self.descending)
        self.put = button("Put on the shelf", self.add_typed, "", "Take what stands above, as Enter does")
        outer.addWidget(self.put)
        self.from_fit = button("from the chosen fit", self.add_from_fit, "link", "Take the chosen curve, with its ±")
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
        for place, (sign, tip) in enumerate(
            (
                ("+", "sum"),
                ("−", "difference"),
                ("×", "product: the convolution of coefficients"),
                ("÷", "quotient and remainder"),
                ("∘", "the second put into the first"),
                ("gcd", "greatest common divisor"),
            )
        ):
            one = button(sign, lambda sign=sign: self.make(sign), "choice", tip)
            one.setAccessibleName(tip)
            self.makers[sign] = one
            grid.addWidget(one, place // 3, place % 3)
        outer.addLayout(grid)
        outer.addWidget(section("Make from it"))
        single = QHBoxLayout()
        self.singles = [
            button(words, lambda words=words: self.make_one(words), "choice", tip)
            for words, tip in (("slope", "derivative"), ("area", "antiderivative from 0"))
        ]
        for one in self.singles:
            single.addWidget(one)
        self.shift = QLineEdit()
        self.shift.setPlaceholderText("x + …")
        self.shift.setAccessibleName("Shift x by")
        self.shift.returnPressed.connect(lambda: self.make_one("shift"))
        single.addWidget(self.shift)
        outer.addLayout(single)

    def _list_shelf(self, shelf: list[Shelved]) -> None:
        clear(self._shelf)
        self.shelf_buttons = {}
        kept = [box.currentData() for box in (self.left, self.right)]
        for box in (self.left, self.right):
            box.clear()
        for one in shelf:
            words = f"{one.letter}   {one.recipe.name}\n      {one.recipe.made or f'degree {one.polynomial.degree}'}"
            line = button(
                words, lambda identity=one.recipe.id: self.choose(identity), "choice", "Show this polynomial"
            )
            line.setCheckable(True)
            line.setChecked(one.recipe.id == self._chosen)
            self.shelf_buttons[one.recipe.id] = line
            self._shelf.addWidget(line)
            for box in (self.left, self.right):
                box.addItem(one.letter, one.recipe.id)
        for place, (box, before) in enumerate(zip((self.left, self.right), kept, strict=True)):
            found = box.findData(before)
            box.setCurrentIndex(found if found >= 0 else min(place, box.count() - 1))
        if self.left.currentIndex() == self.right.currentIndex() and len(shelf) > 1 and kept[0] == kept[1]:
            self.right.setCurrentIndex(len(shelf) - 1)
        for part in (*self.makers.values(), *self.singles, self.left, self.right, self.shift):
            part.setEnabled(bool(shelf))
        self._shelved = {one.recipe.id: one for one in shelf}

    def choose(self, identity: str) -> None:
        """Show a polynomial of the shelf."""
        self._chosen = identity
        self.refresh()

    def add_typed(self) -> None:
        """Put what stands in one of the fields on the shelf."""
        filled = [action for field, action in self._entries if field.text().strip()]
        if not filled:
            self.session.say("Write coefficients, roots or a formula first.", "bad")
        for action in filled[:1]:
            action()

    def add_by_coefficients(self) -> None:
        """Put a polynomial with the typed coefficients on the shelf."""

        def make() -> Polynomial:
            values = numbers_in(self.coefficients.text())
            return Polynomial(values[::-1] if self.descending.isChecked() else values)

        if self._try("by coefficients", make):
            self.coefficients.clear()

    def add_by_roots(self) -> None:
        """Put a polynomial with the typed roots on the shelf."""
        parts = [part for part in self.roots.text().replace(",", ";").split(";") if part.strip()]
        if self._try("by its roots", lambda: Polynomial.from_roots([complex_in(part) for part in parts])):
            self.roots.clear()

    def add_by_formula(self) -> None:
        """Put a formula that is a polynomial in x on the shelf."""
        if self._try("by a formula", lambda: polynomial_of(self.formula.text())):
            self.formula.clear()

    def add_from_fit(self) -> None:
        """Put the chosen fit on the shelf; it follows the fit."""
        curve = self.session.curve
        if curve is None or curve.formula:
            self.session.say("Choose a polynomial on the Fit page first.", "bad")
            return
        made = PolynomialRecipe(curve.name, (0.0,), curve.id)
        try:
            p = derive_polynomial(self.session.study, made)
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        self._add("from the fit, ± carried", p, curve.name, curve.id)

    def make(self, sign: str) -> None:
        """Make a polynomial from the two that are chosen."""
        one, other = (self._shelved.get(box.currentData()) for box in (self.left, self.right))
        if one is None or other is None:
            return
        p, q = one.polynomial, other.polynomial
        name = f"{one.letter} {sign} {other.letter}" if sign != "gcd" else f"gcd({one.letter}, {other.letter})"
        try:
            if sign == "÷":
                quotient, rest = divmod(p, q)
                self._add(f"rest {polynomial_text(rest, self.session.style)}", quotient, name)
                return
            made = {
                "+": lambda: p + q,
                "−": lambda: p - q,
                "×": lambda: p * q,
                "∘": lambda: p.compose(q),
                "gcd": lambda: p.common_divisor(q),
            }[sign]()
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return
        self._add("", made, name)

    def make_one(self, key: str) -> None:
        """Make a polynomial from the shown one."""
        if self.shown is None:
            return
        p, letter = self.shown.polynomial, self.shown.letter
        if key == "slope":
            self._add("", p.slope(), f"slope of {letter}")
        elif key == "area":
            self._add("", p.antiderivative(), f"area of {letter} from 0")
        else:
            by = read_number(self.shift.text())
            if by is None:
                self.session.say(f"“{self.shift.text().strip()}” is not a number to shift x by.", "bad")
                return
            self._add("", p.shifted(by), f"{letter}(x + {self.session.style.short(by)})")

    def remove(self) -> None:
        """Take the shown polynomial off the shelf."""
        if self.shown is not None:
            study = edits_of_curves.remove_polynomial(self.session.study, self.shown.recipe.id)
            self.session.do("take a polynomial off the shelf", study)

    def _try(self, made: str, build: Callable[[], Polynomial]) -> bool:
        try:
            p = build()
        except VettoreError as error:
            self.session.say(str(error), "bad")
            return False
        self._add(made, p)
        return True

    def _add(self, made: str, p: Polynomial, name: str = "", fit: str = "") -> None:
        study = edits_of_curves.add_polynomial(self.session.study, name or made, p, made if name else "", fit)
        self._chosen = study.polynomials[-1].id
        self.session.do("put a polynomial on the shelf", study)
