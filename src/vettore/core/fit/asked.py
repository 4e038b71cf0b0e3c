"""What is asked of a fit, and what a search tells of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from vettore.core.arrays import Array
from vettore.core.fit.result import Alternative

DEFAULT_SEED = 1
SQUARES = "squares"

# Is told the round and the sum of squares so far; returning True stops the search.
Progress = Callable[[int, float], bool]
# Whole starts from the columns and the response, for the nonlinear coefficients by name.
Estimate = Callable[[Mapping[str, Array], Array], Sequence[Mapping[str, float]]]


@dataclass(frozen=True)
class Options:
    """What is asked of a fit beside its formula and data; see fit."""

    start: Mapping[str, float] = field(default_factory=dict)
    held: Mapping[str, float] = field(default_factory=dict)
    limits: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    loss: str = SQUARES
    absolute_sigma: bool = False
    level: float = 0.95
    seed: int = DEFAULT_SEED
    progress: Progress | None = None
    estimate: Estimate | None = None
    thorough: bool = True


@dataclass(frozen=True)
class Told:
    """What is to be said of a search: starts tried, rounds that agreed (None without rounds), other answers, notes."""

    tried: int
    agreed: int | None = None
    rounds: int = 0
    unit: str = "rounds"
    others: tuple[Alternative, ...] = ()
    notes: tuple[str, ...] = ()
