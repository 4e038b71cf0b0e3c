"""What a fit returns. Frozen; a quantity that cannot be known is None, never NaN."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from copy import copy
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from functools import cached_property, partial
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Mask
from vettore.core.curve import Curve
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.coefficients import Coefficient, Coefficients
from vettore.core.fitting.details import Correlated, Counts, Details, ErrorsInX, Growing
from vettore.core.fitting.goodness import Goodness
from vettore.core.fitting.predicting import Predicts
from vettore.core.fitting.record import Alternative, Iteration, Noise, Search, Status, Trace
from vettore.core.fitting.scatter import scatter_about
from vettore.core.remarks import Remark, RemarkKind, counted, sentences
from vettore.core.telling import Known, Tells, short


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
TOLD_ARRAYS = ("covariance", "correlation", "residuals", "fitted", "leverage")


@dataclass(frozen=True, eq=False, repr=False, kw_only=True)
class FitResult(Goodness, Predicts, Tells):
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
    ``fitted_names`` are the coefficients that ``covariance`` covers, in its order. ``sigma`` (n,) are standard
    deviations of the left side as far as weights tell them, and known ones with ``absolute_sigma``. ``trace`` is the way to
    the answer, and ``details`` what its kind of noise or of coefficients has beside all this.
    """

    coefficients: Mapping[str, Coefficient]
    given_curve: Curve | None
    formula: str
    method: FitMethod
    status: Status
    own_remarks: tuple[Remark, ...]
    residual_sd: float | None
    covariance: Array | None
    basis: Callable[[], Array]
    x: Array
    rows_in_use: Mask
    left_out: tuple[int, ...]
    level: float = 0.95
    weighted: bool = False
    loss: str = "squares"
    weighted_down: tuple[int, ...] = ()
    sigma: Array | None = None
    fitted_names: tuple[str, ...] = ()
    left: str = ""
    powers: Mapping[str, int] = field(default_factory=dict)
    transformed: bool = False
    trace: Trace = field(default_factory=Trace)
    details: Details | None = None

    def __post_init__(self) -> None:
        object.__setattr__(self, "coefficients", Coefficients(self.coefficients))

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
            **self._facts_of_kind(),
            "better": self.better,
            "alternatives": self.alternatives,
            **{name: getattr(self, name) for name in TOLD_ARRAYS},
        }

    def _facts_of_kind(self) -> dict[str, Any]:
        """Return what is told of the kind of noise."""
        details = self.details
        if isinstance(details, Counts):
            told = ("noise", "deviance", "deviance_of_mean", "deviance_p")
            return {**{name: getattr(self, name) for name in told}, "signed_deviance": details.signed_deviance}
        if isinstance(details, Growing):
            return {"noise": details.noise, "spread": asdict(details.spread)}
        if isinstance(details, Correlated) and details.memory is not None:
            return {"noise": details.noise, "memory": asdict(details.memory)}
        return {}

    def __getstate__(self) -> dict[str, Any]:
        """Return what is kept when the result is sent or stored: all that is worked out when asked for, worked out."""
        return {
            **{name: value for name, value in self.__dict__.items() if name != "_measured_curve"},
            "total": Known({(with_constant,): self.total(with_constant) for with_constant in (True, False)}),
            "constant": Known({(): self.constant()}),
            "leverages": Known({(): self.leverages()}),
            "basis": Known({(): self.basis()}),
            "trace": replace(
                self.trace, beside=None if self.trace.beside is None else partial(_found_before, self.better)
            ),
        }

    @cached_property
    def better(self) -> Alternative | None:
        """A clearly better answer than that of the start that was given, from a round of the search without it.

        Looked for when it is first asked for, or the remarks are.
        """
        return None if self.trace.beside is None else self.trace.beside(self)

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
        # How alike neighbours are, or how the scatter grows, where the rows told it.
        memory = isinstance(self.details, Correlated) and self.details.memory is not None
        spread = isinstance(self.details, Growing) and self.details.spread.p is not None
        return super()._parameters + (1 if memory or spread else 0)

    def _misfit(self) -> float:
        value, details = super()._misfit(), self.details
        if isinstance(details, Correlated):
            return value + details.log_det
        # A scatter that follows from the curve is part of the likelihood.
        if isinstance(details, Growing) and self.sigma is not None:
            return value + 2 * float(np.log(self.sigma).sum())
        return value

    @property
    def error_of_y(self) -> Array | None:
        """The ± of y alone (n,), None where none is known."""
        if isinstance(self.details, ErrorsInX) and self.details.sigma_y is not None:
            return self.details.sigma_y
        return self.sigma

    @property
    def converged(self) -> bool:
        """Whether the answer is where the squares, or what is made least in their place, fall no more."""
        return self.status is not Status.NOT_CONVERGED

    @property
    def noise(self) -> str:
        """How y scatters about the curve: the name of the kind."""
        return Noise.NORMAL if self.details is None else self.details.noise

    @property
    def iterations(self) -> int:
        """The steps that led to the answer; 0 where it was solved directly."""
        return self.trace.iterations

    @property
    def gradient(self) -> float:
        """‖Qᵀr‖/‖r‖ at the answer."""
        return self.trace.gradient

    @property
    def search(self) -> Search | None:
        """How the answer was searched for; None where it was not."""
        return self.trace.search

    @property
    def message(self) -> str:
        """How the answer was come by, and how near to it the search ended."""
        how = "" if self.details is None else self.details.how
        if how:
            return f"{self.status.capitalize()} in {counted(self.iterations, 'step')} {how}."
        if self.search is None:
            return f"{self.status.capitalize()}: the coefficients enter linearly."
        tried, rounds = self.starts_tried, f"{self.search.rounds} {self.search.unit}"
        starts = "one start" if tried == 1 else f"{tried} starts"
        agreed = "" if self.search.agreed is None else f"; {self.search.agreed} of {rounds} agree"
        is_at = "; the gradient is" if self.converged else ": the gradient is still"
        return f"{self.status.capitalize()} from {starts}{agreed}{is_at} {self.gradient:.0e} of the residuals."

    @property
    def starts_tried(self) -> int:
        """The number of starts that the search took; 0 where none was needed."""
        return 0 if self.search is None else self.search.tried

    def as_asked(self) -> dict[str, Any]:
        """Return what a fit of other rows or of another text in this one's place takes over of it: what was asked."""
        names = ("formula", "left", "powers", "transformed", "x", "rows_in_use", "left_out")
        return {name: getattr(self, name) for name in names}

    @property
    def alternatives(self) -> tuple[Alternative, ...]:
        """Other answers that the search met."""
        return () if self.search is None else self.search.others

    @property
    def curve(self) -> Curve:
        """The curve of a model over one column. Raises DataError for a model over several."""
        if self.given_curve is None:
            raise DataError("A model of several columns has no curve over one of them.", Fault.UNAVAILABLE)
        return self._measured_curve

    @cached_property
    def _measured_curve(self) -> Curve:
        """The curve, which knows how a measurement beside it scatters."""
        assert self.given_curve is not None
        curve = copy(self.given_curve)
        curve.scatter = scatter_about(curve, self.details, self.fitted, self.sigma, self.absolute_sigma)
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
                dict(zip(self.trace.names, [*stop.c.tolist(), *stop.alpha.tolist()], strict=True)),
            )
            for stop in self.trace.stops
        )

    @property
    def values(self) -> tuple[float, ...]:
        """The values of the coefficients, in formula order."""
        return tuple(coefficient.value for coefficient in self.coefficients.values())


def _found_before(better: Alternative | None, _: FitResult) -> Alternative | None:
    """Return a better answer as it was found before the result was stored."""
    return better
