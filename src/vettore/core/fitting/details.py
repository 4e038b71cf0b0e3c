"""What a fit has beside the common statistics, by the kind of its noise or of its coefficients."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import ClassVar

from vettore.core.arrays import Array
from vettore.core.fitting.record import Memory, Noise, Spread


@dataclass(frozen=True, eq=False)
class Counts:
    """Of a fit of counts: ``signed_deviance`` (n,) are the deviance residuals.

    With binomial noise ``trials`` (n,) say of how many each share of ``whole`` is; the standard deviations that the curve
    gives the rows are the result's ``sigma``.
    """

    noise: str
    trials: Array | None
    whole: float
    signed_deviance: Array
    how: ClassVar[str] = "to the greatest likelihood"


@dataclass(frozen=True, eq=False)
class Growing:
    """Of a scatter that grows with the curve: how it does; the result's ``sigma`` follow from it."""

    noise: str
    spread: Spread
    how: ClassVar[str] = ""


@dataclass(frozen=True, eq=False)
class Correlated:
    """Of rows whose errors are correlated: ``whitened`` (n,) are residuals that are not.

    ``log_det`` is the logarithm of the determinant of what correlates them; ``memory`` says how alike neighbours are where
    the rows told it, and is None for a covariance that was given.
    """

    whitened: Array
    log_det: float
    memory: Memory | None
    noise: ClassVar[str] = Noise.CORRELATED
    how: ClassVar[str] = "with the correlation of the rows taken out of them"


@dataclass(frozen=True, eq=False)
class ErrorsInX:
    """Of rows with a ± of x: ``sigma_x`` and ``sigma_y`` (n,), and ``true_x`` (n,) where each row is taken to be.

    The result's ``sigma`` is what both ± make of y there, and its residuals are those at the measured x. ``correlation``
    (n,) is how a row's errors of x and y go together, None where that was not given.
    """

    sigma_x: Array
    sigma_y: Array | None
    true_x: Array
    correlation: Array | None
    noise: ClassVar[str] = Noise.NORMAL
    how: ClassVar[str] = "with the true x of every row found beside the coefficients"


@dataclass(frozen=True, eq=False)
class Steps:
    """Of a curve that steps: for each coefficient that says where, the gap between rows that holds it."""

    gaps: Mapping[str, tuple[float, float]]
    noise: ClassVar[str] = Noise.NORMAL
    how: ClassVar[str] = ""


Details = Counts | Growing | Correlated | ErrorsInX | Steps
