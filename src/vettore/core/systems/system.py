"""A system as it is read: states with their rates and initial values, and what of them is measured."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from vettore.core.formula.tree import Node, names
from vettore.core.formula.write import name_text, to_text


@dataclass(frozen=True)
class MovingState:
    """Something that follows a rate: its change by the column that runs, and its value at the beginning."""

    name: str
    rate: Node
    initial: Node


@dataclass(frozen=True)
class Measured:
    """A measured column, or a transform of one, and what of the states it shows."""

    name: str
    left: Node
    right: Node


@dataclass(frozen=True)
class Jump:
    """A state changes by an amount at a time, both expressions of coefficients."""

    state: str
    by: Node
    at: Node


@dataclass(frozen=True)
class Reaction:
    """Species with how many of each enter and leave, and the rate; ``given`` where the rate was written, not mass action."""

    left: tuple[tuple[float, str], ...]
    right: tuple[tuple[float, str], ...]
    rate: Node
    given: bool = False


@dataclass(frozen=True)
class EquationSystem:
    """Several equations. ``over`` is the column that runs ("" where nothing has a rate), ``columns`` others that enter.

    ``start`` is where the states have their initial values.
    """

    text: str
    over: str
    states: tuple[MovingState, ...]
    measured: tuple[Measured, ...]
    columns: tuple[str, ...]
    coefficients: tuple[str, ...]
    start: float = 0.0
    jumps: tuple[Jump, ...] = ()
    reactions: tuple[Reaction, ...] = ()
    # Names that are like a column's, by the column that may be meant.
    like_columns: dict[str, str] = field(default_factory=dict, hash=False)

    @property
    def state_names(self) -> tuple[str, ...]:
        """The names of the states."""
        return tuple(state.name for state in self.states)

    @property
    def equations(self) -> tuple[str, ...]:
        """Every equation as it was understood, one a line: rates, initial values, what is measured, jumps."""
        out = [f"{_primed(state.name)} = {to_text(state.rate)}" for state in self.states]
        out += [f"{state.name}({self.start:g}) = {to_text(state.initial)}" for state in self.states]
        out += [
            f"{to_text(entry.left)} = {to_text(entry.right)}" for entry in self.measured if entry.left != entry.right
        ]
        out += [
            f"{jump.state} jumps by {to_text(jump.by)} at {self.over} = {to_text(jump.at)}" for jump in self.jumps
        ]
        return tuple(out)

    def trees(self) -> Iterator[Node]:
        """Yield every expression of states and coefficients, in the order of the text's kinds."""
        for state in self.states:
            yield state.rate
        for state in self.states:
            yield state.initial
        for entry in self.measured:
            yield entry.right
        for jump in self.jumps:
            yield jump.by
            yield jump.at

    def in_rates(self) -> frozenset[str]:
        """Return the names that move the states: those of rates, initial values and jumps."""
        trees = [tree for state in self.states for tree in (state.rate, state.initial)]
        trees += [tree for jump in self.jumps for tree in (jump.by, jump.at)]
        return frozenset(name for tree in trees for name in names(tree))

    def __str__(self) -> str:
        return "\n".join(self.equations)


def _primed(name: str) -> str:
    return f"{name_text(name)}'" if not name.endswith("'") else f"{name}'"
