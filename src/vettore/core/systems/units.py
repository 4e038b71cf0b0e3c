"""Units of the coefficients and states of a system, from those of its columns: a rate is its state's over that of time."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from vettore.core.formula.coefficient_units import CoefficientUnits, units_told
from vettore.core.formula.tree import Binary, Name, Node
from vettore.core.systems.system import EquationSystem


def system_units(system: EquationSystem, of_columns: Mapping[str, str]) -> CoefficientUnits:
    """Work out the units of coefficients and of states that are no columns; and what contradicts itself."""
    columns = {name: of_columns.get(name, "") for name in (*([system.over] if system.over else []), *system.columns)}
    measured = {entry.name for entry in system.measured}
    columns |= {name: unit for name, unit in of_columns.items() if name in measured or name in columns}
    unknown = [*system.coefficients, *(name for name in system.state_names if name not in columns)]
    return units_told(_equations(system), unknown, columns)


def _equations(system: EquationSystem) -> Iterator[tuple[Node, Node]]:
    """Yield both sides of every equation, a rate times the column that runs beside its state."""
    over = Name(system.over)
    for state in system.states:
        yield Name(state.name), Binary("*", state.rate, over)
        yield Name(state.name), state.initial
    for entry in system.measured:
        yield entry.left, entry.right
    for jump in system.jumps:
        yield Name(jump.state), jump.by
        yield over, jump.at
