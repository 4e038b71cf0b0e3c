"""The peaks that a request asks for in rows, and the background beside them: where the fit begins."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.record import Noise
from vettore.core.peaks.backgrounds import (
    MOST_KNOTS,
    SMOOTH,
    Background,
    knots_of,
    most_knots,
    plain,
    read_background,
    started,
)
from vettore.core.peaks.request import PeaksRequest
from vettore.core.peaks.search import CHANCE, Candidate, bic_of, by_chance, of_count, placed, sought, weakest
from vettore.core.peaks.trace import BROADEST, NARROWEST, PeakTrace, State

# More rows than this are looked at as the means of neighbours.
LOOKED_AT = 3_000
# Turns in which a background that is a formula and the peaks settle beside each other.
TURNS, SETTLED = 12, 1e-6
# On a smooth background a peak is narrower than this share of the span.
GROUND = 0.25
# A row counts as away from all peaks where they come to less than this share of the highest.
AWAY = 0.01
# Neighbours over which counts are averaged to tell how they scatter.
NEIGHBOURS = 9


def roots_of(y: Array, sigma: Array | None, noise: str) -> Array | None:
    """Return the roots of the weights for the search (n,), as far as they are known beforehand."""
    if sigma is not None:
        return np.asarray(1 / sigma)
    if noise != Noise.POISSON:
        return None
    kernel = np.ones(min(NEIGHBOURS, len(y)))
    level = np.convolve(y, kernel, "same") / np.convolve(np.ones(len(y)), kernel, "same")
    return np.asarray(1 / np.sqrt(np.maximum(level, 1.0)))


@dataclass(frozen=True, eq=False)
class Beginning:
    """What is asked of rows (n,) by rising x, weighted by ``root`` (n,)."""

    request: PeaksRequest
    x: Array
    y: Array
    root: Array | None

    def thinned(self) -> Beginning:
        """Return rows for the search: the means of as many neighbours as leave no more than are looked at."""
        by = math.ceil(len(self.x) / LOOKED_AT)
        if by == 1:
            return self
        edges = np.arange(0, len(self.x), by)
        weights = np.ones(len(self.x)) if self.root is None else self.root**2
        total = np.add.reduceat(weights, edges)
        x, y = (np.add.reduceat(values * weights, edges) / total for values in (self.x, self.y))
        return replace(self, x=x, y=y, root=np.sqrt(total))

    def begun(self) -> tuple[State, list[Candidate], Background]:
        """Return the peaks, the numbers that were tried, and the background."""
        request, x = self.request, self.x
        written = read_background(request.background, x, request.names[0])
        if written is None:
            if request.background != SMOOTH:
                ground = self.plain(request.background)
                return (*self._searched(ground), ground)
            return self._on_smooth()
        # Peaks on a parabola tell which rows are away from all of them; there the formula begins.
        parabola = self.plain("parabola")
        state, _ = self._searched(parabola)
        ground = started(written, x, self.y, _away(self.trace(parabola), state))
        state, tried = self._searched(ground)
        state, ground = self._settled(state, ground)
        while request.count is None and state.count > 1:
            # A peak that only made up for what the background was not yet is taken out again.
            trace = self.trace(ground)
            weak = weakest(trace, state)[0]
            fewer = replace(state, p=np.delete(state.p, weak, axis=0))
            fewer, its_ground = self._settled(fewer, ground)
            p = by_chance(trace, fewer, state)
            if p < CHANCE:
                break
            tried = [replace(item, p=p) if item.count == state.count else item for item in tried]
            state, ground = fewer, its_ground
        return state, tried, ground

    def plain(self, kind: str, knots: tuple[float, ...] = ()) -> Background:
        """Return a background that is no formula of the user's own."""
        return plain(kind, self.x, knots, self.request.names[0])

    def _settled(self, state: State, ground: Background) -> tuple[State, Background]:
        """Return peaks and a background that is a formula after each was refined beside the other."""
        before = math.inf
        for _ in range(TURNS):
            state = self.trace(ground).refine(state.p)
            ground = ground.settled(self.x, state.c[state.count :])
            if abs(before - state.squares) <= SETTLED * state.squares:
                break
            before = state.squares
        return state, ground

    def _on_smooth(self) -> tuple[State, list[Candidate], Background]:
        """Return the peaks on a spline of as many pieces as BIC takes, none as short as the broadest peak."""
        x = self.x
        best: tuple[float, State, list[Candidate], Background] | None = None
        worse = 0
        for count in range(MOST_KNOTS + 1):
            ground = self.plain(SMOOTH, knots_of(x, count))
            state, tried = self._searched(ground)
            if count > most_knots(x, float(np.exp(state.p[:, 1]).max(initial=0.0))):
                continue
            each = len(self.request.shape.extras) + 3
            terms = ground.columns.shape[1] + each * state.count
            bic = bic_of(len(x), state.squares, terms)
            worse = worse + 1 if best is not None and bic > best[0] else 0
            if not worse:
                best = bic, state, tried, ground
            if worse == 2:
                break
        assert best is not None
        return best[1:]

    def trace(self, ground: Background) -> PeakTrace:
        """Return the rows with the columns of a background."""
        request = self.request
        return PeakTrace(
            self.x,
            self.y - ground.offset,
            self.root,
            ground.columns,
            request.shape,
            negative=request.negative,
            equal=request.equal_widths,
            places=request.of_all("place"),
            widths=request.of_all("width") or widths_of(request, self.x),
        )

    def _searched(self, ground: Background) -> tuple[State, list[Candidate]]:
        request, trace = self.request, self.trace(ground)
        begun = placed(trace, request.places) if request.places else trace.start()
        if request.count is None:
            return sought(trace, begun, request.most, request.progress)
        return of_count(trace, begun, request.count, request.progress), []


def widths_of(request: PeaksRequest, x: Array) -> tuple[float, float]:
    """Return between what widths peaks are looked for: on a smooth background those as broad as it bends are part of it."""
    span = float(x[-1] - x[0])
    return NARROWEST * span / max(len(x) - 1, 1), (GROUND if request.background == SMOOTH else BROADEST) * span


def _away(trace: PeakTrace, state: State) -> Array:
    peaks = (trace.unit(state.p) / trace.root[:, None]) @ state.heights if state.count else np.zeros(len(trace.x))
    return np.asarray(np.abs(peaks) <= AWAY * np.abs(peaks).max(initial=0.0) + 1e-300)
