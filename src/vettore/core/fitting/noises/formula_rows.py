"""A formula over rows, and its slopes by the coefficients that are fitted: what problems of their own kind are made of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.tree import Node


@dataclass(frozen=True)
class Point:
    """The rows at some coefficients: the curve, residuals r, Jacobian J and the sum that is made least."""

    mu: Array
    residual: Array
    jacobian: Array
    squares: float


class FormulaRows:
    """Rows ``y`` (n,), columns by name, and a formula with coefficients ``free``; ``held`` are the others by name."""

    def __init__(
        self, tree: Node, columns: Mapping[str, Array], y: Array, free: tuple[str, ...], held: Mapping[str, float]
    ) -> None:
        self.tree, self.columns, self.y, self.free, self.held = tree, columns, y, free, dict(held)
        self._value = Program(tree)
        self._by = [Program(derivative(tree, name)) for name in free]

    def value(self, c: Array) -> Array:
        """Return the curve (n,) at coefficients ``c``."""
        return self._eval(self._value, c)

    def slopes(self, c: Array) -> list[Array]:
        """Return its slopes (n,) by each coefficient."""
        return [self._eval(program, c) for program in self._by]

    def _eval(self, program: Program, c: Array) -> Array:
        known = {**self.columns, **self.held, **dict(zip(self.free, c.tolist(), strict=True))}
        result = np.asarray(program({name: known[name] for name in program.inputs}), dtype=np.float64)
        return np.broadcast_to(result, self.y.shape)


def side_by_side(columns: list[Array], n: int) -> Array:
    """Return columns as a matrix (n, m), which has none where there are none."""
    return np.column_stack(columns) if columns else np.empty((n, 0))
