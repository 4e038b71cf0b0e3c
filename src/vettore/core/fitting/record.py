"""What a search leaves behind: how it was searched, the way to the answer, and other answers that it met."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, NamedTuple

import numpy as np

from vettore.core.arrays import Array
from vettore.core.remarks import Remark


class Noise(StrEnum):
    """How y scatters about the curve."""

    NORMAL = "normal"
    POISSON = "poisson"
    BINOMIAL = "binomial"
    # In proportion to the curve beside an even part.
    GROWING = "growing"
    # Neighbours in x err alike.
    CORRELATED = "correlated"


@dataclass(frozen=True)
class Spread:
    """A scatter σ = ``a`` + ``b``·|μ| about a curve μ; ``p`` is the probability of so much growth in even scatter.

    It is None where the scatter is not told by the rows but known.
    """

    a: float
    b: float
    p: float | None

    def at(self, mu: Array) -> Array:
        """Return σ where the curve is ``mu``."""
        return self.a + self.b * np.abs(mu)


@dataclass(frozen=True)
class Memory:
    """How alike neighbours err: correlation ``phi`` at their mean distance, and the ``distance`` in x over which it falls by e.

    ``p`` is the probability of so much likeness in errors that have none.
    """

    phi: float
    distance: float
    p: float


@dataclass(frozen=True)
class Alternative:
    """Another answer that the search met, with its coefficients and sum of squares."""

    values: Mapping[str, float]
    sum_of_squares: float
    # The scale of the residuals under a robust loss.
    scale: float | None = None


class Status(StrEnum):
    """How an answer ended."""

    # The coefficients enter linearly.
    DIRECT = "solved directly"
    CONVERGED = "converged"
    NOT_CONVERGED = "not converged"


class Stop(NamedTuple):
    """One accepted point of a search: sum of squares, damping, and the linear and the nonlinear coefficients."""

    squares: float
    damping: float
    c: Array
    alpha: Array


@dataclass(frozen=True)
class Iteration:
    """One accepted step of the search."""

    sum_of_squares: float
    damping: float
    values: Mapping[str, float]


@dataclass(frozen=True)
class Search:
    """How an answer was searched for.

    ``tried`` starts led to it, ``agreed`` of ``rounds`` (or estimates, see ``unit``) agree on it; None without rounds.
    """

    tried: int
    agreed: int | None = None
    rounds: int = 0
    unit: str = "rounds"
    others: tuple[Alternative, ...] = ()
    remarks: tuple[Remark, ...] = ()
    # Where other rounds reached the same sum of squares, while that is still looked at.
    equal: tuple[Any, ...] = ()


@dataclass(frozen=True)
class Trace:
    """The way to an answer: ``stops`` for the coefficients ``names``, and the ``search`` that led there.

    ``gradient`` is ‖Qᵀr‖/‖r‖ at the answer. ``beside`` looks for a better answer than a given start led a result to, see
    ``FitResult.better``.
    """

    iterations: int = 0
    search: Search | None = None
    gradient: float = 0.0
    stops: tuple[Stop, ...] = ()
    names: tuple[str, ...] = ()
    beside: Callable[[Any], Alternative | None] | None = None
