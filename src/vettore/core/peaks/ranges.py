"""Ranges of a peak's numbers by the likelihood: how far one goes while all else follows, until the squares speak against.

At a value q of a number Q(θ) the squares are made least under Q(θ) = q: each step is a Gauss–Newton step of all coefficients,
bent onto the constraint by its multiplier,

    δ = N⁻¹ (Jᵀr + λ g),   g·δ = q − Q(θ),   N = JᵀJ + damping,

and the end of the range is where √((S(q) − S)/s²) reaches the quantile, found by secants since that root is nearly straight.
Where overlapping peaks leave a number open on a side, no end is found, and there is none.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array
from vettore.core.peaks.numbers import Outlines
from vettore.core.peaks.shapes import PeakShape

# Steps at one value, and when they end; values tried for one end.
STEPS, STILL, SECANTS, NEAR = 30, 1e-3, 10, 5e-3
# A number is at its value within this share of it.
ON_IT = 1e-7
# A range that reaches so many standard errors is open.
OPEN = 25.0
DAMPING, HARDER, CALMER, TRIES = 1e-6, 8.0, 8.0, 10
# Whatever its standard error, a height, a width or an area does not change its sign.
SIGNED = (1, 2, 3)


class Likelihood:
    """The squares of rows (n,), weighted by ``root``, over peaks of one shape and a background of columns (n, b)."""

    def __init__(self, x: Array, y: Array, root: Array, shape: PeakShape, columns: Array) -> None:
        self.x, self.y, self.root, self.shape = x, y * root, root, shape
        self.columns = columns * root[:, None]
        self._each = 3 + len(shape.extras)
        self._outlines = Outlines(shape)

    def coefficients(self, theta: Array, peak: int) -> list[float]:
        """Return height, place, width and extras of a peak."""
        return [float(value) for value in theta[self._each * peak : self._each * (peak + 1)]]

    def _at(self, theta: Array) -> tuple[Array, Array]:
        """Return the residuals, and the slopes (n, m) of the curve."""
        count = (len(theta) - self.columns.shape[1]) // self._each
        value = self.columns @ theta[self._each * count :]
        slopes = np.empty((len(self.x), len(theta)))
        slopes[:, self._each * count :] = self.columns
        for peak in range(count):
            height, place, width, *extras = self.coefficients(theta, peak)
            u = (self.x - place) / width
            with np.errstate(all="ignore"):
                g, (by_u, *others) = self.shape.with_slopes(u, [np.full(len(u), extra) for extra in extras])
            parts = [g, -height * by_u / width, -height * by_u * u / width, *(height * other for other in others)]
            at = self._each * peak
            slopes[:, at : at + self._each] = np.nan_to_num(np.stack(parts, 1)) * self.root[:, None]
            value = value + height * g * self.root
        return self.y - value, slopes

    def _bounded(self, theta: Array) -> Array:
        """Return coefficients inside what shapes allow."""
        out = theta.copy()
        count = (len(theta) - self.columns.shape[1]) // self._each
        for peak in range(count):
            at = self._each * peak
            out[at + 2] = max(out[at + 2], 1e-12 * abs(theta[at + 2]) + 1e-300)
            for place, extra in enumerate(self.shape.extras):
                out[at + 3 + place] = min(max(out[at + 3 + place], extra.low), extra.high)
        return out

    def least(self, theta: Array, peak: int, number: int, q: float, unit: float) -> tuple[float, Array]:
        """Return the least squares where a number of a peak is q, and the coefficients there; infinite where there is none."""
        at = self._each * peak
        residual, slopes = self._at(theta)
        squares, damping = float(residual @ residual), DAMPING
        for _ in range(STEPS):
            own = self.coefficients(theta, peak)
            g = np.zeros(len(theta))
            g[at : at + self._each] = self._outlines.slopes(own)[number]
            gap = q - float(self._outlines.numbers(own)[number])
            normal, right = slopes.T @ slopes, slopes.T @ residual
            size = np.sqrt(np.maximum(np.diag(normal), 1e-300))
            normal, right, constraint = normal / np.outer(size, size), right / size, g / size
            # Extras at their limits stay there.
            stuck = self._stuck(theta, right)
            moved = None
            for _ in range(TRIES):
                free = ~stuck
                matrix = normal[np.ix_(free, free)] + damping * np.eye(int(free.sum()))
                try:
                    both = np.linalg.solve(matrix, np.stack([right[free], constraint[free]], 1))
                except np.linalg.LinAlgError:
                    damping *= HARDER
                    continue
                along = float(constraint[free] @ both[:, 1])
                multiplier = (gap - float(constraint[free] @ both[:, 0])) / along if along > 0 else 0.0
                step = np.zeros(len(theta))
                step[free] = (both[:, 0] + multiplier * both[:, 1]) / size[free]
                there = self._bounded(theta + step)
                its_residual, its_slopes = self._at(there)
                its_squares = float(its_residual @ its_residual)
                # On the way to the constraint the squares may rise; once there they fall.
                if math.isfinite(its_squares) and (abs(gap) > ON_IT * abs(q) or its_squares <= squares * (1 + 1e-9)):
                    moved = there
                    break
                damping *= HARDER
            if moved is None:
                break
            settled = abs(its_squares - squares) <= STILL * unit and abs(gap) <= ON_IT * abs(q)
            theta, residual, slopes, squares = moved, its_residual, its_slopes, its_squares
            damping = max(damping / CALMER, DAMPING)
            if settled:
                break
        reached = float(self._outlines.numbers(self.coefficients(theta, peak))[number])
        return (squares, theta) if abs(reached - q) <= 1e-6 * abs(q) + 1e-300 else (math.inf, theta)

    def _stuck(self, theta: Array, pull: Array) -> np.ndarray:
        out = np.zeros(len(theta), dtype=np.bool_)
        count = (len(theta) - self.columns.shape[1]) // self._each
        for peak in range(count):
            for place, extra in enumerate(self.shape.extras):
                at = self._each * peak + 3 + place
                out[at] = (theta[at] <= extra.low and pull[at] < 0) or (theta[at] >= extra.high and pull[at] > 0)
        return out

    def ends(
        self, theta: Array, peak: int, number: int, error: float, reach: float, unit: float
    ) -> tuple[float | None, float | None]:
        """Return the range of a number with a standard error ``error``: ``reach`` is the quantile, ``unit`` the variance."""
        value = float(self._outlines.numbers(self.coefficients(theta, peak))[number])
        residual, _ = self._at(theta)
        lowest = float(residual @ residual)
        return tuple(  # type: ignore[return-value]
            self._end(theta, (peak, number, value), side * error, reach, (lowest, unit)) for side in (-1.0, 1.0)
        )

    def _end(
        self, theta: Array, which: tuple[int, int, float], step: float, reach: float, scale: tuple[float, float]
    ) -> float | None:
        peak, number, value = which
        lowest, unit = scale
        # Distances in standard errors from the answer, and the roots of what the squares rise there.
        inner, at_inner, there = 0.0, 0.0, theta
        outer, at_outer = math.inf, math.inf
        distance = reach
        for _ in range(SECANTS):
            q = value + distance * step
            if number in SIGNED and q * value <= 0:
                # Half of what is left.
                q = (value + inner * step) / 2
                distance = (q - value) / step
            squares, found = self.least(there, peak, number, q, unit)
            root = math.sqrt(max(squares - lowest, 0.0) / unit) if math.isfinite(squares) else math.inf
            if abs(root - reach) <= NEAR * reach:
                return q
            if root < reach:
                inner, at_inner, there = distance, root, found
                if distance >= OPEN * reach or (number in SIGNED and abs(q) < 1e-4 * abs(value)):
                    return None
            else:
                outer, at_outer = distance, root
            if math.isinf(at_outer):
                guess = distance * reach / max(root, 0.25 * reach) if math.isinf(outer) else (inner + outer) / 2
                distance = min(max(guess, 1.002 * inner), OPEN * reach)
            else:
                share = (reach - at_inner) / (at_outer - at_inner)
                distance = inner + min(max(share, 0.02), 0.98) * (outer - inner)
        return value + distance * step


def overlapping(errors: Sequence[float], values: Sequence[float], most: float) -> bool:
    """Whether a peak is known so roughly that its ranges are not those of a straight line."""
    return any(
        not math.isfinite(error) or error > most * abs(value)
        for error, value in zip(errors[1:], values[1:], strict=True)
    )
