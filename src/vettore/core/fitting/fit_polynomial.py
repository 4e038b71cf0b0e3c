"""Fitting a polynomial in one x: by its own solver, or as a formula where options ask for what only formulas have."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from vettore.core.arrays import Values, as_values
from vettore.core.fitting.fit import fit
from vettore.core.fitting.left_side import as_sigma
from vettore.core.fitting.linear.polynomial import fit_rows, polynomial_formula, whole_degree
from vettore.core.fitting.record import Noise
from vettore.core.fitting.request import DEFAULT_SEED, SQUARES, check_options
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.rows import choose_rows


def fit_polynomial(
    x: Values,
    y: Values,
    degree: int,
    intercept: bool = True,
    *,
    sigma: Values | float | None = None,
    weights: Values | None = None,
    absolute_sigma: bool = False,
    level: float = 0.95,
    names: tuple[str, str] = ("x", "y"),
    sigma_x: Values | float | None = None,
    correlation: Values | float | None = None,
    covariance: Values | None = None,
    noise: str = Noise.NORMAL,
    trials: Values | float | None = None,
    whole: float = 1.0,
    noise_size: float | None = None,
    thorough: bool = True,
) -> FitResult:
    """Fit a polynomial of the given degree to y over x, both of shape (n,).

    ``sigma`` are known standard deviations (weights 1/σ²; one number is that of every row), ``weights`` relative
    weights; standard errors are scaled by the residual scatter unless ``absolute_sigma``, which takes ``sigma`` as they
    are, reports χ² and makes intervals normal. ``level`` is that of the intervals.
    With ``sigma_x``, standard deviations of x, and ``sigma`` the fit takes the distances of the rows in both; ``correlation``
    is that of a row's errors of x and y, ``covariance`` (n, n) that of the rows' errors. ``noise``,
    ``trials`` and ``whole`` are for counts, see fit; without ``thorough`` their ranges are those of the standard errors.
    ``names`` are used in sentences and in the formula. Coefficients are a0, a1, … by rising power.
    Raises DataError when the request or the data do not allow a fit.

    >>> from vettore import core
    >>> line = core.fit_polynomial([0, 1, 2, 3], [1.0, 3.1, 4.9, 7.0], 1)
    >>> round(line.coefficients["a1"].value, 6)
    1.98
    """
    degree = whole_degree(degree, intercept)
    if noise != Noise.NORMAL or any(given is not None for given in (sigma_x, correlation, covariance)):
        spread = None if sigma is None else as_sigma(sigma, len(as_values(y, names[1])))
        known = {"sigma": spread, "weights": weights, "absolute_sigma": absolute_sigma, "sigma_x": sigma_x}
        known |= {"correlation": correlation, "level": level, "thorough": thorough, "noise_size": noise_size}
        options = {
            **known,
            "covariance": covariance,
            "noise": noise,
            "trials": trials,
            "whole": whole,
            "noise_size": noise_size,
        }
        return _as_formula(x, y, degree, intercept, names, options)
    check_options(level, DEFAULT_SEED, SQUARES, absolute_sigma, sigma is not None)
    spread = None if sigma is None else as_sigma(sigma, len(as_values(y, names[1])))
    return fit_rows(choose_rows(x, y, spread, weights, names), degree, intercept, absolute_sigma, level, names)


def _as_formula(
    x: Values, y: Values, degree: int, intercept: bool, names: tuple[str, str], options: Mapping[str, Any]
) -> FitResult:
    """Return the fit of the polynomial as a formula, with options that only formulas take."""
    # A constant names no column; its rows are those with an x all the same.
    formula = polynomial_formula(degree, intercept) if degree else "y = a0 + 0*x"
    result = fit(formula, {"x": x, "y": y}, **options)
    powers = {f"a{power}": power for power in range(0 if intercept else 1, degree + 1)}
    return replace(result, formula=polynomial_formula(degree, intercept, names), left=names[1], powers=powers)
