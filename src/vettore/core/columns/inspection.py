"""What deserves a look in a series: gaps, repeats, order, rows far from their neighbours, saturation.

Each finding is a fact with its rows (counted from 0); ``vettore/words/findings.py`` has the sentences, and what to do
about it is the user's choice.

*Far off.* At each x the value expected from its neighbours is that of the cubic through the two points on
either side (repeats of x by their median). The distance is the miss divided by a robust local scale:
1.4826 times the median miss of the nine points on either side, so that noise may change along x.
Repeats are compared with their own median in the same way.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vettore.core.arrays import Array, Mask, Rows

# Distances are robust standard deviations; normal noise passes this once in some millions of rows.
FAR = 5.0
# More rows than this are no outliers but another shape.
MOST_CULPRITS = 8
FEWEST_FOR_NEIGHBOURS = 9
NEAREST = 9
# Windows of so many rows are looked at at a time, to keep memory small.
BLOCK = 8192
# In longer series single rows far from their neighbours are not looked for.
MOST_ROWS = 200_000
# A miss below this share of the range of y cannot be seen, however small the scatter.
SMALLEST_VISIBLE = 0.02
TO_SIGMA = 1.4826
# x counts as regular when this share of its steps equal the median step, give or take STEP_SLACK.
REGULAR_SHARE = 0.8
STEP_SLACK = 0.02
# Equal values at an extreme are saturation from this many rows, and this share of all, on.
FEWEST_SATURATED = 4
SATURATED_SHARE = 0.03


class Remedy(StrEnum):
    """What can be offered about a finding."""

    NONE = ""
    SET_ASIDE = "Set aside"
    SORT = "Sort by x"
    AVERAGE = "Average repeats"
    OTHER_READING = "Read it the other way"


class FindingKind(StrEnum):
    """What was found."""

    # About y over x.
    FAR_OFF = "far from its neighbours"
    REPEATED_X = "one x repeated"
    REPEATED_XS = "several x repeated"
    NO_ORDER = "no order"
    GOES_BACK = "goes back"
    GAPS = "gaps"
    AT_LARGEST = "many at the largest"
    AT_SMALLEST = "many at the smallest"
    # About one column.
    BLANK = "worked column without values"
    SAID_IN_FILE = "said when read"
    TWO_READINGS = "two readings of a mark"
    ENDS_EARLY = "ends early"
    NOT_NUMBERS = "cells that are no numbers"
    NO_NUMBER = "rows without a number"
    OTHER_MARK = "another decimal mark"


@dataclass(frozen=True)
class Finding:
    """Something to look at; ``rows`` are counted from 0, ``column`` is the place of the column it is about, if one.

    ``figures`` are the numbers it rests on, ``said`` what was said of the column when it was read.
    """

    kind: FindingKind
    rows: tuple[int, ...] = ()
    figures: tuple[float, ...] = ()
    remedy: Remedy = Remedy.NONE
    column: int = -1
    remark: str = ""


def what_to_look_at(x: Array, y: Array, in_use: Mask) -> list[Finding]:
    """Return the findings about y over x, shape (n,) each, of the rows in use."""
    rows = np.flatnonzero(in_use)
    if len(rows) < 2:
        return []
    xs, ys = x[rows], y[rows]
    findings = [_far_off(xs, ys, rows), _repeats(xs, rows), _order(xs, rows), _gaps(xs, rows), _saturated(ys, rows)]
    return [finding for finding in findings if finding is not None]


def distances(x: Array, y: Array) -> Array:
    """Return how far each row lies from what its neighbours tell, in robust standard deviations; shape (n,)."""
    out = np.zeros(len(x))
    places, which, counts = np.unique(x, return_inverse=True, return_counts=True)
    order = np.lexsort((y, which))
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    middle = (y[order][starts + (counts - 1) // 2] + y[order][starts + counts // 2]) / 2
    if (counts > 1).sum() >= 3:
        miss = np.abs(y - middle[which])
        # Of a repeated x one row is the median itself, so zero misses tell nothing about the scatter.
        scatter = TO_SIGMA * float(np.median(miss[(counts[which] > 1) & (miss > 0)])) if (miss > 0).any() else 0.0
        if scatter > 0:
            out = np.where(counts[which] > 1, miss / scatter, 0.0)
    if len(places) >= FEWEST_FOR_NEIGHBOURS:
        out = np.maximum(out, np.where(counts[which] == 1, _from_neighbours(places, middle)[which], 0.0))
    return out


def _from_neighbours(x: Array, y: Array) -> Array:
    """Return the distances of rows with rising, different x.

    A far-off row spoils what is expected of its neighbours, too. So the rows around the largest distance are
    left out in turn, the one without which the others fit best is the culprit, and the search goes on without it.
    """
    left = np.arange(len(x))
    culprits: dict[int, float] = {}
    values = _misses(x, y)
    while len(culprits) < MOST_CULPRITS and len(left) > FEWEST_FOR_NEIGHBOURS and values.max() > FAR:
        top = int(np.argmax(values))
        group = [k for k in range(max(top - 2, 0), min(top + 3, len(left))) if values[k] > FAR / 2]
        rests = []
        for k in group:
            near = slice(max(k - 12, 0), k + 13)
            kept = np.delete(left[near], k - max(k - 12, 0))
            rests.append(float(np.sort(_misses(x[kept], y[kept]))[-5:].sum()) if len(kept) >= 5 else np.inf)
        culprit = group[int(np.argmin(rests))]
        culprits[int(left[culprit])] = max(float(values[culprit]), float(values[top]))
        left, values = np.delete(left, culprit), np.delete(values, culprit)
        # Only the rows around see a difference.
        start = max(culprit - 4 * NEAREST, 0)
        near = slice(start, culprit + 4 * NEAREST)
        again = _misses(x[left[near]], y[left[near]])
        inner = slice(max(culprit - 2 * NEAREST, 0), min(culprit + 2 * NEAREST, len(left)))
        values[inner] = again[inner.start - start : inner.stop - start]
    out = np.zeros(len(x))
    out[left] = np.minimum(values, FAR)
    for place, distance in culprits.items():
        out[place] = distance
    return out


def _misses(x: Array, y: Array) -> Array:
    """Return how far each row lies from the cubic through its neighbours, in local robust standard deviations."""
    n = len(x)
    i = np.arange(2, n - 2)
    around = np.stack([i - 2, i - 1, i + 1, i + 2])
    xs, ys = x[around], y[around]
    expected = np.zeros(len(i))
    gain = np.ones(len(i))
    for j in range(4):
        weight = np.ones(len(i))
        for k in range(4):
            if k != j:
                weight *= (x[i] - xs[k]) / (xs[j] - xs[k])
        expected += weight * ys[j]
        gain += weight**2
    # Uneven steps carry more of the neighbours' own noise into what is expected; the miss is scaled down by it.
    miss = np.abs(y[i] - expected) / np.sqrt(gain)
    # The scatter comes from the rows around, without the two on either side that a far-off row spoils.
    half = min(NEAREST, len(miss))
    wide = np.pad(miss, half, constant_values=float(np.median(miss)))
    windows = np.lib.stride_tricks.sliding_window_view(wide, 2 * half + 1)
    local = np.empty(len(miss))
    for start in range(0, len(miss), BLOCK):
        part = np.delete(windows[start : start + BLOCK], np.s_[half - 2 : half + 3], axis=1)
        local[start : start + BLOCK] = np.median(part, axis=1)
    scale = TO_SIGMA * np.maximum(local, np.median(miss) * 0.5)
    scale = np.maximum(scale, 1e-12 * float(np.max(np.abs(y))) + np.finfo(np.float64).tiny)
    visible = np.abs(y[i] - expected) > SMALLEST_VISIBLE * np.ptp(y)
    out = np.zeros(n)
    out[i] = np.where(visible, miss / scale, 0.0)
    return out


def _far_off(x: Array, y: Array, rows: Rows) -> Finding | None:
    if len(x) > MOST_ROWS:
        return None
    distance = distances(x, y)
    far = np.flatnonzero(distance > FAR)
    if not len(far) or len(far) > max(3, 0.05 * len(rows)):
        return None
    return Finding(FindingKind.FAR_OFF, _places(rows[far]), (float(distance[far].max()),), Remedy.SET_ASIDE)


def _places(rows: Rows) -> tuple[int, ...]:
    return tuple(rows.tolist())


def _repeats(x: Array, rows: Rows) -> Finding | None:
    if len(np.unique(x)) == len(x):
        return None
    places, which, counts = np.unique(x, return_inverse=True, return_counts=True)
    repeated = np.flatnonzero(counts > 1)
    where = _places(rows[counts[which] > 1])
    if len(repeated) == 1:
        return Finding(FindingKind.REPEATED_X, where, (float(places[repeated[0]]),), Remedy.AVERAGE)
    return Finding(FindingKind.REPEATED_XS, where, (len(repeated),), Remedy.AVERAGE)


def _order(x: Array, rows: Rows) -> Finding | None:
    steps = np.diff(x)
    back = np.flatnonzero(steps < 0)
    if not len(back) or (steps <= 0).all():
        return None
    # Scattered sites are in no order at all, and need none.
    if len(back) > 0.3 * len(steps):
        return Finding(FindingKind.NO_ORDER, remedy=Remedy.SORT)
    return Finding(FindingKind.GOES_BACK, _places(rows[back + 1]), remedy=Remedy.SORT)


def _gaps(x: Array, rows: Rows) -> Finding | None:
    """Find gaps in regular x; ``figures`` are the usual step and, pair by pair, where each gap begins and ends."""
    order = np.argsort(x, kind="stable")
    steps = np.diff(x[order])
    positive = steps[steps > 0]
    if len(positive) < 5:
        return None
    usual = float(np.median(positive))
    if np.mean(np.abs(positive - usual) <= STEP_SLACK * usual) < REGULAR_SHARE:
        return None
    wide = np.flatnonzero(steps > 1.5 * usual)
    if not len(wide):
        return None
    ends = np.stack([order[wide], order[wide + 1]], axis=1).ravel()
    return Finding(FindingKind.GAPS, _places(rows[ends]), (usual, *x[ends].tolist()))


def _saturated(y: Array, rows: Rows) -> Finding | None:
    if np.ptp(y) == 0:
        return None
    for extreme, kind in ((float(y.max()), FindingKind.AT_LARGEST), (float(y.min()), FindingKind.AT_SMALLEST)):
        equal = y == extreme
        if int(equal.sum()) >= max(FEWEST_SATURATED, SATURATED_SHARE * len(y)) and len(np.unique(y)) > 3:
            return Finding(kind, _places(rows[equal]), (extreme,), Remedy.SET_ASIDE)
    return None
