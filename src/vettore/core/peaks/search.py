"""How many peaks there are, and where: added one at a time where one more takes most of what is left.

1. A ladder of widths is drawn over the trace: at every place and width the gain of one more peak is that of its unit column
   less its part in the columns that are there, d²/‖·‖². The best few, told apart, are each refined with all others, roughly.
2. Then all are refined; a peak that explains little is taken out and put where one takes most, as long as the squares fall.
3. The number: one more peak, or two together, is taken as long as chance would not take so much from the squares (F test,
   times the number of places where peaks of their widths might stand, below ``CHANCE``). BIC is told of every number tried.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.columns.scatter import f_above
from vettore.core.peaks.numbers import outline
from vettore.core.peaks.trace import PeakTrace, State

# Places and widths of the ladder, and the broadest as a share of the span.
PLACES, WIDTHS, BROAD = 240, 10, 0.6
# Places are this part of a width apart; a column has to have so much that is not there yet.
APART, NOTHING_NEW = 6, 1e-6
# Narrow peaks are up to this share of the span.
NARROW = 0.1
# Candidates that are tried, and that a moved peak tries; where much hangs on it.
ADDED, MOVED, MOVED_WIDELY = 4, 3, 6
# How far outside the rows the top of a peak may lie that is told, and how broad it may be, in shares of their span.
SEEN_OUTSIDE, BROADEST_SEEN = 0.019, 1.0
# What a weak peak may be: so many of the least are moved.
WEAK = 3
# Rough refinement.
ROUGH, ROUGH_FALL = 12, 1e-4
# Quick refinement, to see what the others make up for where one is taken out.
QUICK, QUICK_FALL = 6, 1e-3
# Neighbours overlap whose tops are nearer than this share of their widths together.
OVERLAP = 0.6
# By how much of their widths they are begun farther apart.
APART_AGAIN = 0.25
# Squares have fallen where they are less by this share.
FALLS, FALLS_CLEARLY = 1e-5, 2e-3
# The probability at which one more peak is no chance; and up to which it is told that it might be.
CHANCE, PERHAPS, WORTH = 2e-3, 5e-2, 0.5
MOST = 40

GoOn = Callable[[int, float], bool]


@dataclass(frozen=True)
class Candidate:
    """A number of peaks that was tried: its squares, its BIC up to a constant, and how likely chance is beside fewer."""

    count: int
    sum_of_squares: float
    bic: float
    p: float | None


@dataclass(frozen=True)
class WidthRung:
    """Unit peaks of one width (n, places), weighted, and their squares."""

    width: float
    places: Array
    columns: Array
    full: Array


def rungs(trace: PeakTrace, state: State) -> list[WidthRung]:
    """Return the ladder of a trace, made once; where all peaks have one width, and there are some, only that."""
    if trace.equal and state.count:
        return [_rung(trace, math.exp(state.p[0, 1]))]
    if trace.ladder is None:
        low = max(2.5 * trace.step, math.exp(trace.low[1]))
        high = min(max(BROAD * trace.span, 2 * low), math.exp(trace.high[1]))
        trace.ladder = [_rung(trace, width) for width in np.geomspace(low, max(high, low), WIDTHS).tolist()]
    return trace.ladder


def _rung(trace: PeakTrace, width: float) -> WidthRung:
    x, apart = trace.x, max(len(trace.x) // PLACES, int(width / APART / trace.step), 1)
    places = x[::apart]
    places = places[(places >= trace.low[0]) & (places <= trace.high[0])]
    columns = trace.unit(np.concatenate([trace.no_peaks, *(trace.peak(place, width) for place in places.tolist())]))
    return WidthRung(width, places, columns, np.einsum("ij,ij->j", columns, columns))


def places_for_one(trace: PeakTrace, state: State, basis: Array, count: int) -> list[Array]:
    """Return the peaks (1, 2 + extras) that take most from the residuals by themselves, the best first."""
    best: list[tuple[float, float, float]] = []
    for rung in rungs(trace, state):
        inside = basis.T @ rung.columns
        rest = rung.full - np.einsum("ij,ij->j", inside, inside)
        # The residuals are already free of what is there.
        along = state.residual @ rung.columns
        useful = (rest > NOTHING_NEW * rung.full.max(initial=0.0)) & ((along > 0) | trace.negative)
        gain = np.where(useful, along**2 / np.where(useful, rest, 1.0), 0.0)
        near = np.concatenate([[0.0], gain, [0.0]])
        tops = np.flatnonzero((gain > 0) & (gain >= near[:-2]) & (gain >= near[2:]))
        best += [(float(gain[i]), float(rung.places[i]), rung.width) for i in tops.tolist()]
    best.sort(reverse=True)
    kept: list[tuple[float, float, float]] = []
    for one in best:
        if all(
            abs(one[1] - other[1]) > 0.25 * min(one[2], other[2]) or not 0.4 < one[2] / other[2] < 2.5
            for other in kept
        ):
            kept.append(one)
        if len(kept) == count:
            break
    return [trace.peak(place, width) for _, place, width in kept]


def with_one_more(trace: PeakTrace, state: State, tries: int = ADDED) -> State:
    """Return the best of several places for one more peak, all refined roughly; the same state where there is none."""
    _, basis = trace.solved(state.p)
    begun = places_for_one(trace, state, basis, tries)
    tried = [trace.refine(np.concatenate([state.p, one]), ROUGH, ROUGH_FALL) for one in begun]
    return min(tried, key=lambda item: item.squares, default=state)


def improved(trace: PeakTrace, state: State, places: int = MOVED) -> State:
    """Return the state after peaks that explain little were put where one takes most, as long as the squares fall."""
    while state.count:
        better: State | None = None
        left = [trace.refine(np.delete(state.p, i, axis=0), QUICK, QUICK_FALL) for i in range(state.count)]
        for without in sorted(left, key=lambda item: item.squares)[:WEAK]:
            moved = with_one_more(trace, without, places)
            if moved.count == state.count and moved.squares < state.squares * (1 - FALLS):
                moved = trace.refine(moved.p)
                if better is None or moved.squares < better.squares:
                    better = moved
        if better is None:
            better = _begun_otherwise(trace, state)
        if better is None:
            return state
        state = better
    return state


def _begun_otherwise(trace: PeakTrace, state: State) -> State | None:
    """Return the peaks after some were begun with other extras, as a lean to the other side, where the squares fall clearly.

    One peak, or two neighbours that overlap: what one of them gives up the other takes.
    """
    if not trace.others:
        return None
    order = np.argsort(state.p[:, 0], kind="stable").tolist()
    groups = [[i] for i in order]
    for i, j in itertools.pairwise(order):
        if state.p[j, 0] - state.p[i, 0] < OVERLAP * (math.exp(state.p[i, 1]) + math.exp(state.p[j, 1])):
            groups.append([i, j])
    for group in groups:
        for apart, extras in itertools.product(
            (0.0, APART_AGAIN)[: len(group)], itertools.product(trace.others, repeat=len(group))
        ):
            p = state.p.copy()
            p[group, 2:] = extras
            p[group[0], 0] -= apart * math.exp(p[group[0], 1])
            p[group[-1], 0] += apart * math.exp(p[group[-1], 1])
            other = trace.refine(p, ROUGH, ROUGH_FALL)
            if other.squares < state.squares * (1 - FALLS_CLEARLY):
                return trace.refine(other.p)
    return None


def placed(trace: PeakTrace, places: Sequence[float]) -> State:
    """Return peaks begun at places, each with the width of the ladder that takes most there."""
    state = trace.start()
    for place in places:
        ladder = np.geomspace(2.5 * trace.step, BROAD * trace.span, WIDTHS)
        tried = [trace.solved(np.concatenate([state.p, trace.peak(place, width)]))[0] for width in ladder.tolist()]
        state = min(tried, key=lambda item: item.squares)
    return trace.refine(state.p)


def of_count(trace: PeakTrace, begun: State, count: int, go_on: GoOn | None = None) -> State:
    """Return so many peaks, or as many as there is any place for, with those that are ``begun`` among them."""
    state = _added(trace, begun, count, go_on)
    return state if begun.count else min(state, _from_narrow(trace, count), key=_squares)


def _added(trace: PeakTrace, state: State, count: int, go_on: GoOn | None = None) -> State:
    for number in range(state.count + 1, count + 1):
        more = trace.refine(with_one_more(trace, state).p)
        if more.count == state.count:
            break
        state = more
        if go_on is not None and go_on(number, state.squares):
            break
    return improved(trace, state, MOVED_WIDELY)


def _from_narrow(trace: PeakTrace, count: int) -> State:
    """Return so many peaks, begun with narrow ones alone: broad ones take the place of a background, or of several."""
    known, high = trace.ladder, trace.high
    trace.ladder, trace.high = None, high.copy()
    trace.high[1] = max(math.log(NARROW * trace.span), trace.low[1])
    state = trace.start()
    for _ in range(count):
        state = with_one_more(trace, state)
    trace.ladder, trace.high = known, high
    return improved(trace, trace.refine(state.p)) if state.count == count else trace.start()


def _squares(state: State) -> float:
    return state.squares


def sought(
    trace: PeakTrace, begun: State, most: int = MOST, go_on: GoOn | None = None
) -> tuple[State, list[Candidate]]:
    """Return those ``begun`` and as many more peaks as chance would not have made, and what was tried."""
    n, each = len(trace.x), 1 + len(trace.low)
    state = taken = begun
    tried = [_candidate(trace, taken, None)]
    while state.count < most and n - each * (state.count + 1) - trace.background.shape[1] > 0:
        more = trace.refine(with_one_more(trace, state).p)
        if more.count == state.count:
            break
        state = improved(trace, more) if by_chance(trace, taken, more) < WORTH else more
        p = by_chance(trace, taken, state)
        if CHANCE <= p < WORTH:
            # Undecided: it may be that the peaks do not stand where they take most.
            state = improved(trace, state, MOVED_WIDELY)
            p = by_chance(trace, taken, state)
        if math.isfinite(state.squares):
            tried.append(_candidate(trace, state, p))
        if p < CHANCE and seen(trace, state):
            # What has its top outside the rows, or is broader than they are, is no peak that they tell; but of many peaks
            # the first that are found may be their sum.
            taken = state
        elif p >= CHANCE and state.count - taken.count >= 2:
            break
        if go_on is not None and go_on(state.count, state.squares):
            break
    if taken.count > begun.count and not begun.count:
        other = _from_narrow(trace, taken.count)
        taken = other if other.count == taken.count and other.squares < taken.squares else taken
    return taken, tried


def seen(trace: PeakTrace, state: State) -> bool:
    """Whether every peak has its top among the rows, or just outside, and is narrower than all of them."""
    aside = SEEN_OUTSIDE * trace.span
    for place, width, *extras in state.p:
        of = outline(trace.shape, extras)
        top = place + math.exp(width) * of.place
        if (
            not trace.x[0] - aside < top < trace.x[-1] + aside
            or math.exp(width) * of.width > BROADEST_SEEN * trace.span
        ):
            return False
    return True


def by_chance(trace: PeakTrace, fewer: State, more: State) -> float:
    """Return how likely chance takes so much from the squares by so many more peaks (F test)."""
    each = len(trace.low) + 1 - (1 if trace.equal else 0)
    extra, freedom = each * (more.count - fewer.count), len(trace.x) - each * more.count - trace.background.shape[1]
    if freedom < 1 or more.squares <= 0:
        return 0.0 if fewer.squares > more.squares else 1.0
    ratio = max(fewer.squares - more.squares, 0.0) / extra / (more.squares / freedom)
    # The peaks were looked for at every place where one of their width may stand.
    ways = 1.0
    for place, i in enumerate(weakest(trace, more)[: more.count - fewer.count], 1):
        ways *= max(trace.span / math.exp(more.p[i, 1]), 1.0) / place
    return min(float(f_above(ratio, extra, freedom)) * ways, 1.0)


def weakest(trace: PeakTrace, state: State) -> list[int]:
    """Return the peaks by what the squares rise without each, the others where they are; the least first."""
    rises = [trace.solved(np.delete(state.p, i, axis=0))[0].squares for i in range(state.count)]
    return [int(i) for i in np.argsort(rises, kind="stable")]


def _candidate(trace: PeakTrace, state: State, p: float | None) -> Candidate:
    terms = (len(trace.low) + 1) * state.count
    return Candidate(state.count, state.squares, bic_of(len(trace.x), state.squares, terms), p)


def bic_of(n: int, squares: float, terms: int) -> float:
    """Return Schwarz's criterion of n rows with so many coefficients, up to a constant of the rows."""
    return n * math.log(max(squares, 1e-300) / n) + terms * math.log(n)
