"""Where the squares of a system are least: rounds from many starts, in logarithms of what spans decades.

A column whose scatter is not known counts by it: Σ nⱼ ln Sⱼ is made least, which is the greatest likelihood for one
scatter a column (Bates & Watts 1988, ch. 4), by turns of weights 1/σⱼ and steps of Levenberg and Marquardt.
Starts are powers of ten about the sizes that times and columns have; coefficients that enter what is measured linearly are
solved for at each; with all states measured and rates linear in their coefficients, integrals of the columns give one.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.errors import DataError, Fault
from vettore.core.systems.motion import MOST_CALLS
from vettore.core.systems.problem import Predicted, SystemProblem
from vettore.core.systems.starts import ROUGH, by_integrals, linear_names, powers_of_ten, sizes_of, with_linear
from vettore.core.systems.weights import CALLS_FAR, Scatter, deviance, spreads, squares_of, weighted

# Tolerances of rates while far, near, and at the end.
FAR, NEAR, LAST = 1e-5, 1e-8, 1e-11
ROUNDS, MORE_ROUNDS = 6, 14
# The same for a first look.
LOOK_ROUNDS, LOOK_MORE = 2, 5
# Rates may be worked out so often for a round, while far and near.
ROUND_FAR, ROUND_NEAR = 20_000, 100_000
MOST_DAMPING, FREE_ENOUGH, FINE = 1e12, 1e-5, 1e-12
# Rounds that end far above the best while far are not gone on with; where less of a column follows, more rounds are made.
NOT_FAR, FOLLOWS = 0.1, 0.95
# What the scatter of a favoured column is taken for, beside its own.
FAVOUR = 0.02
# A log-likelihood this near is as good; coefficients this far apart are another answer.
AS_GOOD, APART, NEARLY_ONE = 1e-5, 1e-2, 0.03


@dataclass(frozen=True, eq=False)
class RoundEnd:
    """Where a round ended: coefficients (m,), what is said there, their scatter, and the sum that is least."""

    p: Array
    predicted: Predicted
    scatter: Scatter
    deviance: float


@dataclass(frozen=True, eq=False)
class SystemOutcome:
    """The best of all rounds, others as good but elsewhere, and how many of so many rounds agree."""

    best: RoundEnd
    others: tuple[RoundEnd, ...]
    agree: int
    rounds: int


def descend(
    problem: SystemProblem, p: Array, tolerance: float, most: int, far: Mask | None = None, fine: float = FINE
) -> RoundEnd | None:
    """Return where steps from p lead; None from a start without values.

    While ``far``, a mask of the coefficients that are changed by factors, the scatter of columns stays that about their
    means, and less work is spent. Steps end where they gain less than ``fine`` of the squares.
    """
    return _Descent(problem, tolerance, far, fine).from_(np.clip(p, problem.low, problem.high), most)


class _Descent:
    """Steps of Levenberg and Marquardt within limits."""

    def __init__(
        self,
        problem: SystemProblem,
        tolerance: float,
        far: Mask | None,
        fine: float,
        favoured: int | None = None,
    ) -> None:
        # The place of a column that counts many times as much as others, while far.
        self._favoured = favoured
        self._problem, self._tolerance, self._far, self._fine = problem, tolerance, far, fine
        self._calls = MOST_CALLS if far is None else CALLS_FAR
        self._until = problem.calls + (ROUND_NEAR if far is None else ROUND_FAR)
        self._damping, self._grow = 1e-3, 2.0
        self._scale = np.zeros(len(problem.free))

    def from_(self, p: Array, most: int) -> RoundEnd | None:
        """Return where so many steps from p lead at most."""
        problem = self._problem
        predicted = problem.predict(p, self._tolerance, True, self._calls)
        if predicted is None:
            return None
        scatter = spreads(problem, predicted if self._far is None else None)
        if self._favoured is not None:
            places = range(len(problem.parts))
            scatter = scatter.times(tuple(FAVOUR if place == self._favoured else 1.0 for place in places))
        quiet = 0
        for _ in range(most):
            squares = squares_of(problem, predicted, scatter)
            step = self._lower(p, predicted, scatter, squares)
            if step is None:
                break
            there, new, rest = step
            # A step that was held back gains little wherever it is.
            small = (
                bool(np.all(np.abs(there - p) <= 1e-11 * np.abs(p) + 1e-300))
                or squares - rest <= self._fine * squares
            )
            small = small and self._damping <= FREE_ENOUGH
            p, predicted = there, new
            if self._far is None:
                before, scatter = scatter, spreads(problem, predicted)
                small = small and before.is_like(scatter, 100 * self._fine)
            # To the last digits a step that gains nothing is not yet the end.
            if quiet >= (2 if self._fine <= FINE else 1):
                break
        return RoundEnd(p, predicted, spreads(problem, predicted), deviance(problem, predicted))

    def _lower(
        self, p: Array, predicted: Predicted, scatter: Scatter, squares: float
    ) -> tuple[Array, Predicted, float] | None:
        """Return the first step, ever more damped, that does not raise the squares; None where none does."""
        problem = self._problem
        r, table = weighted(problem, predicted, scatter)
        if self._far is not None:
            table = table * np.where(self._far, p, 1.0)
        self._scale = np.maximum(self._scale, np.sqrt((table**2).sum(axis=0)))
        push = table.T @ r * (1.0 if self._far is None else np.where(self._far, p, 1.0))
        free = ~(((p <= problem.low) & (push < 0)) | ((p >= problem.high) & (push > 0)))
        safe = np.where(self._scale > 0, self._scale, 1.0)[free]
        while free.any() and self._damping < MOST_DAMPING and problem.calls < self._until:
            step = np.zeros(len(p))
            step[free] = _step(table[:, free], r, self._damping, safe)
            there = np.clip(_after(p, step, self._far), problem.low, problem.high)
            new = problem.predict(there, self._tolerance, True, self._calls)
            rest = np.inf if new is None else squares_of(problem, new, scatter)
            if new is not None and rest <= squares:
                self._damping, self._grow = max(self._damping / 5, 1e-12), 2.0
                return there, new, rest
            self._damping, self._grow = self._damping * self._grow, self._grow * 2
            if np.all(np.abs(there - p) <= 1e-13 * np.abs(p)):
                return None
        return None


def _after(p: Array, step: Array, in_logs: Mask | None) -> Array:
    if in_logs is None:
        return np.asarray(p + step)
    return np.where(in_logs, p * np.exp(np.clip(step, -3, 3)), p + step)


def _step(table: Array, r: Array, damping: float, scale: Array) -> Array:
    m = table.shape[1]
    stacked = np.vstack([table / scale, math.sqrt(damping) * np.eye(m)])
    return np.asarray(np.linalg.lstsq(stacked, np.append(r, np.zeros(m)), rcond=None)[0] / scale)


def search(problem: SystemProblem, start: Mapping[str, float], seed: int, thorough: bool = True) -> SystemOutcome:
    """Return the least that rounds reach, few of them for a first look. Raises DataError where no start has values."""
    if all(name in start for name in problem.free):
        round_end = descend(problem, np.array([start[name] for name in problem.free]), NEAR, 60)
        ends = [round_end] if round_end is not None else []
        agree = rounds = 1
    else:
        ends, agree, rounds = _rounds(problem, start, np.random.default_rng(seed), thorough)
    if not ends:
        gave_up = problem.stopped is not None and problem.stopped()
        raise DataError(
            "The search was stopped before it had an answer."
            if gave_up
            else "From no start do the equations have values in all rows: what is said leaves the range of numbers, or the "
            "rates take too many steps. Give starting values, or hold some coefficients.",
            Fault.GIVEN_UP if gave_up else Fault.NO_VALUE,
        )
    ends.sort(key=lambda end: end.deviance)
    best = descend(problem, ends[0].p, LAST, 30) or ends[0]
    n = problem.n
    near = [end for end in ends if end.deviance - ends[0].deviance <= AS_GOOD * n]
    others: list[RoundEnd] = []
    for end in near:
        if all(_apart(end.p, other.p) for other in (best, *others)):
            others.append(end)
    return SystemOutcome(best, tuple(others), agree, rounds)


def _apart(p: Array, other: Array, share: float = APART) -> bool:
    return bool((np.abs(p - other) > share * (np.abs(p) + np.abs(other))).any())


def _rounds(
    problem: SystemProblem, start: Mapping[str, float], rng: np.random.Generator, thorough: bool
) -> tuple[list[RoundEnd], int, int]:
    """Return where rounds end that begin best first, how many agree on the best, and how many there were."""
    linear = linear_names(problem)
    sizes = sizes_of(problem, linear)
    in_logs = np.array([name not in linear and sizes[name] > 0 for name in problem.free])
    scored: list[tuple[float, int, Array]] = []
    candidates = [*by_integrals(problem, sizes), *powers_of_ten(problem, sizes, rng)]
    for place, p in enumerate(candidates):
        for name, value in start.items():
            p[problem.free.index(name)] = value
        begun = with_linear(problem, np.clip(p, problem.low, problem.high), linear)
        predicted = problem.predict(begun, ROUGH, False, CALLS_FAR) if begun is not None else None
        if predicted is not None and begun is not None:
            scored.append((deviance(problem, predicted), place, begun))
    scored.sort(key=lambda entry: entry[:2])
    far: list[RoundEnd] = []
    tried = 0
    rounds, most = (ROUNDS, MORE_ROUNDS) if thorough else (LOOK_ROUNDS, LOOK_MORE)
    for _, _, p in scored[:most]:
        if problem.stopped is not None and problem.stopped():
            break
        tried += 1
        end = _from_afar(problem, p, in_logs & (p > 0))
        if end is None:
            continue
        far.append(end)
        least = min(other.deviance for other in far)
        agree = sum(other.deviance - least <= NOT_FAR * 0.1 * problem.n for other in far)
        if tried >= rounds and agree >= 2 and _follows(problem, min(far, key=lambda other: other.deviance)):
            break
    far.sort(key=lambda end: end.deviance)
    if far and not _follows(problem, far[0]) and len(problem.parts) > 1:
        # Of equations that cannot follow all columns, the likelihood may be greatest where one is followed closely.
        mask = in_logs & (far[0].p > 0)
        each = [_Descent(problem, FAR, mask, FINE, place).from_(far[0].p, 25) for place in range(len(problem.parts))]
        far = sorted([*far, *(end for end in each if end is not None)], key=lambda end: end.deviance)
    agree = sum(end.deviance - far[0].deviance <= NOT_FAR * 0.1 * problem.n for end in far)
    near: list[RoundEnd] = []
    for end in far + (_swapped(problem, far[0]) if far and thorough else []):
        good = end.deviance - far[0].deviance <= NOT_FAR * problem.n
        if good and all(_apart(end.p, other.p, NEARLY_ONE) for other in near):
            near.append(end)
    return [descend(problem, end.p, NEAR, 40) or end for end in near], agree, tried


def _from_afar(problem: SystemProblem, p: Array, in_logs: Mask) -> RoundEnd | None:
    return descend(problem, p, FAR, 25, in_logs)


def _follows(problem: SystemProblem, end: RoundEnd) -> bool:
    """Whether most of every column is what the system says."""
    return all(
        float(((part.y - value) ** 2).sum()) <= (1 - FOLLOWS) * float(((part.y - part.y.mean()) ** 2).sum())
        for part, value in zip(problem.parts, end.predicted.values, strict=True)
    )


def _swapped(problem: SystemProblem, end: RoundEnd) -> list[RoundEnd]:
    """Return where rounds end that begin with two coefficients of the rates in each other's place."""
    moving = [k for k, name in enumerate(problem.free) if name in problem.system.in_rates()]
    out = []
    for a, b in [(a, b) for a in moving for b in moving if a < b][:6]:
        p = end.p.copy()
        p[[a, b]] = p[[b, a]]
        other = _from_afar(problem, p, p > 0) if p[a] != p[b] else None
        if other is not None and other.deviance - end.deviance <= NOT_FAR * problem.n:
            out.append(other)
    return out
