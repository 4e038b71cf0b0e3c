"""Of answers that fit equally, the customary one, and those that mean something else.

Signs and swaps of like terms, and the phase of a wave with the sign of its height, say the same curve in other words: positive
widths, terms in rising order, a phase in (−π, π] with a height above 0 are the customary ones. Answers that fit as well but say
something else, as k₁ and k₂ changing places in A → B → C where only B is measured, are told beside the one that is given.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.record import Alternative, Search
from vettore.core.fitting.search.levenberg import Reached, search_to_end
from vettore.core.fitting.search.polish import Polished
from vettore.core.fitting.search.separable import Separable
from vettore.core.formula.tree import names
from vettore.core.remarks import Remark, RemarkKind

# Two answers are the same when their sums of squares are; exact data leave nothing but rounding.
SAME, ROUNDING = 1e-9, 1e-22
# Answers farther apart than this share of a coefficient are two; where a search has stopped is known less well.
APART, FAR_APART = 1e-3, 0.05
# Of more rows other answers are not looked for: each costs passes over all of them.
MOST_MIRRORED = 200_000
# Coefficients that are searched for and change places in every pair; of more, those of one term.
MOST_SWAPPED = 12


def canonical(problem: Separable, answer: Reached) -> Reached:
    """Return the customary one of the answers that sign flips and swaps of like terms lead to."""
    phases = [problem.parts.nonlinear.index(name) for name in problem.model.phases]
    if not problem.model.like and not (answer.alpha < 0).any() and not phases:
        return answer
    floor = answer.projected.squares
    allowed = SAME * floor + ROUNDING * float(problem.y @ problem.y)

    def same(alpha: Array) -> bool:
        if (alpha < problem.low).any() or (alpha > problem.high).any():
            return False
        there = problem.project(alpha)
        return there is not None and abs(there.squares - floor) <= allowed

    alpha = answer.alpha.copy()
    for k in phases:
        alpha = _with_phase(problem, alpha, k, same)
    for k in np.flatnonzero(alpha < 0).tolist():
        if k in phases:
            continue
        flipped = alpha.copy()
        flipped[k] = -flipped[k]
        if same(flipped):
            alpha = flipped
    for like in problem.model.like:
        before = alpha.copy()
        ordered = sorted((before[list(places)] for places in like), key=lambda values: float(values[0]))
        for places, values in zip(like, ordered, strict=True):
            alpha[list(places)] = values
    if np.array_equal(alpha, answer.alpha) or not same(alpha):
        return answer
    again = search_to_end(problem, alpha)
    if again is None or again.projected.squares > floor + allowed:
        return answer
    return Reached(again.alpha, again.projected, answer.path)


def _with_phase(problem: Separable, alpha: Array, k: int, same: Callable[[Array], bool]) -> Array:
    """Return α with the phase at ``k`` in (−π, π], its frequency above 0 and the height of its wave above 0."""

    def moved(to: float, flipped: int = -1) -> Array:
        out = alpha.copy()
        out[k] = np.pi - (np.pi - to) % (2 * np.pi)
        if flipped >= 0:
            out[flipped] = -out[flipped]
        return out

    if not same(moved(float(alpha[k]))):
        # It does not come round, so it is no phase alone.
        return alpha
    alpha = moved(float(alpha[k]))
    for other in np.flatnonzero(alpha < 0):
        # sin(−ωx + φ) is −sin(ωx − φ); a height that is searched for turns with half a turn of the phase.
        for to in (-float(alpha[k]), float(alpha[k]) + np.pi):
            if other != k and same(moved(to, int(other))):
                alpha = moved(to, int(other))
                break
    half = moved(float(alpha[k]) + np.pi)
    there, projected = problem.project(half), problem.project(alpha)
    if there is not None and projected is not None and same(half) and (there.c < 0).sum() < (projected.c < 0).sum():
        return half
    return alpha


def with_mirrors(problem: Separable, answer: Polished, search: Search) -> Search:
    """Return a search that tells of answers that fit as well as the one it led to, and say something else."""
    if problem.n > MOST_MIRRORED:
        return search
    as_good = tuple(
        Alternative(
            dict(zip(problem.model.free, map(float, values), strict=True)), float(answer.residual @ answer.residual)
        )
        for values in _mirrors(problem, answer, search.equal)
    )
    remarks = (
        Remark(RemarkKind.AS_GOOD, tuple(alternative.values), figures=tuple(alternative.values.values()))
        for alternative in as_good
    )
    return replace(search, others=(*as_good, *search.others), remarks=(*search.remarks, *remarks), equal=())


def _pairs(problem: Separable) -> list[tuple[int, int]]:
    """Return pairs of places in α that may change places: all, or of many those that stand in one term together."""
    names_of = problem.parts.nonlinear
    pairs = list(combinations(range(len(names_of)), 2))
    if len(names_of) <= MOST_SWAPPED:
        return pairs
    together = [set(names(term)) for term in problem.parts.terms]
    return [(i, j) for i, j in pairs if any({names_of[i], names_of[j]} <= term for term in together)]


def _mirrors(problem: Separable, answer: Polished, others: Sequence[Reached]) -> list[Array]:
    """Return other answers (c, α): swaps of two coefficients, and what other rounds of the search came to."""
    alpha, floor = answer.alpha, float(answer.residual @ answer.residual)
    rounding = ROUNDING * float(problem.y @ problem.y)
    arrays = [np.concatenate([answer.c, alpha])]
    numbers = []
    candidates = []
    for i, j in _pairs(problem):
        swapped = alpha.copy()
        swapped[[i, j]] = alpha[[j, i]]
        candidates.append((swapped, APART))
    # Of exact data the search ends anywhere within rounding.
    if floor > rounding:
        candidates += [(canonical(problem, other).alpha, FAR_APART) for other in others]
    for start, apart in candidates:
        if not np.isfinite(start).all() or (start < problem.low).any() or (start > problem.high).any():
            continue
        there = problem.project(start)
        if there is None or abs(there.squares - floor) > SAME * floor + rounding:
            continue
        values = np.concatenate([there.c, start])
        # The same numbers in another order are the same answer: like terms have changed places.
        if not any(np.allclose(np.sort(values), np.sort(array), rtol=apart, atol=0) for array in arrays):
            arrays.append(values)
            numbers.append(values)
    return numbers
