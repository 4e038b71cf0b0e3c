"""What is asked of a fit, and what a search tells of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, check_level

DEFAULT_SEED = 1
SQUARES = "squares"
LOSSES = (SQUARES, "huber", "cauchy", "tukey")

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

    def check(self, sigma_given: bool) -> None:
        """Refuse what cannot be asked, whatever the model and the data. Raises DataError."""
        check_level(self.level)
        if self.loss not in LOSSES:
            raise DataError(f"There is no loss “{self.loss}”. The losses are {', '.join(LOSSES)}.")
        if self.absolute_sigma and not sigma_given:
            raise DataError("absolute_sigma needs sigma: give the standard deviations of y.")
        if self.absolute_sigma and self.loss != SQUARES:
            raise DataError(
                f"A {self.loss} fit takes its scatter from the rows, so known standard deviations would be left unused. "
                "Fit by squares, or without absolute_sigma."
            )
        if isinstance(self.seed, bool) or not isinstance(self.seed, (int, np.integer)) or self.seed < 0:
            raise DataError(f"A seed is a whole number from 0; {self.seed!r} was given.")
