"""The tree of a formula: immutable nodes that can be compared, hashed and walked.

Arithmetic: Number, Name, Negate, Binary (``+ - * / ^``), Call. Conditions add Text, Compare, Both,
Either, Not. A leaf's ``name`` is what the user wrote, with Greek letters by their names and subscripts
as ``_0``.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TypeAlias


@dataclass(frozen=True, slots=True)
class Number:
    """A number ≥ 0; a minus sign before it is a Negate."""

    value: float


@dataclass(frozen=True, slots=True)
class Name:
    """A column or a coefficient."""

    name: str


@dataclass(frozen=True, slots=True)
class Text:
    """A text in quotes, for comparisons with text columns."""

    text: str


@dataclass(frozen=True, slots=True)
class Negate:
    """Minus something."""

    of: Node


@dataclass(frozen=True, slots=True)
class Binary:
    """Two things joined by ``+``, ``-``, ``*``, ``/`` or ``^``."""

    sign: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Call:
    """A function of one or more things; ``if`` has three: condition, value if it holds, value if not."""

    function: str
    arguments: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Compare:
    """Two things compared by ``<``, ``<=``, ``>``, ``>=``, ``==`` or ``!=``."""

    sign: str
    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Both:
    """Two conditions of which both must hold."""

    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Either:
    """Two conditions of which one must hold."""

    left: Node
    right: Node


@dataclass(frozen=True, slots=True)
class Not:
    """A condition that must not hold."""

    of: Node


Node: TypeAlias = Number | Name | Text | Negate | Binary | Call | Compare | Both | Either | Not
CONDITIONS = (Compare, Both, Either, Not)


def children(node: Node) -> tuple[Node, ...]:
    """Return the parts of a node, left to right."""
    match node:
        case Negate(of) | Not(of):
            return (of,)
        case Binary(_, left, right) | Compare(_, left, right) | Both(left, right) | Either(left, right):
            return (left, right)
        case Call(_, arguments):
            return arguments
        case _:
            return ()


def walk(node: Node) -> Iterator[Node]:
    """Yield a node and all below it, each before its parts, left to right."""
    waiting = [node]
    while waiting:
        number = waiting.pop()
        yield number
        waiting.extend(reversed(children(number)))


def height(node: Node) -> int:
    """Return how many nodes stand one below the other at most."""
    tallest, level = 0, [node]
    while level:
        tallest += 1
        level = [child for parent in level for child in children(parent)]
    return tallest


# What names(…) found in nodes, each with its node, so that an id is not taken for another's; trees are asked again and again.
_names_in: dict[int, tuple[Node, tuple[str, ...]]] = {}
MOST_ASKED = 20_000


def names(node: Node) -> tuple[str, ...]:
    """Return the names in a tree, in the order in which they first stand."""
    if len(_names_in) >= MOST_ASKED:
        _names_in.clear()
    new, waiting = [], [node]
    while waiting:
        number = waiting.pop()
        if _known(number) is None:
            new.append(number)
            waiting.extend(reversed(children(number)))
    texts: dict[int, tuple[str, ...]] = {}
    for part in reversed(new):
        below = (texts.get(id(child)) or _known(child) or () for child in children(part))
        mine = (
            (part.name,)
            if isinstance(part, Name)
            else tuple(dict.fromkeys(name for words in below for name in words))
        )
        texts[id(part)] = mine
        _names_in[id(part)] = (part, mine)
    return texts[id(node)] if new else _known(node) or ()


def _known(node: Node) -> tuple[str, ...] | None:
    kept = _names_in.get(id(node))
    return kept[1] if kept is not None and kept[0] is node else None


def renamed(node: Node, old: str, new: str) -> Node:
    """Return a tree with one name replaced."""
    return replaced(node, old, Name(new))


def replaced(node: Node, old: str, by: Node) -> Node:
    """Return a tree with a subtree in the place of a name."""
    if isinstance(node, Name):
        return by if node.name == old else node
    if isinstance(node, Call):
        return Call(node.function, tuple(replaced(part, old, by) for part in node.arguments))
    if isinstance(node, (Negate, Not)):
        return type(node)(replaced(node.of, old, by))
    if isinstance(node, (Binary, Compare)):
        return type(node)(node.sign, replaced(node.left, old, by), replaced(node.right, old, by))
    if isinstance(node, (Both, Either)):
        return type(node)(replaced(node.left, old, by), replaced(node.right, old, by))
    return node
