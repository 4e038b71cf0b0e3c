"""An expression of states, columns and coefficients, with its slopes by the coefficients through all of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.derivative import added, derivative, multiplied
from vettore.core.formula.evaluate import Program
from vettore.core.formula.tree import Node
from vettore.core.systems.motion import Run
from vettore.core.systems.system import EquationSystem


@dataclass(frozen=True, eq=False)
class Shown:
    """An expression; ``free`` are the coefficients (m,) by which it has slopes."""

    system: EquationSystem
    tree: Node
    free: tuple[str, ...]

    @cached_property
    def _program(self) -> Program:
        return Program(self.tree, *(derivative(self.tree, name) for name in (*self.system.state_names, *self.free)))

    @cached_property
    def moving(self) -> Shown:
        """How it changes with the column that runs, columns beside it standing still."""
        tree = derivative(self.tree, self.system.over)
        for state in self.system.states:
            tree = added(tree, multiplied(derivative(self.tree, state.name), state.rate))
        return Shown(self.system, tree, self.free)

    def at(
        self,
        values: Mapping[str, float],
        x: Array,
        columns: Mapping[str, Array],
        run: Run | None,
        run_by: tuple[str, ...] = (),
    ) -> tuple[Array, Array | None]:
        """Return its values (n,) and, where the run has slopes or there is none, its slopes (n, m).

        ``run_by`` are the coefficients by which the states of the run have slopes.
        """
        given: dict[str, Any] = {**{name: np.float64(value) for name, value in values.items()}, **columns}
        given[self.system.over] = x
        k, n = len(self.system.state_names), len(x)
        if run is not None:
            given |= dict(zip(self.system.state_names, run.states.T, strict=True))
        numbers = [_full(number, n) for number in self._program.all(given)]
        if run is not None and run.slopes is None:
            return numbers[0], None
        table = np.stack(numbers[1 + k :], axis=1) if self.free else np.empty((n, 0))
        if run is not None and run.slopes is not None:
            through = np.einsum("nk,nkm->nm", np.stack(numbers[1 : 1 + k], axis=1), run.slopes)
            for j, name in enumerate(run_by):
                if name in self.free:
                    table[:, self.free.index(name)] += through[:, j]
        return numbers[0], table


def _full(number: Any, n: int) -> Array:
    return np.array(np.broadcast_to(np.asarray(number, dtype=np.float64), (n,)))
