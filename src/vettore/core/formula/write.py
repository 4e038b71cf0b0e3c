"""Write a tree as the text that reads back as the same tree."""

from __future__ import annotations

import math
import re

from vettore.core.formula.tree import (
    Binary,
    Both,
    Call,
    Compare,
    Either,
    Name,
    Negate,
    Node,
    Not,
    Number,
    Text,
    names,
    renamed,
)
from vettore.core.formula.words import ARGUMENTS, CONSTANTS, RESERVED

# How tightly a node holds together; a looser part of a tighter whole goes into brackets.
EITHER, BOTH, NOT, COMPARE, SUM, PRODUCT, UNARY, POWER, PRIMARY = range(9)
_PLAIN = re.compile(r"[^\W\d_][^\W_]*(?:_\w+)*'*$")


def to_text(node: Node) -> str:
    """Return the text of a tree."""
    return _write(node, EITHER)


def _write(node: Node, around: int) -> str:
    text, tightness = _parts(node)
    return f"({text})" if tightness < around else text


def _parts(node: Node) -> tuple[str, int]:
    match node:
        case Number(value):
            return number_text(value), PRIMARY
        case Name(name):
            return name_text(name), PRIMARY
        case Text(text):
            return f'"{text}"', PRIMARY
        case Negate(of):
            return f"-{_write(of, UNARY)}", UNARY
        case Binary("^", left, right):
            return f"{_write(left, PRIMARY)}^{_write(right, UNARY)}", POWER
        case Binary(sign, left, right):
            level = SUM if sign in "+-" else PRODUCT
            joint = f" {sign} " if level == SUM else sign
            return f"{_write(left, level)}{joint}{_write(right, level + 1)}", level
        case Call(function, arguments):
            return f"{function}({', '.join(_write(argument, EITHER) for argument in arguments)})", PRIMARY
        case Compare(sign, left, right):
            return f"{_write(left, SUM)} {sign} {_write(right, SUM)}", COMPARE
        case Both(left, right):
            return f"{_write(left, BOTH)} and {_write(right, NOT)}", BOTH
        case Either(left, right):
            return f"{_write(left, EITHER)} or {_write(right, BOTH)}", EITHER
        case Not(of):
            return f"not {_write(of, NOT)}", NOT


def number_text(value: float) -> str:
    """Return a number with as many digits as bring it back; π and e by their names."""
    for name, constant in CONSTANTS.items():
        if value == constant:
            return name
    if value == math.floor(value) and value < 1e16:
        return str(int(value))
    return repr(value)


def name_text(name: str) -> str:
    """Return a name, in backquotes where it would be read as something else."""
    plain = _PLAIN.match(name) and name not in RESERVED and name not in CONSTANTS and name not in ARGUMENTS
    return name if plain and not _changes(name) else f"`{name}`"


def rename_in(text: str, old: str, new: str) -> str:
    """Return a formula's text with one name replaced; a text that cannot be read stays as it is."""
    from vettore.core.errors import FormulaError
    from vettore.core.formula.reader import Reader

    if not text:
        return text
    left, sign, right = text.partition("=")
    if sign and not right.startswith("="):
        return f"{rename_in(left.strip(), old, new)} = {rename_in(right.strip(), old, new)}"
    try:
        tree = Reader(text, frozenset({old})).read_all()
    except FormulaError:
        return text
    return to_text(renamed(tree, old, new)) if old in names(tree) else text


def _changes(name: str) -> bool:
    from vettore.core.formula.tokens import plain_name

    return plain_name(name) != name
