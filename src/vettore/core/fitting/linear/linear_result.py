"""From the solution of a linear problem to everything that is reported of it.

    s² = Σ w r² / (n − m),   cov(c) = s² (AᵀWA)⁻¹,   t = c / se(c)

With known standard deviations s² is 1 here, and intervals are those of the normal distribution.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from vettore.core.arithmetic.numbers import DoubleDouble, mean_and_squares, mean_and_squares_in_double
from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.distributions import t_quantile
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.record import Status
from vettore.core.fitting.result import FitMethod, FitResult
from vettore.core.fitting.rows import Rows
from vettore.core.remarks import Remark, RemarkKind

# Makes the curve, given the standard deviation of unit weight, the degrees of freedom and the σ common to all rows.
CurveMaker = Callable[[float | None, float, float | None], Curve | None]

# A constant whose part outside the column space is below this share of it lies inside.
CONSTANT_WITHIN = 1e-8
MOST_ROWS_ASKED = 4_000


@dataclass(frozen=True)
class LinearFit:
    """A solved linear problem; ``unit_covariance`` is (AᵀWA)⁻¹, ``curve`` awaits the scatter."""

    names: tuple[str, ...]
    values: tuple[float, ...]
    unit_covariance: Array
    residuals: Array
    sum_of_squares: float
    leverage: Callable[[], Array]
    basis: Callable[[], Array]
    has_constant: Callable[[], bool]
    curve: CurveMaker
    # Coefficients that were not fitted, with their values, and the order in which all are reported.
    others: Mapping[str, float] = field(default_factory=dict)
    order: tuple[str, ...] = ()
    remarks: tuple[Remark, ...] = ()
    transformed: bool = False
    # The powers of x that the coefficients go with, for a polynomial.
    powers: Mapping[str, int] = field(default_factory=dict)


def of_rows(rows: Rows) -> dict[str, Any]:
    """Return what a result says of its rows."""
    return {
        "x": rows.x,
        "y": rows.y,
        "rows_in_use": rows.in_use,
        "left_out": rows.left_out,
        "weighted": rows.weights is not None,
        "sigma": rows.sigma,
    }


def linear_result(
    fit: LinearFit, rows: Rows, formula: str, left: str, *, absolute_sigma: bool, level: float
) -> FitResult:
    """Return the full result. Raises DataError when the numbers leave the range of a double."""
    if not all(map(math.isfinite, (*fit.values, fit.sum_of_squares))):
        raise DataError(
            "The values are too large or small for arithmetic with 15 digits. Change the unit of a column.",
            Fault.OVERFLOW,
        )
    n, m = len(rows.y), len(fit.values)
    freedom = n - m
    remarks = [*rows.remarks, *fit.remarks]
    scatter: float | None = math.sqrt(fit.sum_of_squares / freedom) if freedom > 0 else None
    unit = 1.0 if absolute_sigma else scatter
    if unit is None:
        remarks.append(Remark(RemarkKind.THROUGH_EVERY_POINT, figures=(n, m)))
    if (rows.y == rows.y[0]).all() and (rows.y[0] == 0 or fit.has_constant()):
        remarks.append(Remark(RemarkKind.SAME_Y))
    covariance = fit.unit_covariance * unit**2 if unit is not None else None
    if covariance is not None and unit:
        check_variances(np.diag(covariance))
    interval_freedom = math.inf if absolute_sigma else float(max(freedom, 0))
    return FitResult(
        coefficients=_coefficients(fit, covariance, interval_freedom, level),
        given_curve=fit.curve(unit, interval_freedom, rows.common_sigma),
        formula=formula,
        left=left,
        powers=fit.powers,
        method=FitMethod.LINEAR,
        status=Status.DIRECT,
        own_remarks=tuple(remarks),
        n=n,
        degrees_of_freedom=freedom,
        sum_of_squares=fit.sum_of_squares,
        total=lambda constant: total_squares(rows, constant),
        constant=fit.has_constant,
        residual_sd=scatter,
        covariance=covariance,
        residuals=fit.residuals,
        leverages=fit.leverage,
        basis=fit.basis,
        level=level,
        **of_rows(rows),
        absolute_sigma=absolute_sigma,
        fitted_names=fit.names,
        transformed=fit.transformed,
    )


def check_variances(variances: Array) -> None:
    """Refuse variances so small that they would be taken for none. Raises DataError."""
    if np.any(variances < np.finfo(np.float64).tiny):
        raise DataError(
            "The square of a standard error leaves the range of numbers. Change the unit of x or y.", Fault.OVERFLOW
        )


def holds_constant(jacobian: Array, root_weights: Array | None) -> bool:
    """Whether the (weighted) constant lies in the column space of a Jacobian (n, m), with its rows weighted already.

    That, and no term of the formula, is what lets a curve move up and down as a whole: d + (a − d)/(1 + (x/c)^b) has no
    term that is the same in every row, but the sum of its derivatives by a and d is.
    """
    if len(jacobian) > MOST_ROWS_ASKED:
        # What holds in all rows holds in some.
        some = np.linspace(0, len(jacobian) - 1, MOST_ROWS_ASKED).astype(np.intp)
        jacobian = jacobian[some]
        root_weights = None if root_weights is None else root_weights[some]
    n = len(jacobian)
    constant = np.ones(n) if root_weights is None else root_weights
    size = np.max(np.abs(jacobian), axis=0, initial=0.0)
    usable = (size > 0) & np.isfinite(size)
    if not usable.any() or not n:
        return False
    columns = jacobian[:, usable] / size[usable]
    columns = columns / np.linalg.norm(columns, axis=0)
    try:
        mixture = np.linalg.lstsq(columns, constant, rcond=None)[0]
    except np.linalg.LinAlgError:
        return False
    return float(np.linalg.norm(constant - columns @ mixture)) <= CONSTANT_WITHIN * float(np.linalg.norm(constant))


def total_squares(rows: Rows, has_constant: bool, exact: bool = True) -> float:
    """Return the weighted sum of squares of y about its mean, or about zero; exact to the last digit, or to 14."""
    if not exact:
        weights = None if rows.weights is None else rows.weights.high
        if has_constant:
            return mean_and_squares_in_double(rows.y, weights)[1]
        return float(np.sum(rows.y**2 if weights is None else weights * rows.y**2))
    if has_constant:
        return mean_and_squares(rows.y, rows.weights)[1]
    scale = float(np.max(np.abs(rows.y))) or 1.0
    y = DoubleDouble(rows.y / scale)
    squares = y * y if rows.weights is None else y * y * rows.weights
    return float(squares.sum().rounded()) * scale * scale


def _coefficients(fit: LinearFit, covariance: Array | None, freedom: float, level: float) -> dict[str, Coefficient]:
    out = {}
    for i, (name, value) in enumerate(zip(fit.names, fit.values, strict=True)):
        if covariance is None:
            out[name] = Coefficient(name, value)
            continue
        out[name] = with_error(name, value, float(covariance[i, i]), freedom, level)
    for name, value in fit.others.items():
        out[name] = Coefficient(name, value, held=True)
    return {name: out[name] for name in fit.order or out}


def with_error(name: str, value: float, variance: float, freedom: float, level: float) -> Coefficient:
    """Return a coefficient with its standard error and, where there is freedom left, t, p and interval."""
    error = math.sqrt(max(variance, 0.0))
    if freedom < 1:
        return Coefficient(name, value, error)
    t = value / error if error > 0 else (math.inf if value else 0.0)
    reach = t_quantile(level, freedom) * error
    return Coefficient(name, value, error, value - reach, value + reach, t, freedom)
