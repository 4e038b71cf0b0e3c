"""What the rows cannot tell of a system: along which direction nothing changes, and which measurement would change that."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.systems.problem import SystemProblem
from vettore.core.systems.search import NEAR, RoundEnd

# Slopes in one direction this much smaller than in the steepest say nothing of it.
NO_TELLING = 1e-7
# A part of a direction that is smaller is none of it.
PART = 0.1
# Of coefficients that change by less than this beside the first, nobody would see how they go together.
CHANGED = 0.01
# A state is taken to be measured to this share of its largest value.
PRECISION = 0.02


class Untold(NamedTuple):
    """Coefficients that the rows cannot tell; ``changes`` are shares by which they may change together, nothing else
    changing (none where they may in several ways); ``states`` those of which a measurement would tell them."""

    names: tuple[str, ...]
    changes: tuple[float, ...]
    states: tuple[str, ...]


def weak_directions(table: Array) -> tuple[Array, Array]:
    """Return the sizes (m,) of the slopes (n, m) by each coefficient, and in these the directions (j, m) of no effect."""
    sizes = np.sqrt((table**2).sum(axis=0))
    scaled = table / np.where(sizes > 0, sizes, 1.0)
    # Of few rows the directions that none of them tells are wanted, too; of many the rest would be a table of all rows.
    _, values, directions = np.linalg.svd(scaled, full_matrices=len(table) < table.shape[1])
    values = np.append(values, np.zeros(len(directions) - len(values)))
    return sizes, directions[values < NO_TELLING * values[0]]


def untold(problem: SystemProblem, end: RoundEnd, table: Array, names: Sequence[str]) -> Untold:
    """Return what is to be said of coefficients that the slopes (n, m) of the rows do not tell."""
    sizes, weak = weak_directions(table)
    changes: tuple[float, ...] = ()
    if len(weak) == 1 and len(names) > 1:
        with np.errstate(all="ignore"):
            shares = weak[0] / np.where(sizes > 0, sizes, 1.0) / end.p
        of_names = shares[[problem.free.index(name) for name in names]]
        beside = of_names / of_names[np.argmax(np.abs(of_names))] if np.isfinite(of_names).all() else np.zeros(1)
        if np.abs(beside).min() >= CHANGED:
            changes = tuple(beside.tolist())
    return Untold(tuple(names), changes, _telling(problem, end, table))


def _telling(problem: SystemProblem, end: RoundEnd, table: Array) -> tuple[str, ...]:
    """Return the states that nobody measured and of which a measurement would tell all coefficients."""
    if problem.motion is None:
        return ()
    run = problem.motion.run(problem.values_of(end.p), problem.times, NEAR, True)
    if run is None or run.slopes is None:
        return ()
    measured = {part.measured.name for part in problem.parts}
    out = []
    for place, name in enumerate(problem.system.state_names):
        largest = float(np.abs(run.states[:, place]).max())
        if name in measured or name.endswith("'") or not largest > 0:
            continue
        more = np.zeros((len(problem.times), len(problem.free)))
        for j, coefficient in enumerate(problem.motion.free):
            if coefficient in problem.free:
                more[:, problem.free.index(coefficient)] = run.slopes[:, place, j] / (PRECISION * largest)
        sizes, weak = weak_directions(np.vstack([table, more]))
        if (sizes > 0).all() and not len(weak):
            out.append(name)
    return tuple(out)
