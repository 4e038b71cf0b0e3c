"""A system as typeset lines: its reactions as the trade writes them, its rates with primes, what begins and is measured."""

from __future__ import annotations

from collections.abc import Sequence

from vettore.core.formula.tree import Name, Node
from vettore.core.systems.system import EquationSystem, Reaction
from vettore.core.typesetting.typeset import Box, Lowered, Row, TextBox, coefficient_symbol, formula_terms, rebuilt

ARROW, BOTH_WAYS, APART = " ⟶ ", " ⇌ ", "   at the rate "


def reaction_lines(system: EquationSystem) -> list[Row]:
    """Return the reactions, each with its rate, one that goes both ways on one line."""
    lines = []
    waiting = list(system.reactions)
    while waiting:
        reaction = waiting.pop(0)
        back = waiting[0] if waiting and _is_back(reaction, waiting[0]) else None
        rates: list[Box] = [_side_of(reaction.rate, system)]
        if back is not None:
            waiting.pop(0)
            rates += [TextBox(",  "), _side_of(back.rate, system)]
        arrow = TextBox(ARROW if back is None else BOTH_WAYS)
        lines.append(Row((_species(reaction.left), arrow, _species(reaction.right), TextBox(APART), *rates)))
    return lines


def equation_lines(system: EquationSystem) -> list[Row]:
    """Return rates, initial values, what columns show, and jumps."""
    lines = [_equation(_primed(state.name), state.rate, system) for state in system.states]
    begin = TextBox(f"({system.start:g})")
    lines += [_equation(Row((_name(state.name), begin)), state.initial, system) for state in system.states]
    for entry in system.measured:
        if entry.left != entry.right:
            lines.append(_equation(_side_of(entry.left, system), entry.right, system))
    for jump in system.jumps:
        parts = (
            TextBox(" jumps by "),
            _side_of(jump.by, system),
            TextBox(f" at {system.over} = "),
            _side_of(jump.at, system),
        )
        lines.append(Row((_name(jump.state), *parts)))
    return lines


def _is_back(reaction: Reaction, other: Reaction) -> bool:
    return reaction.left == other.right and reaction.right == other.left


def _species(side: Sequence[tuple[float, str]]) -> Row:
    parts: list[Box] = []
    for count, name in side:
        parts += [TextBox(" + ")] if parts else []
        parts += [] if count == 1 else [TextBox(f"{count:g} ")]
        parts.append(_name(name))
    return Row(tuple(parts) or (TextBox("∅"),))


def _equation(left: Box, right: Node, system: EquationSystem) -> Row:
    return Row((left, TextBox(" = "), _side_of(right, system)))


def _side_of(tree: Node, system: EquationSystem) -> Row:
    """Return an expression, states with primes and indices as they are set elsewhere."""
    box = Row(tuple(formula_terms(tree, system.coefficients)))
    states = {*system.state_names}
    named = rebuilt(box, lambda part: _name(part.text) if isinstance(part, TextBox) and part.text in states else part)
    return named if isinstance(named, Row) else Row((named,))


def _name(name: str) -> Box:
    plain = name.rstrip("'")
    symbol = coefficient_symbol(plain)
    primes = "′" * (len(name) - len(plain))
    return symbol if not primes else Row((symbol, TextBox(primes)))


def _primed(name: str) -> Box:
    symbol = _name(name)
    # The prime stands behind the letter, before its index.
    if isinstance(symbol, Lowered):
        return Row((Lowered(Row((symbol.base, TextBox("′"))), symbol.index),))
    return Row((symbol, TextBox("′")))


def measured_line(system: EquationSystem, name: str) -> Row:
    """Return the equation of one measured column: its rate where it is a state, else what it shows."""
    for state in system.states:
        if state.name == name:
            return _equation(_primed(name), state.rate, system)
    entry = next(entry for entry in system.measured if entry.name == name)
    return _equation(
        _side_of(entry.left, system) if not isinstance(entry.left, Name) else _name(name), entry.right, system
    )
