"""Where searches of a system begin: powers of ten about the sizes that times and columns have, and integrals of columns."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import FormulaError
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.linear import linear_parts
from vettore.core.formula.tree import Name, Node, Number, names
from vettore.core.systems.problem import SystemProblem, mean_at_each
from vettore.core.systems.weights import CALLS_FAR, spreads, weighted

CANDIDATES = 60
# The tolerance at which starts are looked at.
ROUGH = 1e-4
# A measured state that begins above this share of its largest begins where its column does.
BEGINS = 0.02


def linear_names(problem: SystemProblem) -> tuple[str, ...]:
    """Return coefficients that enter what is measured linearly, all at once, and nothing else."""
    moving = problem.system.in_rates()
    waiting = [name for name in problem.free if name not in moving]
    for part in problem.parts:
        right = part.measured.right
        inside = [name for name in waiting if name in names(right)]
        linear = linear_parts(right, inside).linear
        waiting = [name for name in waiting if name not in inside or name in linear]
    return tuple(waiting)


def with_linear(problem: SystemProblem, p: Array, linear: Sequence[str]) -> Array | None:
    """Return coefficients with those that enter linearly solved for."""
    if not linear:
        return p
    places = [problem.free.index(name) for name in linear]
    p = p.copy()
    p[places] = 0.0
    # Slopes of the others are not needed, but those of the linear ones are.
    predicted = problem.predict(p, ROUGH, True, CALLS_FAR)
    if predicted is None:
        return None
    r, table = weighted(problem, predicted, spreads(problem, None))
    p[places] = np.linalg.lstsq(table[:, places], r, rcond=None)[0]
    return np.clip(p, problem.low, problem.high)


def sizes_of(problem: SystemProblem, linear: Sequence[str]) -> dict[str, float]:
    """Return the size that each coefficient may have: what makes its rate move a state over the span of the times."""
    system = problem.system
    span = float(np.ptp(problem.times)) or 1.0
    if system.states:
        span = float(problem.times.max()) - system.start or 1.0
    states = _sizes_of_states(problem)
    sizes = dict.fromkeys(problem.free, 1.0)
    # What a state begins with by itself first: of b*A0 it tells the size of b.
    known = dict(problem.held)
    for state in sorted(system.states, key=lambda entry: not isinstance(entry.initial, Name)):
        for name in names(state.initial):
            if name in sizes and name not in known:
                size = _size_in(problem, state.initial, name, states[state.name], known)
                sizes[name] = known[name] = states[state.name] if size is None else size
    for jump in system.jumps:
        sizes |= {name: states[jump.state] for name in names(jump.by) if name in sizes}
    begun = {name for state in system.states for name in names(state.initial)}
    known = {system.over: span, **states, **problem.held, **dict.fromkeys(system.columns, 1.0)}
    for state in system.states:
        for name in names(state.rate):
            if name in sizes and name not in begun and name not in linear:
                size = _size_in(problem, state.rate, name, states[state.name] / span, known)
                sizes[name] = max(states.values()) if size is None else size
    if not system.states:
        # Without states what is not linear is by the column that runs, as a rate is.
        sizes = {name: size if name in linear else 1.0 / span for name, size in sizes.items()}
    return sizes


def _sizes_of_states(problem: SystemProblem) -> dict[str, float]:
    """Return the size of each state: that of its column, else of the largest column or initial value."""
    of_columns = {
        part.measured.right.name: float(np.abs(part.y).max(initial=0.0))
        for part in problem.parts
        if isinstance(part.measured.right, Name)
    }
    initial = [state.initial for state in problem.system.states]
    numbers = [abs(tree.value) for tree in initial if isinstance(tree, Number)]
    usual = max([*of_columns.values(), *numbers], default=0.0) or 1.0
    return {name: of_columns.get(name) or usual for name in problem.system.state_names}


def _size_in(problem: SystemProblem, rate: Node, name: str, speed: float, known: Mapping[str, float]) -> float | None:
    """Return the size at which a coefficient gives a rate this speed; None for one that enters otherwise than linearly."""
    try:
        slope = derivative(rate, name)
    except FormulaError:
        return None
    given = {other: np.float64(known.get(other, 1.0)) for other in (*problem.system.coefficients, *known)}
    steep = abs(float(Program(slope)(given)))
    if name not in linear_parts(rate, [name]).linear or not (steep > 0 and math.isfinite(steep)):
        return None
    return speed / steep


def powers_of_ten(problem: SystemProblem, sizes: Mapping[str, float], rng: np.random.Generator) -> list[Array]:
    """Return starts that are powers of ten about the sizes; initial values of measured states are where these begin."""
    system = problem.system
    begin = {}
    for state in system.states:
        for part in problem.parts:
            if isinstance(state.initial, Name) and part.measured.right == Name(state.name):
                first = float(part.y[np.argmin(part.places)])
                if first > BEGINS * float(np.abs(part.y).max(initial=0.0)):
                    begin[state.initial.name] = first
    out = []
    for place in range(CANDIDATES):
        decades = 0.0 if place == 0 else min(0.7 + place / 20, 3.0)
        p = [
            begin[name] * 10 ** rng.uniform(-0.05, 0.05)
            if name in begin
            else sizes[name] * 10 ** (rng.uniform(-decades, decades) + 0.3)
            for name in problem.free
        ]
        out.append(np.array(p))
    return out


def by_integrals(problem: SystemProblem, sizes: Mapping[str, float]) -> list[Array]:
    """Return the start that integrals of the measured columns give, where all states are measured and rates linear.

    y(t) − y(0) = Σ cⱼ ∫ gⱼ(y) dt holds for every state; trapezia of the columns stand for the integrals.
    """
    system = problem.system
    shown = {part.measured.right.name: part for part in problem.parts if isinstance(part.measured.right, Name)}
    if not system.states or any(name not in shown for name in system.state_names) or system.jumps or system.columns:
        return []
    rates = [linear_parts(state.rate, [n for n in names(state.rate) if n in problem.free]) for state in system.states]
    if any(parts.nonlinear for parts in rates):
        return []
    at = problem.times
    states = {}
    for name in system.state_names:
        states[name] = _between(at, *mean_at_each(at[shown[name].places], shown[name].y))
    wanted = [name for name in problem.free if any(name in parts.linear for parts in rates)]
    given = {**{k: np.float64(v) for k, v in problem.held.items()}, **states, system.over: at}
    blocks, rests = [], []
    for state, parts in zip(system.states, rates, strict=True):
        block = np.zeros((len(at), len(wanted) + len(system.states)))
        for name, term in zip(parts.linear, parts.terms, strict=True):
            block[:, wanted.index(name)] = _running(at, Program(term)(given))
        block[:, len(wanted) + system.state_names.index(state.name)] = 1.0
        scale = float(np.abs(states[state.name]).max()) or 1.0
        blocks.append(block / scale)
        rests.append((states[state.name] - _running(at, Program(parts.offset)(given))) / scale)
    answer = np.linalg.lstsq(np.concatenate(blocks), np.concatenate(rests), rcond=None)[0]
    p = np.array([sizes[name] for name in problem.free])
    for name, value in zip(wanted, answer, strict=False):
        p[problem.free.index(name)] = value if value > 0 else sizes[name] * 0.1
    for state, value in zip(system.states, answer[len(wanted) :], strict=True):
        if isinstance(state.initial, Name) and state.initial.name in problem.free:
            p[problem.free.index(state.initial.name)] = value
    return [p]


def _running(x: Array, y: object) -> Array:
    heights = np.broadcast_to(np.asarray(y, dtype=np.float64), x.shape)
    return np.concatenate([[0.0], np.cumsum((heights[1:] + heights[:-1]) / 2 * np.diff(x))])


def _between(at: Array, x: Array, y: Array) -> Array:
    """Return straight lines between points at some x, level beyond them."""
    after = np.clip(np.searchsorted(x, at, side="right"), 1, max(len(x) - 1, 1))
    if len(x) == 1:
        return np.full(len(at), y[0])
    share = np.clip((at - x[after - 1]) / (x[after] - x[after - 1]), 0.0, 1.0)
    return np.asarray(y[after - 1] + share * (y[after] - y[after - 1]))
