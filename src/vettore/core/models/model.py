"""A model of the catalogue: a formula in x and y with what its coefficients mean, and what can be read from them."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.tree import renamed
from vettore.core.formula.write import to_text

# Starts for the nonlinear coefficients, from x and y of shape (n,) sorted by x.
Starts = Callable[[Array, Array], Sequence[Mapping[str, float]]]
# x may be 0 but not below.
FROM_ZERO = -1e-300


@dataclass(frozen=True)
class Quantity:
    """A number that follows from the coefficients, as ``half-life = ln(2)/k``."""

    name: str
    formula: str
    meaning: str = ""


@dataclass(frozen=True)
class Grip:
    """A point of the curve to be pulled: where it is, and what pulling it to (px, py) makes of coefficients."""

    name: str
    x: str
    y: str
    sets: Mapping[str, str]


def checked_pair(names: Sequence[str], pair: tuple[str, str]) -> tuple[str, str]:
    """Return the columns that are said to be x and y. Raises DataError where they are not two of those there."""
    strange = [name for name in pair if name not in names]
    if strange or pair[0] == pair[1]:
        listed = ", ".join(names)
        raise DataError(
            f"There is no column “{strange[0]}”. The columns are {listed}."
            if strange
            else f"{pair[0]} cannot be both x and y.",
            Fault.CONFLICT,
        )
    return pair


@dataclass(frozen=True)
class Model:
    """One entry; ``group`` is the heading under which it is listed, ``use`` says when to take it."""

    key: str
    name: str
    group: str
    formula: str
    use: str
    meanings: Mapping[str, str]
    quantities: tuple[Quantity, ...] = ()
    grips: tuple[Grip, ...] = ()
    starts: Starts | None = field(default=None, compare=False)
    # x must be above this, or is free.
    x_above: float | None = None

    @cached_property
    def read(self) -> Formula:
        """The formula, with x as its only column."""
        return read_formula(self.formula, ("x", "y"))

    @property
    def coefficients(self) -> tuple[str, ...]:
        """The names of the coefficients in formula order."""
        return self.read.coefficients

    def columns_of(self, names: Sequence[str], pair: tuple[str, str] | None = None) -> tuple[str, str]:
        """Return the columns that are x and y: those asked for, those of these names, or the only two in their order.

        Raises DataError where that does not tell.
        """
        if pair is not None:
            return checked_pair(names, pair)
        if {"x", "y"} <= set(names):
            return "x", "y"
        if len(names) == 2:
            return names[0], names[1]
        raise DataError(
            f"{self.name} is fitted to one x and one y, but the columns are {', '.join(names)}. "
            f'Say which, as columns=("{names[0]}", "{names[1] if len(names) > 1 else "y"}").',
            Fault.MISSING,
        )

    def names_beside(self, columns: Collection[str]) -> dict[str, str]:
        """Return what each coefficient is called beside these columns: its own name, or one with an index."""
        out: dict[str, str] = {}
        for name in self.coefficients:
            new, index = name, 0
            while new in columns or new in out.values():
                new, index = f"{name}_{index}", index + 1
            out[name] = new
        return out

    def over(self, x: str, y: str, columns: Collection[str] = ()) -> str:
        """Return the formula with the names of two columns; coefficients keep clear of all columns."""
        known = {*columns, x, y}
        left, right = self.read.left, self.read.right
        assert left is not None
        # By way of names that nobody has, so that a column called k does not become the rate.
        for old in ("x", "y", *self.coefficients):
            right, left = renamed(right, old, f"\0{old}"), renamed(left, old, f"\0{old}")
        wanted = {"x": x, "y": y, **self.names_beside(known)}
        for old, new in wanted.items():
            right, left = renamed(right, f"\0{old}", new), renamed(left, f"\0{old}", new)
        return f"{to_text(left)} = {to_text(right)}"

    def estimator(
        self, x: str, y: str, columns: Collection[str]
    ) -> Callable[[Mapping[str, Array], Array], list[dict[str, float]]] | None:
        """Return what estimates starts from columns, under the names that ``over`` gives to the coefficients."""
        if self.starts is None:
            return None
        starts, called = self.starts, self.names_beside({*columns, x, y})

        def estimate(given: Mapping[str, Array], response: Array) -> list[dict[str, float]]:
            order = np.argsort(given[x], kind="stable")
            with np.errstate(all="ignore"):
                by_names = starts(given[x][order], response[order])
            return [{called[name]: float(value) for name, value in by_name.items()} for by_name in by_names]

        return estimate

    def suits(self, x: Array) -> bool:
        """Whether x lies where the formula is defined."""
        return self.x_above is None or bool(np.all(x > self.x_above))


def own_model(
    name: str, formula: str, x: str, y: str, note: str = "", meanings: Mapping[str, str] | None = None
) -> Model:
    """Return a model from a formula over two columns. Raises FormulaError or DataError."""
    read = read_formula(formula, (x, y))
    if read.left is None or not read.coefficients:
        raise DataError(
            "A model needs a formula with an = and at least one coefficient, as in y = a + b*x.", Fault.TOO_FEW
        )
    if read.data not in ((x,), ()):
        raise DataError(
            f"A model of the library has one column on the right, not {' and '.join(read.data)}.", Fault.WRONG_KIND
        )
    left, right = read.left, read.right
    for old, new in ((x, "x"), (y, "y")):
        if new != old and new in (*read.coefficients, x, y):
            raise DataError(
                f"{new} is a coefficient here, and the name of a column in the library. Rename it.", Fault.CONFLICT
            )
        left, right = renamed(left, old, new), renamed(right, old, new)
    strange = [text for text in meanings or {} if text not in read.coefficients]
    if strange:
        raise DataError(
            f"A meaning is given for {strange[0]}, which is no coefficient of {read}.", Fault.NO_SUCH_NAME
        )
    return Model(
        key="-".join(name.casefold().split()),
        name=name,
        group="My models",
        formula=f"{to_text(left)} = {to_text(right)}",
        use=note,
        meanings=dict(meanings or {}),
    )
