"""What a fit returns. Frozen; a quantity that cannot be known is None, never NaN."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.curve import Curve
from vettore.core.distributions import t_two_sided
from vettore.core.errors import DataError


@dataclass(frozen=True)
class Coefficient:
    """One coefficient: its value, and its uncertainty where there is any (None when held or at a limit).

    ``t`` is the value over its standard error, with so many degrees of ``freedom``.
    """

    name: str
    value: float
    standard_error: float | None = None
    low: float | None = None
    high: float | None = None
    t: float | None = None
    freedom: int = 0
    held: bool = False
    at_limit: bool = False

    @property
    def p(self) -> float | None:
        """The probability of a value at least as far from zero if the true one were zero."""
        return None if self.t is None else t_two_sided(self.t, self.freedom)


@dataclass(frozen=True)
class Alternative:
    """Another answer that the search met, with its coefficients and sum of squares."""

    values: Mapping[str, float]
    sum_of_squares: float


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


@dataclass(frozen=True, eq=False)
class FitResult:
    """A fit and everything that is reported of it. Arrays have one entry per row in use, in the order given.

    ``rows_in_use`` marks the rows used among those given; ``left_out`` names the others, counted from 1.
    ``r_squared`` compares with the mean when the model contains a constant, otherwise with zero
    (``r_squared_against``), and is None when y does not vary; ``total`` works out the sum of squares that it rests on,
    ``leverages`` the leverage of the rows.
    Sums of squares carry the weights of the rows, not those of a robust ``loss``; ``weighted_down`` names the rows
    that the loss weighs less than half, counted from 1.
    ``fitted_names`` are the coefficients that ``covariance`` covers, in its order. ``sigma`` (n,) are standard
    deviations as far as weights tell them. ``gradient`` is ‖Qᵀr‖/‖r‖ at the answer, ``stops`` the points on the way there
    for the coefficients ``searched_for``.
    """

    coefficients: Mapping[str, Coefficient]
    given_curve: Curve | None
    formula: str
    method: str
    converged: bool
    message: str
    warnings: tuple[str, ...]
    n: int
    degrees_of_freedom: int
    sum_of_squares: float
    total: Callable[[], float]
    r_squared_against: str
    residual_sd: float | None
    covariance: Array | None
    residuals: Array
    leverages: Callable[[], Array]
    x: Array
    y: Array
    rows_in_use: Mask
    left_out: tuple[int, ...]
    level: float = 0.95
    weighted: bool = False
    iterations: int = 0
    starts_tried: int = 0
    has_constant: bool = field(default=True)
    loss: str = "squares"
    weighted_down: tuple[int, ...] = ()
    alternatives: tuple[Alternative, ...] = ()
    gradient: float = 0.0
    stops: tuple[Stop, ...] = ()
    searched_for: tuple[str, ...] = ()
    sigma: Array | None = None
    fitted_names: tuple[str, ...] = ()
    transformed: bool = False

    @property
    def curve(self) -> Curve:
        """The curve of a model over one column. Raises DataError for a model over several."""
        if self.given_curve is None:
            raise DataError("A model of several columns has no curve over one of them.")
        return self.given_curve

    @cached_property
    def leverage(self) -> Array:
        """How far each row decides its own fitted value, from 0 to 1: the diagonal of the hat matrix."""
        return self.leverages()

    @cached_property
    def total_sum_of_squares(self) -> float:
        """The sum of squares of y about its mean, or about zero (``r_squared_against``)."""
        return self.total()

    @cached_property
    def correlation(self) -> Array | None:
        """The correlations of the coefficients in ``fitted_names``; None where they cannot be known."""
        if self.covariance is None:
            return None
        spread = np.sqrt(np.diag(self.covariance))
        if not spread.all():
            return None
        return np.clip(self.covariance / np.outer(spread, spread), -1.0, 1.0)

    @cached_property
    def path(self) -> tuple[Iteration, ...]:
        """The iterations, from the start to where the search ended."""
        return tuple(
            Iteration(
                stop.squares,
                stop.damping,
                dict(zip(self.searched_for, [*stop.c.tolist(), *stop.alpha.tolist()], strict=True)),
            )
            for stop in self.stops
        )

    @cached_property
    def fitted(self) -> Array:
        """The values of the curve, shape (n,)."""
        return self.y - self.residuals

    @property
    def values(self) -> tuple[float, ...]:
        """The values of the coefficients, in formula order."""
        return tuple(coefficient.value for coefficient in self.coefficients.values())

    @property
    def r_squared(self) -> float | None:
        """Share of the total sum of squares that the curve takes up."""
        if self.total_sum_of_squares <= 0:
            return None
        return 1.0 - self.sum_of_squares / self.total_sum_of_squares

    @property
    def adjusted_r_squared(self) -> float | None:
        """R² with both sums of squares divided by their degrees of freedom."""
        if self.r_squared is None or self.degrees_of_freedom < 1:
            return None
        total = self.n - 1 if self.has_constant else self.n
        return 1.0 - (1.0 - self.r_squared) * total / self.degrees_of_freedom

    @property
    def aicc(self) -> float:
        """Akaike's criterion corrected for few rows (Hurvich & Tsai 1989), up to a constant of the rows.

        The variance counts as a parameter. Infinite when there are too few rows to say.
        """
        k = self.n - self.degrees_of_freedom + 1
        if self.n - k - 1 <= 0:
            return math.inf
        return self._misfit() + 2 * k + 2 * k * (k + 1) / (self.n - k - 1)

    @property
    def bic(self) -> float:
        """Schwarz's criterion, up to a constant of the rows."""
        return self._misfit() + (self.n - self.degrees_of_freedom + 1) * math.log(self.n)

    @property
    def left_one_out_error(self) -> float | None:
        """Root mean square of each row's miss by the fit without it: r/(1 − leverage), exact for linear models."""
        rest = 1.0 - self.leverage
        if self.degrees_of_freedom < 1 or rest.min() < 1e-12:
            return None
        return float(math.sqrt(float(((self.residuals / rest) ** 2).mean())))

    @property
    def exact(self) -> bool:
        """Whether every residual is no more than the rounding of y."""
        return bool(np.all(np.abs(self.residuals) <= 4 * np.finfo(np.float64).eps * np.max(np.abs(self.y))))

    def _misfit(self) -> float:
        if self.exact:
            return -math.inf
        return self.n * math.log(self.sum_of_squares / self.n)
