"""A trace with peaks of one shape on a background: heights and background are linear, so only places and widths are searched.

With A the unit peaks and the background at given places and widths, the heights are those of least squares and the residuals
r = y − A A⁺ y; their slopes by places and widths are taken as those of the peaks less their part in A (variable projection;
Kaufman 1975), and the squares fall by damped Gauss–Newton steps (Marquardt 1963).
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from scipy.linalg.lapack import dtrtrs

from vettore.core.arrays import Array
from vettore.core.peaks.shapes import PeakShape

# The narrowest width in steps of x, the broadest as a share of the span, and how far outside a top may lie.
NARROWEST, BROADEST, OUTSIDE = 1.2, 1.2, 0.02
# Columns apart from the others, and singular values, below this share of the largest say nothing.
NOTHING = 1e-11
# Other extras are tried at these shares of what they may be.
OTHERWISE = (0.25, 0.75)
# Damping: at the start, its least, how it falls and grows, and how often a step is tried.
DAMPING, LEAST_DAMPING, CALMER, HARDER, TRIES = 1e-3, 1e-10, 8.0, 6.0, 9


@dataclass(frozen=True)
class State:
    """Peaks p (k, 2 + extras) of place, ln of width and extras, their heights and the background c, and what is left."""

    p: Array
    c: Array
    squares: float
    residual: Array = field(repr=False)

    @property
    def count(self) -> int:
        return len(self.p)

    @property
    def heights(self) -> Array:
        return self.c[: len(self.p)]


class PeakTrace:
    """Rows (n,) by rising x, weighted by ``root`` (n,), with the columns of the background (n, b)."""

    def __init__(
        self,
        x: Array,
        y: Array,
        root: Array | None,
        background: Array,
        shape: PeakShape,
        *,
        negative: bool = False,
        equal: bool = False,
        places: tuple[float, float] | None = None,
        widths: tuple[float, float] | None = None,
    ) -> None:
        self.x, self.shape, self.negative, self.equal = x, shape, negative, equal
        self.root = np.ones(len(x)) if root is None else root
        self.y = y * self.root
        self.background = background * self.root[:, None]
        self.span = float(x[-1] - x[0])
        self.step = self.span / max(len(x) - 1, 1)
        low, high = places or (x[0] - OUTSIDE * self.span, x[-1] + OUTSIDE * self.span)
        narrow, broad = widths or (NARROWEST * self.step, BROADEST * self.span)
        extras = shape.extras
        self.low = np.array([low, np.log(narrow), *(extra.low for extra in extras)])
        self.high = np.array([high, np.log(broad), *(extra.high for extra in extras)])
        self.begin = [extra.start for extra in extras]
        # What extras a peak may be begun with instead.
        self.others = [
            [extra.low + share * (extra.high - extra.low) for extra in extras]
            for share in (OTHERWISE if extras else ())
        ]
        # Kept by the search.
        self.ladder: list[Any] | None = None

    def peak(self, place: float, width: float) -> Array:
        """Return a peak (1, 2 + extras) to begin with."""
        return np.array([[place, np.log(width), *self.begin]])

    @property
    def no_peaks(self) -> Array:
        return np.empty((0, len(self.low)))

    def unit(self, p: Array) -> Array:
        """Return the peaks of height 1 (n, k), weighted."""
        with np.errstate(all="ignore"):
            g = self.shape.unit((self.x[:, None] - p[:, 0]) * np.exp(-p[:, 1]), *p[:, 2:].T)
        return np.asarray(g) * self.root[:, None]

    def with_slopes(self, p: Array) -> list[Array]:
        """Return by place, by ln of width and by each extra, (n, k) each, weighted."""
        by_width = np.exp(-p[:, 1])
        u = (self.x[:, None] - p[:, 0]) * by_width
        with np.errstate(all="ignore"):
            _, (by_u, *others) = self.shape.with_slopes(u, list(p[:, 2:].T))
        slopes = [-by_u * by_width, -by_u * u, *others]
        return [np.nan_to_num(slope) * self.root[:, None] for slope in slopes]

    def solved(self, p: Array) -> tuple[State, Array]:
        """Return the state with these peaks and the best heights and background, and a basis of the columns."""
        columns = np.hstack([self.unit(p), self.background])
        size = np.linalg.norm(columns, axis=0)
        size[size == 0] = 1.0
        q, r = np.linalg.qr(columns / size)
        part, diagonal = q.T @ self.y, np.abs(np.diag(r))
        if len(diagonal) and diagonal.min() > NOTHING * diagonal.max():
            c = dtrtrs(r, part)[0] / size
        else:
            q, s, vt = np.linalg.svd(columns / size, full_matrices=False)
            keep = s > NOTHING * s.max(initial=0.0)
            q = q[:, keep]
            part = q.T @ self.y
            c = (vt[keep].T @ (part / s[keep])) / size
        residual = self.y - q @ part
        return State(p, c, float(residual @ residual), residual), q

    def start(self) -> State:
        """Return the background alone."""
        return self.solved(self.no_peaks)[0]

    def refine(self, p: Array, rounds: int = 60, tolerance: float = 1e-8) -> State:
        """Return the nearest least of the squares from peaks p; infinite squares where one would point down unasked."""
        state = self._refined(p, rounds, tolerance)
        if not self.negative and bool((state.heights < 0).any()):
            return replace(state, squares=math.inf)
        return state

    def _refined(self, p: Array, rounds: int, tolerance: float) -> State:
        p = np.clip(p, self.low, self.high)
        if self.equal and len(p):
            p[:, 1] = p[:, 1].mean()
        state, basis = self.solved(p)
        damping, count, width = DAMPING, len(p), len(self.low)
        if not count:
            return state
        for _ in range(rounds):
            jacobian = np.stack(self.with_slopes(state.p), axis=2) * state.heights[None, :, None]
            if self.equal:
                # One width is that of all peaks.
                jacobian[:, 0, 1] = jacobian[:, :, 1].sum(axis=1)
                jacobian[:, 1:, 1] = 0.0
            flat = jacobian.reshape(len(self.x), count * width)
            flat = flat - basis @ (basis.T @ flat)
            normal, right = flat.T @ flat, flat.T @ state.residual
            diagonal = np.diag(normal)
            diagonal = np.maximum(diagonal, 1e-14 * max(float(diagonal.max(initial=0.0)), 1e-300))
            found = None
            for _ in range(TRIES):
                move = np.linalg.solve(normal + damping * np.diag(diagonal), right).reshape(count, width)
                if self.equal:
                    move[:, 1] = move[0, 1]
                there, its_basis = self.solved(np.clip(state.p + move, self.low, self.high))
                if there.squares < state.squares and self._allowed(there, state):
                    found = there, its_basis
                    break
                damping *= HARDER
            if found is None:
                return state
            fall = (state.squares - found[0].squares) / state.squares if state.squares else 0.0
            state, basis = found
            damping = max(damping / CALMER, LEAST_DAMPING)
            if fall < tolerance:
                break
        return state

    def _allowed(self, there: State, before: State) -> bool:
        """Whether no peak that stood up turns over."""
        return self.negative or not bool(((there.heights < 0) & (before.heights >= 0)).any())
