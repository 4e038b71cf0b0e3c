"""Find the answer without starting values: draw, screen, search, redraw, and agree.

1. Draw candidates for the nonlinear coefficients by their roles (roles.py); for N/D models part of them from the
   linearised y·D = N, reweighted by 1/|D|.
2. Screen them all by the projected sum of squares in one batch, search from the best few for a few steps, and go on
   with the best of those.
3. For sums of terms redraw the coefficients of one term at a time with the others fixed.
4. Repeat with other draws until ``AGREE`` rounds reach the same sum of squares; fewer is said.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.request import Progress
from vettore.core.fitting.search.levenberg import MOST_STEPS, Reached, search_to_end
from vettore.core.fitting.search.roles import draw, roles
from vettore.core.fitting.search.separable import Separable
from vettore.core.fitting.search.thin import thinned
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.linear import without
from vettore.core.formula.tree import Binary, Node, names

DRAWS, REDRAWS = 512, 256
KEPT, FINAL = 16, 3
SHORT_STEPS = 10
SWEEPS = 3
AGREE, MOST_ROUNDS = 3, 6
SAME = 1e-6
# Steps from an estimate for a first look; what needs more is hardly a model of these rows.
FIRST_LOOK_STEPS = 60
# Rows looked at while screening; more tell the same.
MOST_SCREENED = 400


@dataclass(frozen=True)
class SearchOutcome:
    """The best answer, how many of the rounds reached it, starts tried, and other answers (squares, c and α) met."""

    best: Reached
    agreed: int
    rounds: int
    tried: int
    others: tuple[tuple[float, Array], ...]
    # Where other rounds reached the same sum of squares.
    equal: tuple[Reached, ...] = ()


def find(
    problem: Separable,
    seed: int,
    progress: Progress | None = None,
    pinned: Mapping[str, float] | None = None,
    first: Sequence[Array] = (),
    rounds: int = MOST_ROUNDS,
) -> SearchOutcome | None:
    """Return the best answer, or None when no draw had a value. ``progress`` may stop the search by returning True.

    ``pinned`` gives starting values to some coefficients; ``first`` are whole starts to be tried beside the draws.
    """
    reached: list[Reached] = []
    tried = agreed = 0
    best: Reached | None = None
    for number in range(rounds):
        place, count = _round(problem, np.random.default_rng([seed, number]), pinned or {}, first)
        tried += count
        if place is not None:
            reached.append(place)
            if best is None or place.projected.squares < best.projected.squares:
                best = place
            agreed = sum(_same(item.projected.squares, best.projected.squares, problem) for item in reached)
        stopped = progress is not None and progress(number + 1, best.projected.squares if best else np.inf)
        if agreed >= AGREE or stopped:
            break
    if best is None:
        return None
    floor = best.projected.squares
    others = [
        (r.projected.squares, np.concatenate([r.projected.c, r.alpha]))
        for r in sorted(reached, key=lambda end: end.projected.squares)
        if not _same(r.projected.squares, floor, problem)
    ]
    equal = tuple(r for r in reached if r is not best and _same(r.projected.squares, floor, problem))
    return SearchOutcome(best, agreed, len(reached), tried, tuple(others), equal)


def agreed_estimate(problem: Separable, starts: Sequence[Array], thorough: bool) -> SearchOutcome | None:
    """Return the answer that enough estimated starts lead to, or None when they do not agree on the best of theirs.

    Without ``thorough`` the best of them is the answer.
    """
    if not thorough:
        reached = _best_of(problem, np.array(starts), FIRST_LOOK_STEPS)
        return SearchOutcome(reached, 1, len(starts), len(starts), ()) if reached is not None else None
    ends = [item for item in (search_to_end(problem, start) for start in starts) if item is not None]
    if not ends:
        return None
    best = min(ends, key=lambda first: first.projected.squares)
    agreed = sum(_same(end.projected.squares, best.projected.squares, problem) for end in ends)
    return SearchOutcome(best, agreed, len(starts), len(starts), ()) if agreed >= AGREE else None


def _same(a: float, b: float, problem: Separable) -> bool:
    rounding = 1e-24 * float(problem.y @ problem.y)
    return abs(a - b) <= SAME * max(abs(a), abs(b)) + rounding


def _round(
    problem: Separable, rng: np.random.Generator, pinned: Mapping[str, float], first: Sequence[Array]
) -> tuple[Reached | None, int]:
    names_of, read = problem.parts.nonlinear, problem.model.formula
    if not names_of:
        return search_to_end(problem, np.empty(0)), 1
    tree, data = read.right, read.data
    columns = [np.asarray(problem.given[name], dtype=np.float64) for name in data]
    by_name = roles(tree, names_of, data, read.coefficients)

    def drawn(name: str, count: int, rest: Array) -> Array:
        if name in pinned:
            return np.full(count, pinned[name])
        place = names_of.index(name)
        return _inside(draw(by_name[name], columns, count, rng, rest), problem.low[place], problem.high[place], rng)

    level = problem.plain_y - problem.plain_y.mean()
    draws = np.column_stack([drawn(name, DRAWS, level) for name in names_of])
    draws = np.vstack([draws, *_linearised(problem, tree, rng), *(start[None, :] for start in first)])
    few = thinned(problem, MOST_SCREENED)
    order = np.argsort(few.squares(draws))
    best = _best_of(problem, np.vstack([*(start[None, :] for start in first), draws[order[:KEPT]]]))
    tried = KEPT + len(first)
    if best is None:
        return None, tried
    blocks = _blocks(tree, names_of)
    for _ in range(SWEEPS if len(blocks) > 1 else 0):
        before = best.projected.squares
        for block in blocks:
            again = np.repeat(best.alpha[None, :], REDRAWS, axis=0)
            rest = problem.joint(best.alpha, best.projected.c)[0]
            for place in block:
                again[:, place] = drawn(names_of[place], REDRAWS, rest)
            order = np.argsort(few.squares(again))
            better = _best_of(problem, again[order[:FINAL]])
            tried += FINAL
            if better is not None and better.projected.squares < best.projected.squares:
                best = better
        if best.projected.squares > before * (1 - 1e-9):
            break
    return best, tried


def _best_of(problem: Separable, starts: Array, most: int = MOST_STEPS) -> Reached | None:
    """Search from every start for a few steps, then from the best of them to the end."""
    short = [
        reached for reached in (search_to_end(problem, start, SHORT_STEPS) for start in starts) if reached is not None
    ]
    short.sort(key=lambda item: item.projected.squares)
    final = [search_to_end(problem, each.alpha, most) for each in short[:FINAL]]
    return min(
        (entry for entry in final if entry is not None), key=lambda first: first.projected.squares, default=None
    )


def _inside(values: Array, low: float, high: float, rng: np.random.Generator) -> Array:
    """Return draws moved inside limits: spread evenly between two, mirrored at one."""
    outside = (values < low) | (values > high)
    if not outside.any():
        return values
    if np.isfinite(low) and np.isfinite(high):
        return np.where(outside, rng.uniform(low, high, len(values)), values)
    return np.where(outside, 2 * (low if np.isfinite(low) else high) - values, values)


def _blocks(tree: Node, nonlinear: tuple[str, ...]) -> list[list[int]]:
    """Return the places of the nonlinear coefficients of each top-level term."""
    terms, waiting = [], [tree]
    while waiting:
        node = waiting.pop()
        if isinstance(node, Binary) and node.sign in "+-":
            waiting += [node.right, node.left]
        else:
            terms.append(node)
    blocks = [[i for i, name in enumerate(nonlinear) if name in names(term)] for term in terms]
    return [block for block in blocks if block]


def _linearised(problem: Separable, tree: Node, rng: np.random.Generator) -> list[Array]:
    """Return starts for N/D with D affine in the nonlinear coefficients, from y·D = N reweighted by 1/|D|."""
    if not (isinstance(tree, Binary) and tree.sign == "/"):
        return []
    parts = problem.parts
    top, bottom = tree.left, tree.right
    slopes = [derivative(bottom, name) for name in parts.nonlinear]
    affine = not any(name in names(slope) for slope in slopes for name in parts.nonlinear)
    if (
        not affine
        or any(name in names(top) for name in parts.nonlinear)
        or any(n in names(bottom) for n in parts.linear)
    ):
        return []
    root = np.ones(problem.n) if problem.root_weights is None else problem.root_weights
    y = problem.plain_y

    def column(node: Node) -> Array:
        program = Program(node)
        value = program({name: problem.given[name] for name in program.inputs})
        return np.broadcast_to(np.asarray(value, dtype=np.float64), (problem.n,))

    with np.errstate(all="ignore"):
        base = column(without(bottom, frozenset(parts.nonlinear)))
        by = np.column_stack([column(slope) for slope in slopes])
        above = [column(derivative(top, name)) for name in parts.linear]
        target = y * base - column(without(top, frozenset(parts.linear)))
        design = np.column_stack([*above, *(-(y * by.T))])
        weight = root.copy()
        starts = []
        for _ in range(6):
            if not (np.isfinite(design).all() and np.isfinite(target).all() and np.isfinite(weight).all()):
                break
            solved = np.linalg.lstsq(design * weight[:, None], target * weight, rcond=None)[0]
            alpha = solved[len(above) :]
            starts.append(alpha)
            size = np.abs(base + by @ alpha)
            weight = root / np.maximum(size, 1e-12 * float(size.max() or 1.0))
    return [np.vstack([alpha, alpha * rng.uniform(0.8, 1.25, len(alpha))]) for alpha in starts]
