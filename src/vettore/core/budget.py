"""What a ± is made of (JCGM 100:2008, "GUM"): the share of each source, the expanded uncertainty, and by simulation.

A number F of inputs r with sensitivities cᵢ = ∂F/∂rᵢ has

    u² = Σ (cᵢ uᵢ)²  +  what inputs share with each other through the fitted coefficients,

and the degrees of freedom (Welch & Satterthwaite, JCGM 100 §G.4)

    ν = u⁴ / Σ uₛ⁴/νₛ

over the independent sources s: the scatter of the rows as one, each typed quantity by itself. The coverage factor is Student's
t for ν, cut off to a whole number. By simulation (JCGM 101:2008) the inputs are drawn from their laws, F is worked out for each
draw, and the interval holds the middle 95 % of them; where its ends differ from those of U by more than half of the second
digit of u (JCGM 101 §8) and by more than a tenth of U, the first is said to be poor.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from vettore.core.arrays import Array
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.request import DEFAULT_SEED
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program, number_of
from vettore.core.formula.tree import Node

DRAWS = 200_000
# What is drawn is thrown away by parts, so that a number of many inputs needs no more memory.
AT_ONCE = 50_000
# A difference of the ends that is no more than this share of the expanded uncertainty is none that matters.
NO_MATTER = 0.1


class Distribution(StrEnum):
    """How a typed quantity is distributed; its ± is a standard deviation, or half of the width of the others."""

    NORMAL = "normal"
    UNIFORM = "uniform"
    TRIANGULAR = "triangular"


# Half widths over standard deviations (JCGM 100 §4.3.7, §4.3.9).
WIDTHS = {Distribution.NORMAL: 1.0, Distribution.UNIFORM: math.sqrt(3.0), Distribution.TRIANGULAR: math.sqrt(6.0)}


@dataclass(frozen=True, eq=False)
class Input:
    """A number that goes in: ``shared`` (m,) is how it varies with the coefficients, ``own`` its standard uncertainty beside.

    What it has of its own follows ``law`` and has ``freedom``.
    """

    value: float
    shared: Array
    own: float = 0.0
    law: Distribution = Distribution.NORMAL
    freedom: float = math.inf


@dataclass(frozen=True)
class Share:
    """A line of the budget: an input's standard uncertainty u, its sensitivity c, and the share (cu)²/u² of the variance."""

    name: str
    value: float
    uncertainty: float
    sensitivity: float
    share: float


@dataclass(frozen=True)
class Budget:
    """A number and what its standard ``uncertainty`` is made of.

    ``shares`` are those of the inputs, ``together`` what they share with each other (below 0 where their errors go against each
    other), ``scatter`` the share of all that comes from the rows. ``factor`` times ``uncertainty`` is the expanded one at
    ``level``, for ``freedom``; ``low`` and ``high`` are the ends by simulation, ``agrees`` whether they are those of the first.
    """

    value: float
    uncertainty: float
    shares: tuple[Share, ...]
    together: float
    scatter: float
    freedom: float
    factor: float
    level: float
    low: float
    high: float
    agrees: bool

    @property
    def expanded(self) -> float:
        """The expanded uncertainty."""
        return self.factor * self.uncertainty


def budget(
    tree: Node, inputs: Mapping[str, Input], freedom: float, level: float = 0.95, seed: int = DEFAULT_SEED
) -> Budget:
    """Return what the uncertainty of a formula of ``inputs`` is made of; ``freedom`` is that of the scatter of the rows.

    The same seed gives the same ends. Raises DataError for a formula without a value, or without any uncertainty.
    """
    values = {name: given.value for name, given in inputs.items()}
    with np.errstate(all="ignore"):
        value = number_of(tree, values)
        slopes = {name: number_of(derivative(tree, name), values) for name in inputs}
    if not math.isfinite(value):
        raise DataError("The formula has no value with these numbers.", Fault.NO_VALUE)
    size = max((len(given.shared) for given in inputs.values()), default=0)
    along = sum((slopes[name] * _padded(given.shared, size) for name, given in inputs.items()), np.zeros(size))
    from_rows = float(along @ along)
    alone = {name: (slopes[name] * given.own) ** 2 for name, given in inputs.items()}
    variance = from_rows + sum(alone.values())
    if not (math.isfinite(variance) and variance > 0):
        raise DataError("Nothing that this number is made of has a ± that is known.", Fault.NOT_TOLD)
    shares = []
    for name, given in inputs.items():
        u = math.hypot(float(np.linalg.norm(given.shared)), given.own)
        shares.append(Share(name, given.value, u, slopes[name], (slopes[name] * u) ** 2 / variance))
    fourth = from_rows**2 / freedom if from_rows else 0.0
    fourth += sum(part**2 / inputs[name].freedom for name, part in alone.items())
    effective = variance**2 / fourth if fourth > 0 else math.inf
    factor = t_quantile(level, max(math.floor(effective), 1) if math.isfinite(effective) else math.inf)
    u = math.sqrt(variance)
    low, high = _simulated(tree, inputs, size, freedom, level, seed)
    near = max(0.5 * 10.0 ** (math.floor(math.log10(u)) - 1), NO_MATTER * factor * u)
    agrees = abs(low - (value - factor * u)) <= near and abs(high - (value + factor * u)) <= near
    return Budget(
        value,
        u,
        tuple(shares),
        1.0 - sum(share.share for share in shares),
        from_rows / variance,
        effective,
        factor,
        level,
        low,
        high,
        agrees,
    )


def _padded(shared: Array, size: int) -> Array:
    return shared if len(shared) == size else np.zeros(size)


def _simulated(
    tree: Node, inputs: Mapping[str, Input], size: int, freedom: float, level: float, seed: int
) -> tuple[float, float]:
    """Return the ends of the middle of the draws; the scatter of rows whose σ is not known follows Student's t (§6.4.9)."""
    rng, program, drawn = np.random.default_rng(seed), Program(tree), []
    for _ in range(DRAWS // AT_ONCE):
        together = rng.normal(size=(AT_ONCE, size))
        if math.isfinite(freedom):
            together *= np.sqrt(freedom / rng.chisquare(freedom, size=AT_ONCE))[:, None]
        columns = {}
        for name, given in inputs.items():
            column = given.value + together @ _padded(given.shared, size)
            if given.own:
                column = column + given.own * _standard(given.law, rng)
            columns[name] = column
        with np.errstate(all="ignore"):
            array = np.asarray(program({name: columns[name] for name in program.inputs}), dtype=np.float64)
        drawn.append(np.broadcast_to(array, (AT_ONCE,)))
    values = np.concatenate(drawn)
    values = values[np.isfinite(values)]
    if len(values) < DRAWS // 2:
        raise DataError("The formula has no value for most of what its numbers may be.", Fault.NO_VALUE)
    low, high = np.quantile(values, [(1 - level) / 2, (1 + level) / 2])
    return float(low), float(high)


def _standard(law: Distribution, rng: np.random.Generator) -> Array:
    """Return draws of mean 0 and standard deviation 1."""
    if law is Distribution.UNIFORM:
        return rng.uniform(-WIDTHS[law], WIDTHS[law], AT_ONCE)
    if law is Distribution.TRIANGULAR:
        return rng.triangular(-WIDTHS[law], 0.0, WIDTHS[law], AT_ONCE)
    return rng.normal(size=AT_ONCE)
