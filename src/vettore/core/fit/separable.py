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
        slopes = [[derivative(tree, name) for tree in (parts.offset, *parts.terms)] for name in parts.nonlinear]
        # Offset and terms, then for each nonlinear coefficient the derivatives of offset and terms by it.
        self._all = Program(parts.offset, *parts.terms, *(slope for line in slopes for slope in line))
        self._unweighted = bool(np.all(root_weights == 1.0))

    def _evaluated(self, alpha: Array) -> tuple[Array, Array, list[Array]]:
        """Return offset (n,), Φ (n, p), and for each nonlinear coefficient (n, 1 + p) derivatives of both."""
        values = self._values(alpha)
        found = self._all.all({name: values[name] for name in self._all.inputs})
        rows = np.empty((len(found), self.n))
        for place, value in enumerate(found):
            rows[place] = value
        if not self._unweighted:
            rows *= self.root_weights
        width = 1 + len(self.parts.terms)
        changes = [rows[k : k + width].T for k in range(width, len(rows), width)]
        return rows[0], rows[1:width].T, changes

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
        with np.errstate(all="ignore"):
            offset, phi, changes = self._evaluated(alpha)
            if not (np.isfinite(offset).all() and np.isfinite(phi).all()):
                return None
            target = self.y - offset
            if not phi.shape[1]:
                c, q, residual = np.empty(0), np.empty((self.n, 0)), target
            else:
                c, q = _solve(phi, target)
                residual = target - phi @ c
            jacobian = _jacobian(changes, c, self.n)
            jacobian = jacobian - q @ (q.T @ jacobian)
        if not np.isfinite(jacobian).all() or not np.isfinite(residual).all():
            return None
        return Projected(c, residual, jacobian, float(residual @ residual))

    def joint(self, alpha: Array, c: Array) -> tuple[Array, Array]:
        """Return the residual (n,) and the Jacobian of f by (c, α), shape (n, p + q)."""
        with np.errstate(all="ignore"):
            offset, phi, changes = self._evaluated(alpha)
            return self.y - offset - phi @ c, np.hstack([phi, _jacobian(changes, c, self.n)])


def _jacobian(changes: list[Array], c: Array, n: int) -> Array:
    """Return the columns Dₖ from the derivatives of offset and terms; a term of coefficient 0 has no say."""
    if not changes:
        return np.empty((n, 0))
    used = np.concatenate([[True], c != 0.0])
    factors = np.concatenate([[1.0], c])[used]
    return np.column_stack([change[:, used] @ factors for change in changes])


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
