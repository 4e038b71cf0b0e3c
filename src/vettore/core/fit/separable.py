"""A model split into what is linear and what is not, and its projection (Golub & Pereyra 1973).

    f(α, c) = φ₀(α) + Φ(α) c,     r(α) = P⊥(α) (y − φ₀(α)),     P⊥ = I − Q Qᵀ,  Φ = Q R

For every α the best c follows from linear least squares, so only α is searched for. Kaufman's (1975) Jacobian
of the projected residual leaves out a term that is small near the answer:

    ∂r/∂αₖ ≈ −P⊥ Dₖ,     Dₖ = ∂φ₀/∂αₖ + Σⱼ cⱼ ∂φⱼ/∂αₖ

Rows carry √w throughout.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.linear import LinearParts

# Columns of Φ below this share of the largest cannot be told apart from the others at this α.
DEPENDENT = 1e-13


@dataclass(frozen=True)
class Projected:
    """The projected problem at one α: ``c`` (p,), residual (n,), Jacobian −∂r/∂α (n, q) and sum of squares."""

    c: Array
    residual: Array
    jacobian: Array
    squares: float


class Separable:
    """A separable problem over fixed rows; ``given`` holds the columns and the held coefficients."""

    def __init__(self, parts: LinearParts, given: Mapping[str, Array | float], y: Array, root_weights: Array) -> None:
        self.parts = parts
        self.given = dict(given)
        self.y, self.root_weights = y * root_weights, root_weights
        self.n = len(y)
        self._offset = Program(parts.offset)
        self._terms = [Program(term) for term in parts.terms]
        self._offset_by = [Program(derivative(parts.offset, name)) for name in parts.nonlinear]
        self._terms_by = [[Program(derivative(term, name)) for term in parts.terms] for name in parts.nonlinear]

    def _rows(self, program: Program, values: Mapping[str, Array | float]) -> Array:
        result = program({name: values[name] for name in program.inputs})
        return np.broadcast_to(np.asarray(result, dtype=np.float64), (self.n,)) * self.root_weights

    def _values(self, alpha: Array) -> dict[str, Array | float]:
        return {**self.given, **dict(zip(self.parts.nonlinear, alpha.tolist(), strict=True))}

    def squares(self, alphas: Array) -> Array:
        """Return the projected sums of squares at many α, shape (starts, q), as (starts,); inf where there is none."""
        values = {**self.given, **{name: alphas[:, k : k + 1] for k, name in enumerate(self.parts.nonlinear)}}
        shape = (len(alphas), self.n)

        def stacked(program: Program) -> Array:
            result = program({name: values[name] for name in program.inputs})
            return np.broadcast_to(np.asarray(result, dtype=np.float64), shape) * self.root_weights

        with np.errstate(all="ignore"):
            rest = self.y - stacked(self._offset)
            bases: list[Array] = []
            for term in self._terms:
                # Modified Gram–Schmidt over the whole stack of starts.
                column = stacked(term).copy()
                size = np.linalg.norm(column, axis=1, keepdims=True)
                for basis in bases:
                    column -= np.sum(column * basis, axis=1, keepdims=True) * basis
                norm = np.linalg.norm(column, axis=1, keepdims=True)
                own = norm > DEPENDENT * size
                column = np.where(own, column / np.where(own, norm, 1.0), 0.0)
                bases.append(column)
                rest = rest - np.sum(rest * column, axis=1, keepdims=True) * column
            total: Array = np.sum(rest * rest, axis=1)
        return np.where(np.isfinite(total), total, np.inf)

    def project(self, alpha: Array) -> Projected | None:
        """Return the projected problem at α, or None where the model has no finite value."""
        values = self._values(alpha)
        with np.errstate(all="ignore"):
            offset = self._rows(self._offset, values)
            phi = np.column_stack([self._rows(term, values) for term in self._terms]) if self._terms else None
            if not np.isfinite(offset).all() or (phi is not None and not np.isfinite(phi).all()):
                return None
            target = self.y - offset
            if phi is None:
                c, q, residual = np.empty(0), np.empty((self.n, 0)), target
            else:
                c, q = _solve(phi, target)
                residual = target - phi @ c
            jacobian = self._jacobian(values, c)
            jacobian = jacobian - q @ (q.T @ jacobian)
        if not np.isfinite(jacobian).all() or not np.isfinite(residual).all():
            return None
        return Projected(c, residual, jacobian, float(residual @ residual))

    def _jacobian(self, values: Mapping[str, Array | float], c: Array) -> Array:
        columns = []
        for offset, terms in zip(self._offset_by, self._terms_by, strict=True):
            column = self._rows(offset, values)
            for coefficient, term in zip(c.tolist(), terms, strict=True):
                if coefficient:
                    column = column + coefficient * self._rows(term, values)
            columns.append(column)
        return np.column_stack(columns) if columns else np.empty((self.n, 0))

    def joint(self, alpha: Array, c: Array) -> tuple[Array, Array]:
        """Return the residual (n,) and the Jacobian of f by (c, α), shape (n, p + q)."""
        values = self._values(alpha)
        with np.errstate(all="ignore"):
            terms = [self._rows(term, values) for term in self._terms]
            phi = np.column_stack(terms) if terms else np.empty((self.n, 0))
            residual = self.y - self._rows(self._offset, values) - phi @ c
            return residual, np.hstack([phi, self._jacobian(values, c)])


def _solve(phi: Array, target: Array) -> tuple[Array, Array]:
    """Return the best c and an orthonormal basis of the columns; columns that depend on others get 0."""
    norms = np.linalg.norm(phi, axis=0)
    norms = np.where(norms > 0, norms, 1.0)
    q, r = np.linalg.qr(phi / norms)
    if np.all(np.abs(np.diag(r)) > DEPENDENT * 10):
        c = np.linalg.solve(r, q.T @ target)
        return c / norms, q
    u, s, v = np.linalg.svd(phi / norms, full_matrices=False)
    kept = s > DEPENDENT * 10 * s[0]
    c = v[kept].T @ ((u[:, kept].T @ target) / s[kept])
    return c / norms, u[:, kept]
