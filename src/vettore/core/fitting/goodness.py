"""How good a fit is: the statistics that follow from its residuals, its rows and the number of its coefficients."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array, largest
from vettore.core.distributions import chi_squared_above


@dataclass(frozen=True, eq=False, repr=False, kw_only=True)
class Goodness:
    """``residuals`` of ``n`` rows with measured values ``y``; ``total`` works out the sum of squares that R² rests on.

    ``constant`` tells whether the model has a constant, ``leverages`` the leverage of the rows; both when asked for.
    With ``absolute_sigma`` the sums of squares are in units of known standard deviations. A fit of counts has a ``deviance``,
    and that of their mean for all rows; its R² is the share of that which the curve takes up.
    """

    n: int
    degrees_of_freedom: int
    sum_of_squares: float
    total: Callable[[bool], float]
    constant: Callable[[], bool]
    residuals: Array
    leverages: Callable[[], Array]
    y: Array
    absolute_sigma: bool = False
    deviance: float | None = None
    deviance_of_mean: float | None = None

    @cached_property
    def leverage(self) -> Array:
        """How far each row decides its own fitted value, from 0 to 1: the diagonal of the hat matrix."""
        return self.leverages()

    @cached_property
    def total_sum_of_squares(self) -> float:
        """The sum of squares of y about its mean, or about zero (``r_squared_against``)."""
        return self.total(self.has_constant)

    @cached_property
    def has_constant(self) -> bool:
        """Whether the model can move its curve up and down as a whole, whatever the spelling of its formula."""
        return self.constant()

    @property
    def r_squared_against(self) -> str:
        """What R² compares with: the mean of y for a model with a constant and for counts, else zero."""
        if self.deviance is not None:
            return "mean"
        return "mean" if self.has_constant else "zero"

    @property
    def chi_squared(self) -> float | None:
        """χ², the sum of squares in units of known standard deviations; None where they are not known."""
        return self.sum_of_squares if self.absolute_sigma else None

    @property
    def reduced_chi_squared(self) -> float | None:
        """χ²/ν, near 1 where the curve is right and the standard deviations are, too."""
        if self.chi_squared is None or self.degrees_of_freedom < 1:
            return None
        return self.chi_squared / self.degrees_of_freedom

    @property
    def chi_squared_p(self) -> float | None:
        """The probability of a χ² at least as large where curve and standard deviations are right."""
        if self.chi_squared is None or self.degrees_of_freedom < 1:
            return None
        return chi_squared_above(self.chi_squared, self.degrees_of_freedom)

    @property
    def deviance_p(self) -> float | None:
        """The probability of a deviance at least as large where the curve is right; rough for counts of few."""
        if self.deviance is None or self.degrees_of_freedom < 1:
            return None
        return chi_squared_above(self.deviance, self.degrees_of_freedom)

    @property
    def interval_freedom(self) -> float:
        """The degrees of freedom of intervals: infinite, which makes them normal, where σ is known."""
        return math.inf if self.absolute_sigma else float(self.degrees_of_freedom)

    @cached_property
    def fitted(self) -> Array:
        """The values of the curve, shape (n,)."""
        return self.y - self.residuals

    @property
    def r_squared(self) -> float | None:
        """Share of the total sum of squares, or of the deviance of counts, that the curve takes up."""
        if self.deviance is not None:
            return None if not self.deviance_of_mean else 1.0 - self.deviance / self.deviance_of_mean
        if self.total_sum_of_squares <= 0:
            return None
        return 1.0 - self.sum_of_squares / self.total_sum_of_squares

    @property
    def adjusted_r_squared(self) -> float | None:
        """R² with both sums of squares divided by their degrees of freedom."""
        if self.r_squared is None or self.degrees_of_freedom < 1:
            return None
        total = self.n - 1 if self.r_squared_against == "mean" else self.n
        return 1.0 - (1.0 - self.r_squared) * total / self.degrees_of_freedom

    @property
    def aicc(self) -> float:
        """Akaike's criterion corrected for few rows (Hurvich & Tsai 1989), up to a constant of the rows.

        The variance counts as a parameter unless it is known. Infinite when there are too few rows to say.
        """
        k = self._parameters
        if self.n - k - 1 <= 0:
            return math.inf
        return self._misfit() + 2 * k + 2 * k * (k + 1) / (self.n - k - 1)

    @property
    def bic(self) -> float:
        """Schwarz's criterion, up to a constant of the rows."""
        return self._misfit() + self._parameters * math.log(self.n)

    @property
    def left_one_out_error(self) -> float | None:
        """Root mean square of each row's miss by the fit without it: r/(1 − leverage), exact for linear models."""
        rest = 1.0 - self.leverage
        if self.degrees_of_freedom < 1 or rest.min() < 1e-12:
            return None
        return float(math.sqrt(float(((self.residuals / rest) ** 2).mean())))

    @cached_property
    def exact(self) -> bool:
        """Whether every residual is no more than the rounding of y."""
        return not len(self.y) or bool(largest(self.residuals) <= 4 * np.finfo(np.float64).eps * largest(self.y))

    @property
    def _parameters(self) -> int:
        return self.n - self.degrees_of_freedom + (0 if self.absolute_sigma else 1)

    def _misfit(self) -> float:
        """Return −2 ln L up to a constant of the rows: with known σ that is χ², for counts the deviance."""
        if self.deviance is not None:
            return self.deviance
        if self.absolute_sigma:
            return self.sum_of_squares
        if self.exact:
            return -math.inf
        return self.n * math.log(self.sum_of_squares / self.n)
