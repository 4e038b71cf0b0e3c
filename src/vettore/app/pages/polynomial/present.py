"""What the Polynomial page shows of its shelf and of the chosen polynomial: pure functions, without a window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.polynomials.polynomial import Polynomial, Turn
from vettore.core.polynomials.roots import Root
from vettore.core.polynomials.words import doubts_in_words, polynomial_text, roots_in_words
from vettore.core.rounding import NumberStyle
from vettore.study.derive_curves import derive_polynomial, polynomial_span
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.study import Study
from vettore.words.readings import TURNS

LETTERS = "pqrstuvw"
MOST_TURNS, MOST_VALUES = 10, 200
# Roots of a degree up to this are worked out before a hand is lifted; above it the window does not wait for them.
AT_ONCE = 12


@dataclass(frozen=True)
class Shelved:
    """A polynomial of the shelf."""

    recipe: PolynomialRecipe
    letter: str
    polynomial: Polynomial


@dataclass(frozen=True)
class PolynomialView:
    """What is said of a polynomial. Pairs are words and numbers, rows of a table texts, ``full`` all their digits."""

    sentence: str
    put_back: str
    root_rows: tuple[tuple[str, str, str], ...]
    full_roots: tuple[tuple[float, float, float, float], ...]
    turns: tuple[tuple[str, str], ...]
    follows: tuple[tuple[str, str], ...]
    # Turning points on the plot: x, y, kind, words.
    marks: tuple[tuple[float, float, str, str], ...]
    home: tuple[float, float]


def shelf_of(study: Study, before: Sequence[Shelved] = ()) -> tuple[Shelved, ...]:
    """Return the polynomials of a study, each with its letter; one whose fit is gone stays as it was.

    One that equals its like of ``before`` is that object, which may know its roots already.
    """
    known = {shelved.recipe.id: shelved.polynomial for shelved in before}
    shelf = []
    for place, recipe in enumerate(study.polynomials):
        letter = LETTERS[place % len(LETTERS)] + ("" if place < len(LETTERS) else str(place // len(LETTERS)))
        try:
            p = derive_polynomial(study, recipe)
        except VettoreError:
            p = Polynomial(recipe.coefficients)
        old = known.get(recipe.id)
        same = old == p and old is not None and _same_table(old.covariance, p.covariance)
        shelf.append(Shelved(recipe, letter, old if same and old is not None else p))
    return tuple(shelf)


def _same_table(a: Array | None, b: Array | None) -> bool:
    return a is b or (a is not None and b is not None and np.array_equal(a, b))


def present(shelved: Shelved, style: NumberStyle) -> PolynomialView:
    """Return what is said of a polynomial of the shelf."""
    p = shelved.polynomial
    roots = () if p.is_zero else p.root_list
    turns = p.turns()
    doubts = doubts_in_words(roots, style)
    if roots and not doubts:
        doubts = "0 means zero to rounding: no more than the last digits of the terms."
    return PolynomialView(
        roots_in_words(p, roots),
        doubts,
        tuple(_root_row(root, style) for root in roots),
        tuple((root.value.real, root.value.imag, float(root.multiplicity), root.residual) for root in roots),
        tuple(
            (f"{TURNS.get(t.kind, t.kind)} at (x, y)", f"({style.number(t.x, 4)}, {style.number(t.y, 4)})")
            for t in turns[:MOST_TURNS]
        ),
        (
            ("slope", polynomial_text(p.slope(), style)),
            ("area from 0", polynomial_text(p.antiderivative(), style)),
        ),
        tuple((t.x, t.y, t.kind, _turn_words(t, roots, style)) for t in turns),
        polynomial_span(p),
    )


# What is said meanwhile.
WAITING = PolynomialView("Its roots are being worked out …", "", (), (), (), (), (), (-1.0, 1.0))


def _root_row(root: Root, style: NumberStyle) -> tuple[str, str, str]:
    z = root.value
    text = style.number(z.real, 6)
    if not root.is_real:
        text += f" {'+' if z.imag > 0 else '−'} {style.number(abs(z.imag), 6)} i"
    times = f" ({root.multiplicity}×)" if root.multiplicity > 1 else ""
    error = "—" if root.standard_error is None else style.number(root.standard_error, 2)
    return text + times, error, "0" if root.is_zero else style.number(root.residual, 2)


def values_at(
    shelved: Shelved, at: Sequence[float], style: NumberStyle
) -> tuple[list[tuple[str, ...]], list[tuple[float, float]]]:
    """Return the values at some x as texts, and in all digits."""
    values = shelved.polynomial(np.array(at, dtype=np.float64)).tolist()
    full = list(zip(at, values, strict=True))
    return [(style.short(x, 10), style.number(y, 8)) for x, y in full[:MOST_VALUES]], full


def _turn_words(turn: Turn, roots: Sequence[Root], style: NumberStyle) -> str:
    """Return what stands beside a turning point: nothing where a root has its number there already."""
    if turn.kind == "inflection":
        return "inflection"
    if any(root.is_real and root.value.real == turn.x for root in roots):
        return ""
    return f"{TURNS[turn.kind]} at {style.number(turn.x, 4)}"


def with_root_at(p: Polynomial, place: int, x: float) -> Polynomial:
    """Return a polynomial with one of its roots elsewhere, and the same leading coefficient."""
    roots = []
    for i, root in enumerate(p.root_list):
        roots += [complex(x) if i == place else root.value] * root.multiplicity
    return Polynomial.from_roots(roots, p.coefficients[-1])


@dataclass(frozen=True)
class Made:
    """A polynomial that is to go on the shelf: how it was made, its name ("": that), and the fit it follows."""

    polynomial: Polynomial
    made: str
    name: str = ""
    fit: str = ""


def from_two(sign: str, shelved: Shelved, other: Shelved, style: NumberStyle) -> Made:
    """Return what an operation makes of two polynomials. Raises VettoreError, as for a division by zero."""
    p, q = shelved.polynomial, other.polynomial
    name = f"{shelved.letter} {sign} {other.letter}" if sign != "gcd" else f"gcd({shelved.letter}, {other.letter})"
    if sign == "÷":
        quotient, rest = divmod(p, q)
        return Made(quotient, f"rest {polynomial_text(rest, style)}", name)
    operations = {
        "+": lambda: p + q,
        "−": lambda: p - q,
        "×": lambda: p * q,
        "∘": lambda: p.compose(q),
        "gcd": lambda: p.common_divisor(q),
    }
    return Made(operations[sign](), "", name)


def from_one(key: str, shelved: Shelved, by: float, style: NumberStyle) -> Made:
    """Return the slope, the area from 0, or the polynomial with x shifted ``by`` so much."""
    p, letter = shelved.polynomial, shelved.letter
    if key == "slope":
        return Made(p.slope(), "", f"slope of {letter}")
    if key == "area":
        return Made(p.antiderivative(), "", f"area of {letter} from 0")
    return Made(p.shifted(by), "", f"{letter}(x + {style.short(by)})")
