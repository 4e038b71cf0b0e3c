"""Moving a curve by a point of it: the grips of a model, and for any other formula the least change that follows.

A grip of a model says by formulas where it stands and what pulling it makes of the coefficients. Without one,

    θ ← θ + M Gᵀ (G M Gᵀ)⁻¹ (y − f(x; θ)),   G = ∂f/∂θ at the points that are asked for,

repeated: of all changes that bring the curve through the points the one that is least in the metric M⁻¹. With the
covariance of the fit for M that is the change which the data mind least (Lagrange multipliers; Gauss–Newton steps).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from vettore.core.arrays import Array
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Node
from vettore.core.models.model import Grip, Model

STEPS = 25
# A point is met when the curve misses it by less than this share of its height, or of the first miss.
MET = 1e-9
# A step is halved until the miss falls, but no more often than this.
HALVINGS = 12
# What may follow from singular directions: they take no part in the change.
CONDITION = 1e-12


@dataclass(frozen=True)
class Placed:
    """A grip where it stands now."""

    name: str
    x: float
    y: float


@cache
def _program(text: str, known: frozenset[str]) -> Program:
    """Read a formula once: grips are placed anew at every frame of a drag."""
    return Program(Reader(text, known).read_all())


def _value(text: str, known: Mapping[str, float]) -> float:
    program = _program(text, frozenset(known))
    with np.errstate(all="ignore"):
        return float(program({name: np.float64(known[name]) for name in program.inputs}))


def _known(values: Mapping[str, float], span: tuple[float, float]) -> dict[str, float]:
    low, high = span
    return {**values, "near": low, "mid": (low + high) / 2, "far": high}


def place_grips(model: Model, values: Mapping[str, float], span: tuple[float, float]) -> tuple[Placed, ...]:
    """Return where the grips of a model stand; ``values`` are under its own names, ``span`` is that of the data.

    A grip without a finite place is left out.
    """
    known = _known(values, span)
    placed = (Placed(grip.name, _value(grip.x, known), _value(grip.y, known)) for grip in model.grips)
    return tuple(item for item in placed if np.isfinite(item.x) and np.isfinite(item.y))


def pull_grip(
    grip: Grip, values: Mapping[str, float], span: tuple[float, float], x: float, y: float
) -> dict[str, float] | None:
    """Return the values after a grip is pulled to (x, y), or None where that has no finite answer."""
    known = {**_known(values, span), "px": x, "py": y}
    changed = {name: _value(formula, known) for name, formula in grip.sets.items()}
    if not all(np.isfinite(value) for value in changed.values()):
        return None
    return {**values, **changed}


def pull_through(
    tree: Node,
    x_name: str,
    values: Mapping[str, float],
    free: Sequence[str],
    metric: Array | None,
    points: Sequence[tuple[float, float]],
) -> dict[str, float] | None:
    """Return the values that bring a curve through points (x, y) by the least change, or None where none is found.

    ``free`` are the coefficients that may change, ``metric`` (m, m) their covariance; without one, each counts by its
    own size. Points beyond what the coefficients can follow are met in the sense of least squares.
    """
    if not free:
        return None
    slopes = [Program(derivative(tree, name)) for name in free]
    curve = Program(tree)
    x, y = (np.array(side, dtype=np.float64) for side in zip(*points, strict=True))
    theta = np.array([values[name] for name in free], dtype=np.float64)
    sizes = np.where(theta != 0, np.abs(theta), 1.0)
    m = np.diag(sizes**2) if metric is None or not np.isfinite(metric).all() else metric

    def at(program: Program, now: Array) -> Array:
        given = {**values, **dict(zip(free, now.tolist(), strict=True)), x_name: x}
        with np.errstate(all="ignore"):
            result = program({name: given[name] for name in program.inputs})
        return np.broadcast_to(np.asarray(result, dtype=np.float64), x.shape)

    miss = y - at(curve, theta)
    first = float(np.max(np.abs(miss)))
    enough = MET * max(first, float(np.max(np.abs(y))))
    for _ in range(STEPS):
        size = float(np.max(np.abs(miss)))
        if not np.isfinite(size):
            return None
        if size <= enough:
            break
        g = np.stack([at(program, theta) for program in slopes], axis=1)
        if not np.isfinite(g).all():
            return None
        step = m @ g.T @ np.linalg.pinv(g @ m @ g.T, rcond=CONDITION, hermitian=True) @ miss
        for tried in (theta + step / 2**halving for halving in range(HALVINGS)):
            left = y - at(curve, tried)
            if np.isfinite(left).all() and float(np.max(np.abs(left))) < size:
                break
        else:
            break
        theta, miss = tried, left
    met = float(np.max(np.abs(miss))) <= max(first, enough)
    return {**values, **dict(zip(free, theta.tolist(), strict=True))} if met else None
