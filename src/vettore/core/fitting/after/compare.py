"""Several models fitted to the same rows, side by side."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.columns.scatter import f_above
from vettore.core.distributions import chi_squared_above
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.after.diagnostics import weighted_residuals
from vettore.core.fitting.details import Correlated, Counts, ErrorsInX
from vettore.core.fitting.record import Noise
from vettore.core.fitting.result import FitResult

# AICc nearer to the best than this counts as equally good (Burnham & Anderson 2002, §2.6).
EQUALLY_GOOD = 2.0


def check_comparable(results: Sequence[FitResult]) -> None:
    """Insist that fits explain the same left side on the same rows with the same weights and loss.

    Their sums of squares, and so AICc, BIC and F, say nothing about each other otherwise. Raises DataError.
    """
    if not results:
        return
    first = results[0]
    lefts = {result.left for result in results}
    if len(lefts) > 1 and any(not np.array_equal(result.y, first.y) for result in results):
        raise DataError(
            f"Fits of {' and of '.join(sorted(lefts))} cannot be compared: their residuals, and so R² and AICc, "
            "measure different things. Compare the curves on y itself.",
            Fault.NOT_COMPARABLE,
        )
    if any(not np.array_equal(result.rows_in_use, first.rows_in_use) for result in results):
        raise DataError(
            "The fits rest on different rows. Compare them on the rows that all can use.", Fault.NOT_COMPARABLE
        )
    if any(not np.array_equal(result.y, first.y) for result in results):
        raise DataError(
            "The fits rest on different values of y, so their sums of squares say nothing of each other.",
            Fault.NOT_COMPARABLE,
        )
    if len({result.loss for result in results}) > 1:
        raise DataError(
            "Fits with different losses weigh the rows differently and cannot be compared.", Fault.NOT_COMPARABLE
        )
    if any(result.noise != first.noise or not _alike(_trials(result), _trials(first)) for result in results):
        raise DataError(
            "The fits take the rows for different kinds of noise, so their likelihoods cannot be compared.",
            Fault.NOT_COMPARABLE,
        )
    if len({result.absolute_sigma for result in results}) > 1:
        raise DataError(
            "One fit takes the ± of y as known and another as relative, so their likelihoods cannot be compared.",
            Fault.NOT_COMPARABLE,
        )
    if any(not _same_weights(result, first) for result in results):
        raise DataError(
            "The fits weigh the rows differently, so their sums of squares, and with them AICc and F, measure different "
            "things. Compare them with the same weights.",
            Fault.NOT_COMPARABLE,
        )


def _same_weights(result: FitResult, other: FitResult) -> bool:
    # What counts scatter by, or what rows tell of their scatter, follows from each curve; a covariance that is known does not.
    if result.noise != Noise.NORMAL:
        own, others = result.details, other.details
        if not isinstance(own, Correlated) or not isinstance(others, Correlated) or own.memory is not None:
            return True
        return math.isclose(own.log_det, others.log_det, rel_tol=1e-9, abs_tol=1e-12)
    # With errors in x what both make of a row depends on the curve; what was given does not.
    return _alike(result.error_of_y, other.error_of_y) and _alike(_error_of_x(result), _error_of_x(other))


def _trials(result: FitResult) -> Array | None:
    return result.details.trials if isinstance(result.details, Counts) else None


def _error_of_x(result: FitResult) -> Array | None:
    return result.details.sigma_x if isinstance(result.details, ErrorsInX) else None


def _alike(values: Array | None, other: Array | None) -> bool:
    if values is None or other is None:
        return values is None and other is None
    return bool(np.allclose(values, other, rtol=1e-9, atol=0.0))


def akaike_weights(results: Sequence[FitResult]) -> tuple[float, ...]:
    """Return how the evidence is shared among the fits (Burnham & Anderson 2002); the weights add up to 1.

    Raises DataError for fits that cannot be compared, see check_comparable.

    >>> from vettore import core
    >>> x, y = [0, 1, 2, 3, 4, 5], [0.1, 0.9, 4.2, 8.8, 16.1, 25.0]
    >>> fits = [core.fit_polynomial(x, y, degree) for degree in (1, 2)]
    >>> [round(weight, 3) for weight in core.akaike_weights(fits)]
    [0.062, 0.938]
    """
    check_comparable(results)
    criteria = [result.aicc for result in results]
    finite = [value for value in criteria if value < math.inf]
    if not finite:
        return tuple(1.0 / len(results) for _ in results)
    best = min(finite)
    if best == -math.inf:
        # Exact fits: the simplest of them carries all the weight.
        exact = [i for i, value in enumerate(criteria) if value == -math.inf]
        simplest = min(exact, key=lambda i: len(results[i].coefficients))
        return tuple(float(i == simplest) for i in range(len(results)))
    raw = [math.exp((best - value) / 2) if value < math.inf else 0.0 for value in criteria]
    return tuple(value / sum(raw) for value in raw)


@dataclass(frozen=True)
class Compared:
    """One fit of a comparison; ``equal`` says that it is as good as the best."""

    name: str
    result: FitResult
    weight: float
    difference: float
    equal: bool

    @property
    def coefficients(self) -> int:
        """How many coefficients were fitted."""
        return self.result.n - self.result.degrees_of_freedom

    @property
    def r_squared_about_mean(self) -> float | None:
        """R² against the mean, whatever the model, so that models with and without a constant compare."""
        result = self.result
        weights = np.ones(result.n) if result.sigma is None else result.sigma**-2.0
        mean = float(np.average(result.y, weights=weights))
        total = float(np.sum(weights * (result.y - mean) ** 2))
        return 1.0 - float(np.sum(weights * result.residuals**2)) / total if total > 0 else None

    @property
    def adjusted_r_squared_about_mean(self) -> float | None:
        """That R², or that of the deviance of counts, with both sums divided by their degrees of freedom."""
        result = self.result
        share = result.r_squared if result.deviance is not None else self.r_squared_about_mean
        if share is None or result.degrees_of_freedom < 1:
            return None
        return 1.0 - (1.0 - share) * (result.n - 1) / result.degrees_of_freedom


def compare(fits: Mapping[str, FitResult]) -> tuple[Compared, ...]:
    """Return fits best first by AICc; of those equally good, the simplest first. Raises DataError.

    The fits must rest on the same rows and explain the same left side: a fit of y and one of ln(y) have no sum of
    squares in common.

    >>> from vettore import core
    >>> x, y = [0, 1, 2, 3, 4, 5], [0.1, 0.9, 4.2, 8.8, 16.1, 25.0]
    >>> rivals = {"line": core.fit_polynomial(x, y, 1), "parabola": core.fit_polynomial(x, y, 2)}
    >>> core.compare(rivals)[0].name
    'parabola'
    """
    results = list(fits.values())
    if not results:
        raise DataError("There is nothing to compare.", Fault.NOT_COMPARABLE)
    weights = akaike_weights(results)
    best = min(result.aicc for result in results)
    out = []
    for (name, result), weight in zip(fits.items(), weights, strict=True):
        # Infinities of the same sign do not differ.
        gap = 0.0 if result.aicc == best else result.aicc - best
        out.append(Compared(name, result, weight, gap, gap < EQUALLY_GOOD))
    return tuple(
        sorted(
            out,
            key=lambda compared: (
                (0, compared.coefficients, compared.difference) if compared.equal else (1, 0, compared.difference)
            ),
        )
    )


@dataclass(frozen=True)
class Nested:
    """The F test of a larger model against a smaller one that it contains."""

    f: float
    p: float
    top: int
    bottom: float


def nested_f(small: FitResult, large: FitResult) -> Nested:
    """Test whether the larger of two nested models fits better than chance would have it. Raises DataError."""
    check_comparable([small, large])
    top = small.degrees_of_freedom - large.degrees_of_freedom
    if top < 1 or large.degrees_of_freedom < 1:
        raise DataError(
            "The larger model must have more coefficients than the smaller, and rows to spare.", Fault.NOT_COMPARABLE
        )
    if small.noise != Noise.NORMAL:
        raise DataError(
            "The scatter of these models follows from their curves; AICc compares them, and no F test.",
            Fault.NOT_COMPARABLE,
        )
    s, t = (float(np.sum(weighted_residuals(result) ** 2)) for result in (small, large))
    if t > s * (1 + 1e-9):
        raise DataError(
            "The model with more coefficients fits worse, so it does not contain the other.", Fault.NOT_COMPARABLE
        )
    if large.absolute_sigma:
        # With known σ the fall of χ² is itself a χ² variable, an F over infinitely many degrees of freedom.
        f = max(s - t, 0.0) / top
        return Nested(f, chi_squared_above(f * top, top), top, math.inf)
    f = max(s - t, 0.0) / top / (t / large.degrees_of_freedom) if t > 0 else math.inf
    return Nested(f, f_above(f, top, large.degrees_of_freedom), top, large.degrees_of_freedom)
