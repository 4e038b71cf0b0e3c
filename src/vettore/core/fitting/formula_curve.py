"""The curve of a fitted formula over one column: value, slope, area, crossings and bands.

With g the gradient of the formula by its coefficients and Σ their covariance, the variance of a value is gᵀΣg
(delta method); slopes and areas use the gradient of the slope and of the area.

Areas: pieces between the places that the formula names, refined until they settle (core.integrate). Crossings and turning
points: signs on a fine grid over the span asked for, then bisection to the last digit; a touching point is found as a
turning point.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from copy import copy
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array
from vettore.core.curve import Curve, TurningPoint
from vettore.core.errors import DataError, Fault
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.tree import Negate, Node, Number, renamed, replaced
from vettore.core.integration.adaptive import Span, settle
from vettore.core.integration.places import places_of

# Points at which signs are compared; features narrower than this share of the span may be missed.
GRID = 2048
# Error of an area that is asked for, and that it may have to be one at all.
AREA_AGREES, AREA_KNOWN = 1e-12, 1e-8
TOUCHES = 1e-9


class FormulaCurve(Curve):
    """A formula of one column with fitted coefficients; ``covariance`` (m, m) is that of ``free``, or None."""

    def __init__(
        self,
        tree: Node,
        x_name: str,
        values: Mapping[str, float],
        free: tuple[str, ...],
        covariance: Array | None,
        span: tuple[float, float],
        residual_sd: float | None,
        degrees_of_freedom: float,
        row_sigma: float | None = 1.0,
    ) -> None:
        self.x_name = x_name
        self.values = dict(values)
        self.span = span
        self.residual_sd = residual_sd
        self.degrees_of_freedom = degrees_of_freedom
        self.row_sigma = row_sigma
        self._covariance = covariance
        self._tree, self._free = tree, free

    def with_values(self, values: Mapping[str, float]) -> FormulaCurve:
        """Return the curve with other values of the coefficients; what is worked out of the formula alone is shared."""
        # Compiled here, the copies have it, too.
        _ = self._value
        other = copy(self)
        other.values = dict(values)
        return other

    def with_scatter(self, covariance: Array | None, residual_sd: float | None, freedom: float) -> FormulaCurve:
        """Return the curve with another covariance, scatter and degrees of freedom."""
        other = copy(self)
        other._covariance, other.residual_sd, other.degrees_of_freedom = covariance, residual_sd, freedom
        return other

    # Made when first asked for: a fit among thousands is never drawn.

    @cached_property
    def _value(self) -> Program:
        return Program(self._tree)

    @cached_property
    def _slope_tree(self) -> Node:
        return derivative(self._tree, self.x_name)

    @cached_property
    def _slope(self) -> Program:
        return Program(self._slope_tree)

    @cached_property
    def _bend(self) -> Program:
        return Program(derivative(self._slope_tree, self.x_name))

    @cached_property
    def _gradient(self) -> list[Program]:
        return [Program(derivative(self._tree, name)) for name in self._free]

    @cached_property
    def _slope_gradient(self) -> list[Program]:
        return [Program(derivative(self._slope_tree, name)) for name in self._free]

    def _at(self, program: Program, x: Array) -> Array:
        given = {**self.values, self.x_name: x}
        result = np.asarray(program({name: given[name] for name in program.inputs}), dtype=np.float64)
        return np.broadcast_to(result, x.shape).copy()

    def __call__(self, x: Array | float) -> Array:
        """Return y at x."""
        return self._at(self._value, np.asarray(x, dtype=np.float64))

    def slope(self, x: Array | float) -> Array:
        """Return dy/dx at x."""
        return self._at(self._slope, np.asarray(x, dtype=np.float64))

    def area(self, a: float, b: float) -> float:
        """Return the integral from a to b."""
        return self._integral(self._value, a, b)

    def crossings(self, y: float, a: float, b: float) -> Array:
        """Return every x in a … b at which the curve takes the value y."""
        roots = self._sign_changes(lambda x: self(x) - y, a, b)
        size = max(abs(y), float(np.nanmax(np.abs(self(self._grid(a, b))), initial=0.0)))
        touching = [p.x for p in self.turning_points(a, b) if abs(p.y - y) <= TOUCHES * size]
        far = [x for x in touching if not any(abs(x - r) <= 1e-6 * abs(b - a) for r in roots)]
        return np.sort(np.concatenate([roots, far]))

    def turning_points(self, a: float, b: float) -> tuple[TurningPoint, ...]:
        """Return the tops and bottoms inside a … b."""
        points = []
        for x in self._sign_changes(self.slope, a, b):
            bend = float(self._at(self._bend, np.array(x)))
            if bend != 0.0:
                points.append(TurningPoint(float(x), float(self(float(x))), "top" if bend < 0 else "bottom"))
        return tuple(points)

    def mean_error(self, x: Array) -> Array:
        """Return the standard error of the curve at x."""
        return np.sqrt(self._variance(self._gradient, x))

    def slope_error(self, x: Array | float) -> Array:
        """Return the standard error of the slope at x."""
        return np.sqrt(self._variance(self._slope_gradient, np.asarray(x, dtype=np.float64)))

    def area_error(self, a: float, b: float) -> float | None:
        """Return the standard error of the area from a to b."""
        if self._covariance is None:
            return None
        g = np.array([self._integral(program, a, b) for program in self._gradient])
        return float(np.sqrt(max(g @ self._covariance @ g, 0.0)))

    @cached_property
    def _root(self) -> Array | None:
        """A matrix L with L Lᵀ the covariance."""
        if self._covariance is None:
            return None
        values, vectors = np.linalg.eigh(self._covariance)
        return np.asarray(vectors * np.sqrt(np.maximum(values, 0.0)), dtype=np.float64)

    def _spread(self, gradient: list[float]) -> Array | None:
        return None if self._root is None else np.asarray(np.array(gradient) @ self._root, dtype=np.float64)

    def value_spread(self, x: float) -> Array | None:
        """Return the spread of y at x."""
        return self._spread([float(self._at(program, np.array(x))) for program in self._gradient])

    def slope_spread(self, x: float) -> Array | None:
        """Return the spread of the slope at x."""
        return self._spread([float(self._at(program, np.array(x))) for program in self._slope_gradient])

    def area_spread(self, a: float, b: float) -> Array | None:
        """Return the spread of the area from a to b."""
        return self._spread([self._integral(program, a, b) for program in self._gradient])

    def coefficient_spread(self, name: str) -> Array | None:
        """Return the spread of a coefficient; None for one at its limit."""
        return self._spread([float(text == name) for text in self._free]) if name in self._free else None

    def _variance(self, gradient: list[Program], x: Array) -> Array:
        if self._covariance is None:
            return np.full_like(x, np.nan)
        with np.errstate(all="ignore"):
            g = np.stack([self._at(program, x).ravel() for program in gradient])
        # 0^n·ln 0 is 0 in the limit; where the curve itself has no value, neither has its error.
        g = np.where(np.isnan(g) & np.isfinite(self(x).ravel()), 0.0, g)
        return np.maximum(np.einsum("ik,ij,jk->k", g, self._covariance, g), 0.0).reshape(x.shape)

    def _integral(self, program: Program, a: float, b: float) -> float:
        """Return an integral of what a program gives; NaN where it does not settle."""
        if a == b:
            return 0.0
        low, high = min(a, b), max(a, b)
        reached = settle([Span(lambda x: self._at(program, x), self._edges(low, high))], AREA_AGREES)
        # Beside the area of |f|, since that of f itself may cancel.
        value = reached.area if reached.error <= AREA_KNOWN * reached.size else float("nan")
        return value if a < b else -value

    def _edges(self, low: float, high: float) -> list[float]:
        """Return where the curve, with its present values, has something to happen between two x."""
        tree = self._tree
        for name, value in self.values.items():
            tree = replaced(tree, name, Number(value) if value >= 0 else Negate(Number(-value)))
        return places_of(renamed(tree, self.x_name, "x"), low, high).edges(low, high)

    def _grid(self, a: float, b: float) -> Array:
        if not (np.isfinite(a) and np.isfinite(b)):
            raise DataError("A search for crossings needs finite limits.", Fault.UNAVAILABLE)
        return np.linspace(min(a, b), max(a, b), GRID)

    def _sign_changes(self, function: Callable[[Array], Array], a: float, b: float) -> Array:
        x = self._grid(a, b)
        y = function(x)
        exact = x[y == 0.0]
        with np.errstate(invalid="ignore"):
            starts = np.flatnonzero(np.isfinite(y[:-1]) & np.isfinite(y[1:]) & (y[:-1] * y[1:] < 0))
        low, high, rising = x[starts], x[starts + 1], y[starts] < 0
        largest = np.maximum(np.abs(y[starts]), np.abs(y[starts + 1]))
        for _ in range(100):
            middle = low / 2 + high / 2
            below = (function(middle) < 0) == rising
            low, high = np.where(below, middle, low), np.where(below, high, middle)
        # A pole changes sign, too, but there the values grow instead of going to zero.
        real = np.abs(function(low)) <= largest
        return np.unique(np.concatenate([exact, low[real]]))
