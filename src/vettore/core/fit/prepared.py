"""A model made ready to be fitted: taken apart, differentiated and compiled once, then kept by its text."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from functools import lru_cache

from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.linear import LinearParts, linear_parts
from vettore.core.formula.tree import Name, Node, walk
from vettore.core.formula.write import to_text

# Models kept ready: a line-up of thirty and what is being typed.
MOST_KEPT = 128


@dataclass(frozen=True, eq=False)
class Prepared:
    """``values`` gives offset and terms; ``changes`` also their derivatives by every nonlinear coefficient.

    ``like`` groups the places of the nonlinear coefficients of terms that differ in their names only.
    """

    formula: Formula
    parts: LinearParts
    offset: Program
    terms: tuple[Program, ...]
    changes: Program
    like: tuple[tuple[tuple[int, ...], ...], ...]

    @property
    def free(self) -> tuple[str, ...]:
        """The coefficients that are fitted: linear ones first."""
        return (*self.parts.linear, *self.parts.nonlinear)


def prepared(
    text: str, columns: Iterable[str], held: Collection[str] = (), limited: Collection[str] = ()
) -> Prepared:
    """Return a model ready for use; ``limited`` coefficients are searched for even when they enter linearly.

    Raises FormulaError.
    """
    return _prepared(text, frozenset(columns), tuple(sorted(held)), tuple(sorted(limited)))


@lru_cache(MOST_KEPT)
def read_once(text: str, columns: frozenset[str]) -> Formula:
    """Read a formula, or return it as read before. Raises FormulaError."""
    return read_formula(text, columns)


@lru_cache(MOST_KEPT)
def _prepared(text: str, columns: frozenset[str], held: tuple[str, ...], limited: tuple[str, ...]) -> Prepared:
    read = read_once(text, columns)
    parts = linear_parts(read.right, read.coefficients, held, limited)
    slopes = [derivative(tree, name) for name in parts.nonlinear for tree in (parts.offset, *parts.terms)]
    return Prepared(
        read,
        parts,
        Program(parts.offset),
        tuple(Program(term) for term in parts.terms),
        Program(parts.offset, *parts.terms, *slopes),
        _like_terms(parts),
    )


def _like_terms(parts: LinearParts) -> tuple[tuple[tuple[int, ...], ...], ...]:
    names = parts.nonlinear
    groups: dict[str, list[tuple[int, ...]]] = {}
    for term in parts.terms:
        found = [names.index(part.name) for part in walk(term) if isinstance(part, Name) and part.name in names]
        groups.setdefault(_shape(term, names), []).append(tuple(dict.fromkeys(found)))
    return tuple(tuple(like) for like in groups.values() if len(like) > 1 and like[0])


def _shape(term: Node, names: tuple[str, ...]) -> str:
    text = to_text(term)
    for name in sorted(names, key=len, reverse=True):
        text = text.replace(name, "·")
    return text
