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

from vettore.core.arrays import Array, Rows
from vettore.core.fit.orthogonal import Rotation, solve_upper
from vettore.core.fit.prepared import Prepared
from vettore.core.formula.evaluate import Program

# Columns of Φ below this share of the largest cannot be told apart from the others at this α.
DEPENDENT = 1e-13


@dataclass(frozen=True)
class Projected:
    """The projected problem at one α: ``c`` (p,), residual, Jacobian −∂r/∂α (…, q) and sum of squares.

    Residual and Jacobian are told in rotated rows, Qᵀr, of which those along Φ are left out: all products are the same.
    """

    c: Array
    residual: Array
    jacobian: Array
    squares: float


class Separable:
    """A separable problem over fixed rows; ``given`` holds the columns and the held coefficients.

    ``low`` and ``high``, of shape (q,), bound α.
    """

    def __init__(
        self,
        model: Prepared,
        given: Mapping[str, Array | float],
        y: Array,
        root_weights: Array | None = None,
        limits: Mapping[str, tuple[float, float]] | None = None,
    ) -> None:
        self.model, self.parts = model, model.parts
        self.given = dict(given)
        self.root_weights = root_weights
        self.y = y if root_weights is None else y * root_weights
        self.n = len(y)
        self.limits = dict(limits or {})
        wide = (-np.inf, np.inf)
        self.low = np.array([self.limits.get(name, wide)[0] for name in self.parts.nonlinear])
        self.high = np.array([self.limits.get(name, wide)[1] for name in self.parts.nonlinear])

    @property
    def plain_y(self) -> Array:
        """y without the weights."""
        if self.root_weights is None:
            return self.y
        return self.y / np.where(self.root_weights > 0, self.root_weights, 1.0)

    def on_rows(self, rows: Rows | slice) -> Separable:
        """Return the problem on some of the rows."""
        given = {name: value[rows] if np.ndim(value) else value for name, value in self.given.items()}  # type: ignore[index]
        root = None if self.root_weights is None else self.root_weights[rows]
        return Separable(self.model, given, self.plain_y[rows], root, self.limits)

    def reweighted(self, root_weights: Array) -> Separable:
        """Return the problem with other weights."""
        return Separable(self.model, self.given, self.plain_y, root_weights, self.limits)

    def _evaluated(self, alpha: Array) -> tuple[Array, Array, list[Array]]:
        """Return offset (n,), Φᵀ (p, n), and for each nonlinear coefficient (1 + p, n) derivatives of both."""
        found = self.model.changes.all(self._values(alpha))
        rows = np.empty((len(found), self.n))
        for place, value in enumerate(found):
            rows[place] = value
        if self.root_weights is not None:
            rows *= self.root_weights
        width = 1 + len(self.parts.terms)
        if np.isnan(rows[width:].sum()):
            # Such as 0^n·ln 0, where the curve is 0 whatever n: the derivative is 0 in the limit.
            slopes = rows[width:]
            slopes[np.isnan(slopes)] = 0.0
        changes = [rows[k : k + width] for k in range(width, len(rows), width)]
        return rows[0], rows[1:width], changes

    def _values(self, alpha: Array) -> dict[str, Array | float]:
        return {**self.given, **dict(zip(self.parts.nonlinear, alpha.tolist(), strict=True))}

    def squares(self, alphas: Array) -> Array:
        """Return the projected sums of squares at many α, shape (starts, q), as (starts,); inf where there is none."""
        values = {**self.given, **{name: alphas[:, k : k + 1] for k, name in enumerate(self.parts.nonlinear)}}
        shape = (len(alphas), self.n)

        def stacked(program: Program) -> Array:
            result = program({name: values[name] for name in program.inputs})
            table = np.broadcast_to(np.asarray(result, dtype=np.float64), shape)
            return table.copy() if self.root_weights is None else table * self.root_weights

        with np.errstate(all="ignore"):
            rest = self.y - stacked(self.model.offset)
            bases: list[Array] = []
            for term in self.model.terms:
                # Modified Gram–Schmidt over the whole stack of starts.
                column = stacked(term)
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
            offset, rows, changes = self._evaluated(alpha)
            target, phi = self.y - offset, rows.T
            if not phi.shape[1]:
                c, residual, jacobian = np.empty(0), target, _jacobian(changes, np.empty(0), self.n)
            elif not np.isfinite(phi).all() or not np.isfinite(target).all():
                return None
            else:
                c, residual, jacobian = self._solve(phi, target, changes)
            squares = float(residual @ residual)
            if not np.isfinite(squares) or not np.isfinite(jacobian).all():
                return None
        return Projected(c, residual, jacobian, squares)

    def _solve(self, phi: Array, target: Array, changes: list[Array]) -> tuple[Array, Array, Array]:
        """Return the best c with the projected residual and Jacobian; columns that depend on others get 0."""
        p = phi.shape[1]
        norms = np.sqrt(np.einsum("ij,ij->j", phi, phi))
        scaled = phi / np.where(norms > 0, norms, 1.0)
        if self.n > p and norms.all():
            rotate = Rotation(scaled)
            if np.abs(rotate.root.diagonal()).min() > DEPENDENT * 10:
                turned = rotate(target[:, None])[:, 0]
                c = solve_upper(rotate.root, turned[:p]) / norms
                jacobian = _jacobian(changes, c, self.n)
                return c, turned[p:], rotate(jacobian)[p:] if jacobian.shape[1] else jacobian[p:]
        norms = np.where(norms > 0, norms, 1.0)
        u, s, v = np.linalg.svd(scaled, full_matrices=False)
        kept = s > DEPENDENT * 10 * s[0]
        q = u[:, kept]
        c = v[kept].T @ ((q.T @ target) / s[kept]) / norms
        jacobian = _jacobian(changes, c, self.n)
        return c, target - phi @ c, jacobian - q @ (q.T @ jacobian)

    def joint(self, alpha: Array, c: Array) -> tuple[Array, Array]:
        """Return the residual (n,) and the Jacobian of f by (c, α), shape (n, p + q)."""
        with np.errstate(all="ignore"):
            residual, rows = self.joint_rows(alpha, c)
            return residual, rows.T

    def joint_rows(self, alpha: Array, c: Array) -> tuple[Array, Array]:
        """Return the residual (n,) and the derivatives of f by (c, α) as rows, shape (p + q, n)."""
        offset, phi, changes = self._evaluated(alpha)
        rows = np.empty((len(phi) + len(changes), self.n))
        rows[: len(phi)] = phi
        _jacobian_rows(changes, c, rows[len(phi) :])
        return self.y - offset - c @ phi, rows


def _jacobian(changes: list[Array], c: Array, n: int) -> Array:
    """Return the columns Dₖ, shape (n, q)."""
    rows = np.empty((len(changes), n))
    _jacobian_rows(changes, c, rows)
    return rows.T


def _jacobian_rows(changes: list[Array], c: Array, into: Array) -> None:
    """Write Dₖ from the derivatives of offset and terms; a term of coefficient 0 has no say."""
    factors = np.concatenate([[1.0], c])
    used = factors != 0.0
    if not used.all():
        factors, changes = factors[used], [change[used] for change in changes]
    for k, change in enumerate(changes):
        np.matmul(factors, change, out=into[k])
