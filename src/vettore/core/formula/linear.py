"""Which coefficients enter a model linearly: those need no starting values.

A model is taken apart as  f = φ₀ + Σⱼ cⱼ φⱼ,  where no φ holds a coefficient of the linear set. A set of
coefficients can be linear together when every second derivative among them is zero; the largest such set is
found greedily, taking first those that stand in the fewest products with others.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from vettore.core.errors import FormulaError
from vettore.core.formula.derivative import (
    ZERO,
    added,
    derivative,
    divided,
    multiplied,
    negated,
    raised,
    subtracted,
)
from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, names, walk


@dataclass(frozen=True)
class LinearParts:
    """``offset + Σ c·terms[c]``; ``nonlinear`` are the coefficients left over, in formula order."""

    linear: tuple[str, ...]
    nonlinear: tuple[str, ...]
    offset: Node
    terms: tuple[Node, ...]


def linear_parts(
    tree: Node, coefficients: Sequence[str], held: Sequence[str] = (), apart: Sequence[str] = ()
) -> LinearParts:
    """Take a model apart; ``held`` coefficients count as data, those ``apart`` are never put into the linear set."""
    free = [name for name in coefficients if name not in held]
    firsts = {}
    for name in free:
        try:
            firsts[name] = derivative(tree, name)
        except FormulaError:
            continue
    alone = [name for name in free if name in firsts and name not in names(firsts[name])]
    together = {a: {b for b in alone if b != a and b in names(firsts[a])} for a in alone}
    chosen: list[str] = []
    for name in sorted(alone, key=lambda text: (len(together[text]), free.index(text))):
        if name not in apart and not any(other in together[name] or name in together[other] for other in chosen):
            chosen.append(name)
    linear = tuple(name for name in free if name in chosen)
    offset = without(tree, frozenset(linear))
    # In a condition a coefficient moves a step: every derivative is zero, and yet it is not linear.
    stuck = tuple(name for name in linear if name in names(offset))
    if stuck:
        return linear_parts(tree, coefficients, held, (*apart, *stuck))
    return LinearParts(
        linear,
        tuple(name for name in free if name not in chosen),
        offset,
        tuple(firsts[name] for name in linear),
    )


def without(node: Node, texts: frozenset[str]) -> Node:
    """Return a tree with some names put to zero, simplified."""
    if not any(isinstance(part, Name) and part.name in texts for part in walk(node)):
        return node
    match node:
        case Name():
            return ZERO
        case Negate(of):
            return negated(without(of, texts))
        case Binary(sign, left, right):
            build = {"+": added, "-": subtracted, "*": multiplied, "/": divided, "^": raised}[sign]
            return build(without(left, texts), without(right, texts))
        case Call(function, arguments):
            return Call(function, tuple(without(argument, texts) for argument in arguments))
        case _:
            return node


def has_constant(parts: LinearParts, data: Sequence[str]) -> bool:
    """Whether a model contains a constant: a term that is the same number in every row."""
    return any(term != ZERO and not any(name in data for name in names(term)) for term in parts.terms)
