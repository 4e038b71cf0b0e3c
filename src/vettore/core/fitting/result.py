"""What a fit returns. Frozen; a quantity that cannot be known is None, never NaN."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from copy import copy
from dataclasses import asdict, dataclass, field
from enum import StrEnum
from functools import cached_property, partial
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.curve import Curve
from vettore.core.distributions import t_two_sided
from vettore.core.errors import DataError
from vettore.core.fitting.goodness import Goodness
from vettore.core.fitting.record import Alternative, Iteration, Memory, Noise, Search, Spread, Stop
from vettore.core.inverse import scatter_of
from vettore.core.remarks import Remark, RemarkKind, counted, sentences
from vettore.core.telling import Known, Tells, short


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
    freedom: float = 0
    held: bool = False
    at_limit: bool = False

    @property
    def p(self) -> float | None:
        """The probability of a value at least as far from zero if the true one were zero."""
        return None if self.t is None else t_two_sided(self.t, self.freedom)


class FitMethod(StrEnum):
    """How the coefficients were found."""

    LINEAR = "linear least squares"
    NONLINEAR = "nonlinear least squares"
    ORTHOGONAL = "least squares with errors in x and y (orthogonal distance)"
    HUBER = "robust fit (huber loss)"
    CAUCHY = "robust fit (cauchy loss)"
    TUKEY = "robust fit (tukey loss)"
    CORRELATED = "generalised least squares of correlated rows"
    POISSON = "greatest likelihood of Poisson counts"
    BINOMIAL = "greatest likelihood of binomial shares"


# What a result tells of itself, in this order.
TOLD = (
    "n",
    "degrees_of_freedom",
    "r_squared",
    "r_squared_against",
    "adjusted_r_squared",
    "sum_of_squares",
    "total_sum_of_squares",
    "residual_sd",
    "absolute_sigma",
    "chi_squared",
    "reduced_chi_squared",
    "chi_squared_p",
    "aicc",
    "bic",
    "left_one_out_error",
    "level",
    "weighted",
    "loss",
    "weighted_down",
    "iterations",
    "starts_tried",
    "gradient",
)
TOLD_OF_COUNTS = ("noise", "deviance", "deviance_of_mean", "deviance_p", "signed_deviance")
TOLD_ARRAYS = ("covariance", "correlation", "residuals", "fitted", "leverage")


@dataclass(frozen=True, eq=False, repr=False, kw_only=True)
class FitResult(Goodness, Tells):
    """A fit and everything that is reported of it. Arrays have one entry per row in use, in the order given.

    ``rows_in_use`` marks the rows used among those given; ``left_out`` names the others, counted from 1.
    ``r_squared`` compares with the mean when the model contains a constant, otherwise with zero
    (``r_squared_against``), and is None when y does not vary; ``total`` works out the sum of squares that it rests on,
    ``leverages`` the leverage of the rows.
    Sums of squares carry the weights of the rows, not those of a robust ``loss``; ``weighted_down`` names the rows
    that the loss weighs less than half, counted from 1.
    ``left`` is what was fitted, as the formula writes it; ``powers`` are those of x that the coefficients of a polynomial
    go with, empty for other models.
    ``basis`` gives an orthonormal basis of the columns of the weighted Jacobian at the answer, (n, coefficients).
    ``beside`` looks for a better answer than a given start led to this one, see ``better``.
    ``fitted_names`` are the coefficients that ``covariance`` covers, in its order. ``sigma`` (n,) are standard
    deviations of the left side as far as weights tell them, and known ones with ``absolute_sigma``. ``gradient`` is
    ‖Qᵀr‖/‖r‖ at the answer, ``stops`` the points on the way there for the coefficients ``searched_for``.
    With errors in x, ``sigma_x`` and ``sigma_y`` (n,) are those of x and of the left side, ``sigma`` what both make of it, and
    ``true_x`` (n,) where each row is taken to be; residuals are those at the measured x. ``error_correlation`` (n,) is how a
    row's errors of x and y go together, where that was given.
    Of a fit of counts ``noise`` says which, ``trials`` (n,) of how many each share of ``whole`` is, ``signed_deviance`` (n,)
    are the deviance residuals, and ``sigma`` the standard deviations that the curve gives the rows. Where scatter grows with
    the curve ``spread`` says how, and ``sigma`` are those that follow.
    Of rows whose errors are correlated ``whitened`` (n,) are residuals that are not, ``log_det`` is the logarithm of the
    determinant of what correlates them, and ``memory`` says how alike neighbours are where the rows told it.
    """

    coefficients: Mapping[str, Coefficient]
    given_curve: Curve | None
    formula: str
    method: FitMethod
    converged: bool
    own_remarks: tuple[Remark, ...]
    residual_sd: float | None
    covariance: Array | None
    basis: Callable[[], Array]
    x: Array
    rows_in_use: Mask
    left_out: tuple[int, ...]
    level: float = 0.95
    weighted: bool = False
    iterations: int = 0
    search: Search | None = None
    loss: str = "squares"
    weighted_down: tuple[int, ...] = ()
    gradient: float = 0.0
    stops: tuple[Stop, ...] = ()
    searched_for: tuple[str, ...] = ()
    sigma: Array | None = None
    beside: Callable[[FitResult], Alternative | None] | None = None
    fitted_names: tuple[str, ...] = ()
    left: str = ""
    powers: Mapping[str, int] = field(default_factory=dict)
    transformed: bool = False
    sigma_x: Array | None = None
    sigma_y: Array | None = None
    error_correlation: Array | None = None
    true_x: Array | None = None
    noise: str = Noise.NORMAL
    trials: Array | None = None
    whole: float = 1.0
    signed_deviance: Array | None = None
    spread: Spread | None = None
    memory: Memory | None = None
    whitened: Array | None = None
    log_det: float = 0.0

    def _line(self) -> str:
        text = ", ".join(
            f"{name} = {short(coefficient.value)}"
            + (f" ± {coefficient.standard_error:.2g}" if coefficient.standard_error is not None else "")
            for name, coefficient in self.coefficients.items()
        )
        state = "" if self.converged else ", did not converge"
        return f"{self.formula}; {text}; R² = {short(self.r_squared) or 'unknown'}, n = {self.n}{state}"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        ones = list(self.coefficients.values())
        fields = ("value", "standard_error", "low", "high", "t", "p", "held", "at_limit")
        return {
            "coefficient": list(self.coefficients),
            **{f: [getattr(coefficient, f) for coefficient in ones] for f in fields},
        }

    def _facts(self) -> Mapping[str, Any]:
        return {
            "formula": self.formula,
            "method": self.method,
            "converged": self.converged,
            "message": self.message,
            "warnings": self.warnings,
            "coefficients": {
                name: {**asdict(coefficient), "p": coefficient.p} for name, coefficient in self.coefficients.items()
            },
            "rows": np.flatnonzero(self.rows_in_use) + 1,
            **{name: getattr(self, name) for name in TOLD},
            **({name: getattr(self, name) for name in TOLD_OF_COUNTS} if self.deviance is not None else {}),
            **({} if self.spread is None else {"noise": self.noise, "spread": asdict(self.spread)}),
            **({} if self.memory is None else {"noise": self.noise, "memory": asdict(self.memory)}),
            "better": self.better,
            "alternatives": self.alternatives,
            **{name: getattr(self, name) for name in TOLD_ARRAYS},
        }

    def __getstate__(self) -> dict[str, Any]:
        """Return what is kept when the result is sent or stored: all that is worked out when asked for, worked out."""
        return {
            **{name: value for name, value in self.__dict__.items() if name != "_measured_curve"},
            "total": Known({(with_constant,): self.total(with_constant) for with_constant in (True, False)}),
            "constant": Known({(): self.constant()}),
            "leverages": Known({(): self.leverages()}),
            "basis": Known({(): self.basis()}),
            "beside": None if self.beside is None else partial(_found_before, self.better),
        }

    @cached_property
    def better(self) -> Alternative | None:
        """A clearly better answer than that of the start that was given, from a round of the search without it.

        Looked for when it is first asked for, or the remarks are.
        """
        return None if self.beside is None else self.beside(self)

    @cached_property
    def remarks(self) -> tuple[Remark, ...]:
        """What to be wary of; ``own_remarks`` and, where there is one, a better answer."""
        if self.better is None:
            return self.own_remarks
        kind, own, other = RemarkKind.BETTER_SQUARES, self.sum_of_squares, self.better.sum_of_squares
        if self.better.scale is not None and self.residual_sd is not None:
            kind, own, other = RemarkKind.BETTER_SCALE, self.residual_sd, self.better.scale
        return (*self.own_remarks, Remark(kind, figures=(own, other)))

    @cached_property
    def warnings(self) -> tuple[str, ...]:
        """The remarks in sentences."""
        return sentences(self.remarks)

    @property
    def _parameters(self) -> int:
        is_wanted = self.memory is not None or (self.spread is not None and self.spread.p is not None)
        return super()._parameters + (1 if is_wanted else 0)

    def _misfit(self) -> float:
        value = super()._misfit() + self.log_det
        # A scatter that follows from the curve is part of the likelihood.
        return value if self.spread is None or self.sigma is None else value + 2 * float(np.log(self.sigma).sum())

    @property
    def error_of_y(self) -> Array | None:
        """The ± of y alone (n,), None where none is known."""
        return self.sigma if self.sigma_y is None else self.sigma_y

    @property
    def message(self) -> str:
        """How the answer was come by, and how near to it the search ended."""
        if self.sigma_x is not None:
            how = "Converged" if self.converged else "Not converged"
            return f"{how} in {counted(self.iterations, 'step')} with the true x of every row found beside the coefficients."
        if self.whitened is not None:
            how = "Converged" if self.converged else "Not converged"
            return f"{how} in {counted(self.iterations, 'step')} with the correlation of the rows taken out of them."
        if self.deviance is not None:
            how = "Converged" if self.converged else "Not converged"
            return f"{how} in {counted(self.iterations, 'step')} to the greatest likelihood."
        if self.search is None:
            return "Solved directly: the coefficients enter linearly."
        tried, rounds = self.starts_tried, f"{self.search.rounds} {self.search.unit}"
        starts = "one start" if tried == 1 else f"{tried} starts"
        agreed = "" if self.search.agreed is None else f"; {self.search.agreed} of {rounds} agree"
        if self.converged:
            return f"Converged from {starts}{agreed}; the gradient is {self.gradient:.0e} of the residuals."
        return f"Not converged from {starts}{agreed}: the gradient is still {self.gradient:.0e} of the residuals."

    @property
    def starts_tried(self) -> int:
        """The number of starts that the search took; 0 where none was needed."""
        return 0 if self.search is None else self.search.tried

    @property
    def alternatives(self) -> tuple[Alternative, ...]:
        """Other answers that the search met."""
        return () if self.search is None else self.search.others

    @property
    def curve(self) -> Curve:
        """The curve of a model over one column. Raises DataError for a model over several."""
        if self.given_curve is None:
            raise DataError("A model of several columns has no curve over one of them.")
        return self._measured_curve

    @cached_property
    def _measured_curve(self) -> Curve:
        """The curve, which knows how a measurement beside it scatters."""
        assert self.given_curve is not None
        curve = copy(self.given_curve)
        curve.scatter = scatter_of(self, curve)
        return curve

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

    @property
    def values(self) -> tuple[float, ...]:
        """The values of the coefficients, in formula order."""
        return tuple(coefficient.value for coefficient in self.coefficients.values())


def _found_before(better: Alternative | None, _: FitResult) -> Alternative | None:
    """Return a better answer as it was found before the result was stored."""
    return better
