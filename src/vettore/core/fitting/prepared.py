"""A model made ready to be fitted: taken apart, differentiated and compiled once, then kept by its text."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from difflib import get_close_matches
from functools import cached_property, lru_cache
from itertools import pairwise

from vettore.core.formula.derivative import ZERO, derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.linear import LinearParts, has_constant, linear_parts
from vettore.core.formula.own_functions import argument_count
from vettore.core.formula.tokens import tokens
from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, walk
from vettore.core.formula.words import ARGUMENTS
from vettore.core.formula.write import to_text
from vettore.core.remarks import Remark, RemarkKind

# Models kept ready: a line-up of thirty and what is being typed.
MOST_KEPT = 128
# Names of so many letters, and so like, may be the same word; shorter ones are alike by chance.
SHORTEST, ALIKE = 4, 0.75


@dataclass(frozen=True, eq=False)
class Prepared:
    """``curve`` gives offset and terms; ``changes`` also their derivatives by every nonlinear coefficient.

    ``slopes`` tells for each nonlinear coefficient where those that are not zero throughout stand: (0 for the offset
    or the number of the term from 1, place among ``changes``, and its sign, which is left to whoever puts it to use).
    ``factors`` are the same when there is one each.
    ``constant`` is whether a term is the same in every row. ``like`` groups the places of the nonlinear coefficients
    of terms that differ in their names only.
    """

    formula: Formula
    parts: LinearParts
    curve: Program
    changes: Program
    slopes: tuple[tuple[tuple[int, int, float], ...], ...]
    factors: tuple[tuple[int, int, float], ...] | None
    constant: bool
    like: tuple[tuple[tuple[int, ...], ...], ...]

    @cached_property
    def free(self) -> tuple[str, ...]:
        """The coefficients that are fitted: linear ones first."""
        return (*self.parts.linear, *self.parts.nonlinear)

    @cached_property
    def phases(self) -> tuple[str, ...]:
        """The nonlinear coefficients that are added inside a sine or cosine."""
        texts: list[str] = []
        for node in walk(self.formula.right):
            if isinstance(node, Call) and node.function in ("sin", "cos"):
                texts += [name for name in _summands(node.arguments[0]) if name in self.parts.nonlinear]
        return tuple(dict.fromkeys(texts))

    @cached_property
    def order(self) -> tuple[int, ...]:
        """Their places in the order of the formula."""
        return tuple(self.free.index(name) for name in self.formula.coefficients if name in self.free)


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
def misread(text: str, columns: frozenset[str]) -> tuple[Remark, ...]:
    """Return what may be a slip in a formula that can be read.

    That is a column's name misspelt, no column on the right, or an e that was meant for a coefficient.
    """
    read = read_once(text, columns)
    unused = sorted(columns - {*read.data, *read.measured})
    remarks = []
    for name in read.coefficients:
        alike = [label for label in unused if label.casefold() == name.casefold()]
        alike += get_close_matches(name, unused, 1, ALIKE) if len(name) >= SHORTEST else []
        used = [item for item in read.data if item.casefold() == name.casefold()]
        joined = next((word for word in ARGUMENTS if name.startswith(word) and name[len(word) :] in columns), None)
        if alike:
            remarks.append(Remark(RemarkKind.SPELT_ALIKE, (name, alike[0])))
        elif used:
            remarks.append(Remark(RemarkKind.LIKE_A_COLUMN, (name, used[0])))
        elif joined is not None:
            remarks.append(Remark(RemarkKind.FUNCTION_JOINED, (name, f"{joined}({name[len(joined) :]})")))
    if not remarks and not read.data and len(read.coefficients) > 1:
        remarks.append(Remark(RemarkKind.NO_COLUMN))
    remarks += [Remark(RemarkKind.READ_FROM_LEFT, doubt) for doubt in read.doubts]
    if "e" not in columns and _has_lone_e(text):
        remarks.append(Remark(RemarkKind.NUMBER_E))
    remarks += [
        Remark(RemarkKind.BY_DIFFERENCES, (node.function,))
        for node in walk(read.right)
        if isinstance(node, Call) and argument_count(node.function) is not None
    ]
    return tuple(remarks)


def _has_lone_e(text: str) -> bool:
    """Whether an e stands anywhere but as the base of a power."""
    cut = tokens(text)
    return any(
        token.kind == "name" and token.letter == "e" and not (after.kind == "super" or after.text == "^")
        for token, after in pairwise(cut)
    )


@lru_cache(MOST_KEPT)
def _prepared(text: str, columns: frozenset[str], held: tuple[str, ...], limited: tuple[str, ...]) -> Prepared:
    read = read_once(text, columns)
    parts = linear_parts(read.right, read.coefficients, held, limited)
    trees = (parts.offset, *parts.terms)
    changes = [[derivative(tree, name) for tree in trees] for name in parts.nonlinear]
    slopes = tuple(
        tuple(
            (j, len(trees) * (k + 1) + j, -1.0 if isinstance(change, Negate) else 1.0)
            for j, change in enumerate(by_one)
            if change != ZERO
        )
        for k, by_one in enumerate(changes)
    )
    return Prepared(
        read,
        parts,
        Program(*trees),
        Program(*trees, *(_unsigned(change) for by_one in changes for change in by_one)),
        slopes,
        tuple(places[0] for places in slopes) if all(len(places) == 1 for places in slopes) else None,
        has_constant(parts, read.data),
        _like_terms(parts),
    )


def _summands(node: Node) -> list[str]:
    """Return the names that are added in a sum."""
    if isinstance(node, Negate):
        return _summands(node.of)
    if isinstance(node, Binary) and node.sign in "+-":
        return [*_summands(node.left), *_summands(node.right)]
    return [node.name] if isinstance(node, Name) else []


def _unsigned(change: Node) -> Node:
    return change.of if isinstance(change, Negate) else change


def _like_terms(parts: LinearParts) -> tuple[tuple[tuple[int, ...], ...], ...]:
    names = parts.nonlinear
    groups: dict[str, list[tuple[int, ...]]] = {}
    for term in parts.terms:
        numbers = [names.index(part.name) for part in walk(term) if isinstance(part, Name) and part.name in names]
        groups.setdefault(_shape(term, names), []).append(tuple(dict.fromkeys(numbers)))
    return tuple(tuple(like) for like in groups.values() if len(like) > 1 and like[0])


def _shape(term: Node, names: tuple[str, ...]) -> str:
    text = to_text(term)
    for name in sorted(names, key=len, reverse=True):
        text = text.replace(name, "·")
    return text
