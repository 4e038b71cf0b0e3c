"""Reactions as the trade writes them, ``2 A + B <=> C``, turned into the rates of their species.

A rate of coefficients alone is taken by mass action, k·Πᵢ Aᵢ^νᵢ (Guldberg & Waage 1864); one that names a species is the rate.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from vettore.core.errors import FormulaError
from vettore.core.formula.derivative import added, multiplied, negated, number, raised, subtracted
from vettore.core.formula.reader import Reader
from vettore.core.formula.tokens import plain_name
from vettore.core.formula.tree import Binary, Name, Node, names
from vettore.core.systems.pieces import Piece
from vettore.core.systems.system import Reaction

ARROWS = re.compile(r"<=>|<->|⇌|->|→")
BOTH_WAYS = ("<=>", "<->", "⇌")
_SPECIES = re.compile(r"\s*(\d+(?:\.\d*)?)?\s*\*?\s*([^\W\d]\w*)\s*")
NOTHING = ("", "0", "∅")

Side = tuple[tuple[float, str], ...]


def is_reaction(piece: Piece) -> bool:
    """Whether a line is a reaction."""
    return ARROWS.search(piece.text) is not None


def read_reaction(piece: Piece, rate: Piece | None, columns: frozenset[str]) -> tuple[Reaction, ...]:
    """Return a reaction, or the one forth and the one back. Raises FormulaError."""
    arrow = ARROWS.search(piece.text)
    assert arrow is not None
    left = _side(piece.part(0, arrow.start()))
    right = _side(piece.part(arrow.end(), len(piece.text)))
    if not left and not right:
        raise piece.error("This reaction has no species.", "Write one as A -> B ; k.")
    both = arrow.group() in BOTH_WAYS
    if rate is None:
        example = "kf, kr" if both else "k"
        raise piece.error(
            "This reaction has no rate.",
            f"Write it after a semicolon: {piece.text.strip()} ; {example}.",
            at=len(piece.text),
        )
    parts = rate.split_at_commas()
    species = {name for _, name in (*left, *right)}
    trees = [_tree(part, columns) for part in parts]
    if both and len(trees) == 1 and species & set(names(trees[0])):
        return (Reaction(left, right, trees[0], True),)
    if len(trees) != 1 + both:
        wanted = "two rates, as kf, kr" if both else "one rate"
        raise rate.error(f"This reaction takes {wanted}; it has {len(trees)}.", "The rates are parted by a comma.")
    forth = _reaction(left, right, trees[0], species)
    return (forth, _reaction(right, left, trees[1], species)) if both else (forth,)


def rates_of(reactions: Sequence[Reaction]) -> dict[str, Node]:
    """Return the rate of each species, in the order in which they first stand."""
    rates: dict[str, Node] = {}
    for reaction in reactions:
        for sign, side in ((-1, reaction.left), (1, reaction.right)):
            for count, name in side:
                rates.setdefault(name, number(0.0))
                part = multiplied(number(count), reaction.rate)
                rates[name] = added(rates[name], part) if sign > 0 else _less(rates[name], part)
    return rates


def _less(before: Node, part: Node) -> Node:
    return _minus(part) if before == number(0.0) else subtracted(before, part)


def _minus(tree: Node) -> Node:
    """Return minus a product with the sign before its first factor, as it is written."""
    if isinstance(tree, Binary) and tree.sign in "*/":
        return Binary(tree.sign, _minus(tree.left), tree.right)
    return negated(tree)


def _reaction(left: Side, right: Side, tree: Node, species: set[str]) -> Reaction:
    if species & set(names(tree)):
        return Reaction(left, right, tree, True)
    for count, name in left:
        tree = multiplied(tree, Name(name) if count == 1 else raised(Name(name), number(count)))
    return Reaction(left, right, tree)


def _tree(part: Piece, columns: frozenset[str]) -> Node:
    try:
        return Reader(part.text, columns).read_all()
    except FormulaError as error:
        raise part.moved(error) from None


def _side(piece: Piece) -> Side:
    if piece.text.strip() in NOTHING:
        return ()
    out: dict[str, float] = {}
    place = 0
    for term in piece.text.split("+"):
        match = _SPECIES.fullmatch(term)
        if match is None:
            raise piece.error(
                f"“{term.strip()}” is no species with its number.",
                "Write one as 2 A.",
                at=place + len(term) - len(term.lstrip()),
            )
        name = plain_name(match.group(2))
        out[name] = out.get(name, 0.0) + float(match.group(1) or 1)
        place += len(term) + 1
    return tuple((count, name) for name, count in out.items())
