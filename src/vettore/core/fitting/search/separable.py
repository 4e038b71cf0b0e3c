"""A model split into what is linear and what is not, and its projection (Golub & Pereyra 1973).

    f(α, c) = φ₀(α) + Φ(α) c,     r(α) = P⊥(α) (y − φ₀(α)),     P⊥ = I − Q Qᵀ,  Φ = Q R

For every α the best c follows from linear least squares, so only α is searched for. Kaufman's (1975) Jacobian
of the projected residual leaves out a term that is small near the answer:

    ∂r/∂αₖ ≈ −P⊥ Dₖ,     Dₖ = ∂φ₀/∂αₖ + Σⱼ cⱼ ∂φⱼ/∂αₖ

Rows carry √w throughout.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from vettore.core.arrays import Array, Rows, finite
from vettore.core.fitting.linear.orthogonal import column_sizes, solve_upper, told_apart, triangle
from vettore.core.fitting.prepared import Prepared
from vettore.core.pauses import pause

# Rows evaluated at a time.
PIECE = 16_384
# Columns of Φ below this share of the largest cannot be told apart from the others at this α.
DEPENDENT = 1e-12


class Projected(NamedTuple):
    """The projected problem at one α: the best ``c`` (p,), the sum of squares, and what a step needs of the rest.

    ``root`` (≤ q, q) is R of the Jacobian −∂r/∂α, ``slope`` (≤ q,) as many entries of Qᵀr. ``whole`` is R of Φ and D
    together, with Qᵀ of what is left of y beside them; None where columns of Φ depend on others.
    """

    c: Array
    squares: float
    root: Array
    slope: Array
    whole: Array | None


class Separable:
    """A separable problem over fixed rows; ``given`` holds the columns and the held coefficients.

    ``low`` and ``high``, of shape (q,), bound α. Warnings of arithmetic are the caller's to silence.
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

    @cached_property
    def low(self) -> Array:
        """The lower limits of α."""
        return np.array([self.limits.get(name, (-np.inf, np.inf))[0] for name in self.parts.nonlinear])

    @cached_property
    def high(self) -> Array:
        """The upper limits of α."""
        return np.array([self.limits.get(name, (-np.inf, np.inf))[1] for name in self.parts.nonlinear])

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

    @cached_property
    def _evaluated(self) -> Callable[[Array], list[Any]]:
        """Gives offset, terms and their derivatives at an α, each a number or of shape (n,)."""
        free, changes = self.parts.nonlinear, self.model.changes
        if self.n <= PIECE:
            return changes.bound(self.given, free)
        pieces = [slice(at, min(at + PIECE, self.n)) for at in range(0, self.n, PIECE)]
        runs = [
            changes.bound({name: v[piece] if np.ndim(v) else v for name, v in self.given.items()}, free)  # type: ignore[index]
            for piece in pieces
        ]

        def run(alpha: Array) -> list[Any]:
            parts = zip(*(run(alpha) for run in runs), strict=True)
            return [np.concatenate(part) if np.ndim(part[0]) else part[0] for part in parts]

        return run

    def _columns(self, items: list[Any], phi: Array, target: Array) -> None:
        """Write Φᵀ (p, n), and y less the offset (n,)."""
        offset = items[0]
        for row, value in zip(phi, items[1:], strict=False):
            row[...] = value
        if self.root_weights is not None:
            phi *= self.root_weights
            offset = offset * self.root_weights
        np.subtract(self.y, offset, out=target)

    def _slopes(self, items: list[Any], c: Array, into: Array) -> None:
        """Write Dₖ as rows (q, n); a term of coefficient 0 has no say."""
        factors = [1.0, *c.tolist()]
        for row, places in zip(into, self.model.slopes, strict=True):
            begun = False
            for j, place, sign in places:
                if factors[j] == 0.0:
                    continue
                if begun:
                    row += items[place] * (sign * factors[j])
                else:
                    np.multiply(items[place], sign * factors[j], out=row)
                    begun = True
            if not begun:
                row[...] = 0.0
        flat = into.reshape(-1)
        # The product with itself is NaN where anything is, and quicker than a sum.
        if np.isnan(flat @ flat) and self._mended(items):
            self._slopes(items, c, into)
        elif self.root_weights is not None:
            into *= self.root_weights

    def _mended(self, items: list[Any]) -> bool:
        """Put 0 for derivatives without a value, and tell whether there were any.

        Such as 0^n·ln 0, where the curve is 0 whatever n: the derivative is 0 in the limit.
        """
        gaps = False
        for place in range(1 + len(self.parts.terms), len(items)):
            gap = np.isnan(items[place])
            if gap.any():
                items[place] = np.where(gap, 0.0, items[place])
                gaps = True
        return gaps

    def squares(self, alphas: Array) -> Array:
        """Return the projected sums of squares at many α, shape (starts, q), as (starts,); inf where there is none."""
        shape = (len(alphas), self.n)

        def stacked(value: Any) -> Array:
            table = np.broadcast_to(np.asarray(value, dtype=np.float64), shape)
            return table.copy() if self.root_weights is None else table * self.root_weights

        with np.errstate(all="ignore"):
            curve = self.model.curve.bound(self.given, self.parts.nonlinear)
            offset, *terms = curve(alphas[:, k : k + 1] for k in range(alphas.shape[1]))
            rest = self.y - stacked(offset)
            bases: list[Array] = []
            for term in terms:
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
        pause()
        items = self._evaluated(alpha)
        return (self._at_once(items) if self.model.factors is not None else None) or self._by_turns(items)

    def _at_once(self, items: list[Any]) -> Projected | None:
        """Return it where each Dₖ is c times one derivative: a factor of a column is one of the column of R, too.

        None where this does not do: for derivatives with gaps and columns that cannot be told apart.
        """
        p, factors = len(self.parts.terms), self.model.factors or ()
        m = p + len(factors)
        rows = np.empty((m + 1, self.n))
        self._columns(items, rows[:p], rows[m])
        for row, (_, place, _) in zip(rows[p:m], factors, strict=True):
            row[...] = items[place]
        if self.root_weights is not None:
            rows[p:m] *= self.root_weights
        whole = triangle(rows)
        if self.n <= p or not finite(whole) or not told_apart(whole[:p, :p], DEPENDENT):
            return None
        c = solve_upper(whole[:p, :p], whole[:p, m]) if p else np.empty(0)
        for column, (j, _, sign) in zip(whole.T[p:m], factors, strict=True):
            column *= sign * c[j - 1] if j else sign
        return _projected(c, whole[p:, p:], whole)

    def _by_turns(self, items: list[Any]) -> Projected | None:
        """Return it by the QR of Φ first, and then that of Φ, D and what is left of y, which has it in its corner."""
        p, q = len(self.parts.terms), len(self.parts.nonlinear)
        rows = np.empty((p + q + 1, self.n))
        self._columns(items, rows[:p], rows[p + q])
        solved = self._solve(rows[:p], rows[p + q])
        if solved is None:
            return None
        c, basis = solved
        self._slopes(items, c, rows[p : p + q])
        if basis is None:
            whole = triangle(rows)
            return _projected(c, whole[p:, p:], whole) if finite(whole) else None
        corner = triangle(rows[p:] - (rows[p:] @ basis) @ basis.T)
        return _projected(c, corner, None) if finite(corner) else None

    def _solve(self, phi: Array, target: Array) -> tuple[Array, Array | None] | None:
        """Return the best c for Φᵀ (p, n), or None without a finite value.

        Beside it, where columns depend on others (which then get their share), an orthonormal basis of Φ (n, ≤ p).
        """
        p = len(phi)
        if not p:
            return np.empty(0), None
        whole = triangle(np.concatenate([phi, target[None]]))
        if not finite(whole):
            return None
        if self.n > p and told_apart(whole[:p, :p], DEPENDENT):
            return solve_upper(whole[:p, :p], whole[:p, p]), None
        norms = column_sizes(whole[:p, :p])
        norms = np.where(norms > 0, norms, 1.0)
        u, s, v = np.linalg.svd((phi / norms[:, None]).T, full_matrices=False)
        kept = s > DEPENDENT * s[0]
        basis = u[:, kept]
        return v[kept].T @ ((basis.T @ target) / s[kept]) / norms, basis

    def joint(self, alpha: Array, c: Array) -> tuple[Array, Array]:
        """Return the residual (n,), and the derivatives of f by (c, α) as rows (p + q, n)."""
        residual, rows = np.empty(self.n), np.empty((len(c) + len(alpha), self.n))
        self.joint_into(alpha, c, residual, rows)
        return residual, rows

    def residual_into(self, alpha: Array, c: Array, residual: Array) -> None:
        """Write the residual of joint without working out any derivative."""
        offset, *terms = self.model.curve.bound(self.given, self.parts.nonlinear)(alpha)
        np.subtract(self.plain_y, offset, out=residual)
        for factor, term in zip(c, terms, strict=True):
            residual -= factor * term
        if self.root_weights is not None:
            residual *= self.root_weights

    def joint_into(self, alpha: Array, c: Array, residual: Array, rows: Array) -> None:
        """Write the residual and the derivatives of joint."""
        p = len(c)
        items = self._evaluated(alpha)
        self._columns(items, rows[:p], residual)
        if p:
            residual -= c @ rows[:p]
        self._slopes(items, c, rows[p:])


def _projected(c: Array, corner: Array, whole: Array | None) -> Projected:
    q = corner.shape[1] - 1
    rest = corner[:, q]
    return Projected(c, float(rest @ rest), corner[:q, :q], rest[:q], whole)
