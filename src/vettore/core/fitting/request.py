"""What a fit is asked for: whole, frozen, and the beginning of every refit."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.fitting.left_side import Sigma
from vettore.core.fitting.limits import Limits
from vettore.core.fitting.record import Noise

DEFAULT_SEED = 1
SQUARES = "squares"
LOSSES = (SQUARES, "huber", "cauchy", "tukey")

# Fields of a request that a refit leaves at what they are where nothing is said of them.
PLAIN: dict[str, Any] = {
    **dict.fromkeys(("sigma_x", "correlation", "covariance", "trials", "estimate", "noise_size")),
    "noise": Noise.NORMAL,
    "whole": 1.0,
}

# Is told the round and the sum of squares so far; returning True stops the search.
Progress = Callable[[int, float], bool]
# Whole starts from the columns and the response, for the nonlinear coefficients by name.
Estimate = Callable[[Mapping[str, Array], Array], Sequence[Mapping[str, float]]]


@dataclass(frozen=True, eq=False)
class FitRequest:
    """A formula, columns of shape (n,) and all options, as they were given; see fit for what each says."""

    formula: str
    data: Mapping[str, Values]
    start: Mapping[str, float] | None = None
    hold: Mapping[str, float] | None = None
    limits: Limits | None = None
    sigma: Sigma | None = None
    weights: Values | None = None
    loss: str = SQUARES
    absolute_sigma: bool = False
    level: float = 0.95
    seed: int = DEFAULT_SEED
    progress: Progress | None = None
    estimate: Estimate | None = None
    thorough: bool = True
    sigma_x: Values | float | None = None
    correlation: Values | float | None = None
    covariance: Values | None = None
    noise: str = Noise.NORMAL
    trials: Values | float | None = None
    whole: float = 1.0
    noise_size: float | None = None

    @property
    def scatter(self) -> frozenset[str]:
        """The names of the options given that tell how the rows scatter."""
        names = ("sigma", "weights", "sigma_x", "correlation", "covariance", "trials")
        given = {name: getattr(self, name) is not None for name in names}
        given |= {"noise": self.noise != Noise.NORMAL, "loss": self.loss != SQUARES, "whole": self.whole != 1.0}
        given["absolute_sigma"] = self.absolute_sigma
        return frozenset(name for name, is_given in given.items() if is_given)

    def with_(self, **changes: Any) -> FitRequest:
        """Return the request with some of its fields changed."""
        return replace(self, **changes)

    def refit(self, **changes: Any) -> FitRequest:
        """Return the request of a refit by least squares: the scatter is told by what changes, and no estimate is asked."""
        return replace(self, **{**PLAIN, **changes})


def check_options(level: float, seed: int, loss: str, absolute_sigma: bool, sigma_given: bool) -> None:
    """Refuse what cannot be asked, whatever the model and the data. Raises DataError."""
    check_level(level)
    if loss not in LOSSES:
        raise DataError(f"There is no loss “{loss}”. The losses are {', '.join(LOSSES)}.", Fault.NO_SUCH_CHOICE)
    if absolute_sigma and not sigma_given:
        raise DataError("absolute_sigma needs sigma: give the standard deviations of y.", Fault.MISSING)
    if absolute_sigma and loss != SQUARES:
        raise DataError(
            f"A {loss} fit takes its scatter from the rows, so known standard deviations would be left unused. "
            "Fit by squares, or without absolute_sigma.",
            Fault.NO_EFFECT,
        )
    if isinstance(seed, bool) or not isinstance(seed, (int, np.integer)) or seed < 0:
        raise DataError(f"A seed is a whole number from 0; {seed!r} was given.", Fault.WRONG_KIND)
