"""Polynomial (and straight-line) least squares in one x.

    y = a0 + a1·x + … + ad·xᵈ        (without a0 when intercept=False)

Raw powers are never formed: the columns are Chebyshev polynomials of t = (x − middle)/half, solved to
the last digit (least_squares.py) or, for more rows than ``MOST_ROWS_EXACT``, in one pass of sums
(many_rows.py); the series is then turned into powers of x exactly (dyadic.py), and R⁻¹ with it, so that
coefficients and standard errors keep what the solver gained.
"""

from __future__ import annotations

import math
import operator
from collections.abc import Mapping
from functools import partial

import numpy as np

from vettore.core.arithmetic import chebyshev, dyadic
from vettore.core.arithmetic.chebyshev import Scale
from vettore.core.arithmetic.numbers import DoubleDouble, power_of_two_near
from vettore.core.arrays import Array, largest
from vettore.core.curve import PolynomialCurve
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.linear import least_squares, many_rows
from vettore.core.fitting.linear.linear_result import LinearFit, holds_constant, linear_result
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.rows import Rows

# Up to here the exact way takes a tenth of a second; beyond it the one-pass way keeps 14 digits at low degrees.
MOST_ROWS_EXACT = 20_000
# Above this, powers of a measured x carry no information that a double could hold.
HIGHEST_DEGREE = 30
# A term below this share of y is the rounding of double-double sums, and is written as 0.
PURE_ROUNDING = 1e-28

# The powers of x in each Chebyshev polynomial, over one power of two.
_Table = tuple[list[list[int]], int]


def fit_rows(
    rows: Rows,
    degree: int,
    intercept: bool,
    absolute_sigma: bool,
    level: float,
    names: tuple[str, str],
    called: Mapping[int, str] | None = None,
) -> FitResult:
    """Fit a polynomial to rows that are chosen already; ``called`` names its coefficients by power, else a0, a1, …."""
    _check_enough(rows.x, degree, intercept, names[0])
    with np.errstate(all="ignore"):
        fit = _solve(rows, degree, intercept, called or {})
        formula = polynomial_formula(degree, intercept, names)
        return linear_result(fit, rows, formula, names[1], absolute_sigma=absolute_sigma, level=level)


def polynomial_formula(degree: int, intercept: bool = True, names: tuple[str, str] = ("x", "y")) -> str:
    """Return the formula of a polynomial as text: ``y = a0 + a1*x + a2*x^2``.

    >>> from vettore import core
    >>> core.polynomial_formula(2, names=("t", "y"))
    'y = a0 + a1*t + a2*t^2'
    """
    x, y = names
    terms = ["a0"] if intercept else []
    terms += [f"a{k}*{x}" if k == 1 else f"a{k}*{x}^{k}" for k in range(1, degree + 1)]
    return f"{y} = {' + '.join(terms)}"


def whole_degree(degree: int, intercept: bool) -> int:
    is_number = isinstance(degree, (int, float, np.integer, np.floating)) and not isinstance(degree, bool)
    if not is_number or degree != np.floor(degree):
        raise DataError(f"The degree of a polynomial is a whole number; {degree!r} was given.", Fault.WRONG_KIND)
    lowest = 0 if intercept else 1
    if not lowest <= degree <= HIGHEST_DEGREE:
        raise DataError(
            f"The degree must lie between {lowest} and {HIGHEST_DEGREE}; {degree} was given.", Fault.OUT_OF_BOUNDS
        )
    return int(degree)


def _check_enough(x: Array, degree: int, intercept: bool, name: str) -> None:
    needed = degree + (1 if intercept else 0)
    distinct = np.unique(x[: 10 * (needed + 1)])
    if len(distinct) <= needed:
        distinct = np.unique(x)
    useful = len(distinct) if intercept else int(np.count_nonzero(distinct))
    if useful >= needed:
        return
    what = "A straight line" if degree == 1 else f"A polynomial of degree {degree}"
    if len(x) < needed:
        raise DataError(
            f"{what} has {needed} coefficients, but only {len(x)} row{'s are' if len(x) > 1 else ' is'} in use. "
            "Bring rows back or choose a lower degree.",
            Fault.TOO_FEW,
            column=name,
        )
    if len(distinct) == 1:
        raise DataError(
            f"Every row in use has {name} = {distinct[0]:.12g}: nothing can be said about how y changes with {name}.",
            Fault.NOT_TOLD,
            column=name,
        )
    raise DataError(
        f"{what} has {needed} coefficients, but {name} takes only {useful} different "
        f"{'values' if intercept else 'values other than 0'}. Choose a lower degree.",
        Fault.TOO_FEW,
        column=name,
    )


def _solve(rows: Rows, degree: int, intercept: bool, called: Mapping[int, str]) -> LinearFit:
    x, y = rows.x, rows.y
    scale = Scale.over(float(x.min()), float(x.max()))
    # Scaling y, the weights and (through the origin) x by powers of two is exact and keeps sums in range.
    y_scale = power_of_two_near(largest(y))
    x_scale = 1.0 if intercept else power_of_two_near(largest(x))
    scaled_x, scaled_y = x if intercept else x / x_scale, y * (1 / y_scale)
    weights = rows.weights
    w_scale = 1.0
    if weights is not None:
        w_scale = power_of_two_near(float(weights.high.max()))
        weights = weights.scaled(1 / w_scale)
    count = degree + 1 if intercept else degree
    if len(x) > MOST_ROWS_EXACT:
        plain = None if weights is None else weights.high
        solution = many_rows.solve(scaled_x, scaled_y, plain, _shrunk(scale, x_scale), count, not intercept)
    else:
        design = chebyshev.columns(scale.t(x), count)
        if not intercept:
            design = design * scaled_x[:, None]

        def exact(block: slice) -> DoubleDouble:
            columns = chebyshev.exact_columns(scale.exact_t(x[block]), count)
            return columns if intercept else columns * DoubleDouble(scaled_x[block])

        solution = least_squares.solve(design, exact, scaled_y, weights)
    return _assemble(rows, solution, scale, degree, intercept, (x_scale, y_scale, w_scale), called)


def _shrunk(scale: Scale, x_scale: float) -> Scale:
    return Scale(scale.middle / x_scale, scale.half / x_scale)


def _powers_of(
    solution: least_squares.Solution, table: _Table, rows: Rows, intercept: bool, scales: tuple[float, float]
) -> list[float]:
    """Return the coefficients of the powers, each worked out exactly and rounded once; what is pure rounding is 0."""
    x_scale, y_scale = scales
    count = len(solution.c.high)
    table_of, table_power = table
    parts, power = dyadic.of_floats([*solution.c.high.tolist(), *solution.c.low.tolist()])
    exact = list(map(operator.add, parts[:count], parts[count:]))
    power += table_power + dyadic.power_of(y_scale) - dyadic.power_of(x_scale)
    sums = [sum(exact[k] * table_of[k][i] for k in range(i, count)) for i in range(count)]
    values = [_as_float(item, power) for item in sums]
    largest_x = max(largest(rows.x), np.finfo(np.float64).tiny)
    for i, value in enumerate(values):
        exponent = i if intercept else i + 1
        # log, because xᵏ itself may leave the range of a double
        if value and math.log(abs(value)) + exponent * math.log(largest_x) < math.log(y_scale) + math.log(
            PURE_ROUNDING
        ):
            values[i] = 0.0
    return values


def _covariance_of(solution: least_squares.Solution, table: _Table, unit_power: int) -> Array:
    """Return the covariance of the powers for a scatter of 1, over 2**``unit_power``, worked out exactly and rounded once."""
    count = len(solution.c.high)
    table_of, table_power = table
    # One row per power, so that covariance of powers = unit_factor·unit_factorᵀ·s².
    flat, power = dyadic.of_floats(solution.inverse_root.ravel().tolist())
    root = [flat[k * count : (k + 1) * count] for k in range(count)]
    powers = [[sum(table_of[k][i] * root[k][j] for k in range(i, j + 1)) for j in range(count)] for i in range(count)]
    power = 2 * (power + table_power) + unit_power
    out = np.empty((count, count))
    for i, p in enumerate(powers):
        for j, q in enumerate(powers[: i + 1]):
            out[i, j] = out[j, i] = _as_float(sum(map(operator.mul, p, q)), power)
    return out


def _assemble(
    rows: Rows,
    solution: least_squares.Solution,
    scale: Scale,
    degree: int,
    intercept: bool,
    scales: tuple[float, float, float],
    called: Mapping[int, str],
) -> LinearFit:
    x_scale, y_scale, w_scale = scales
    count = len(solution.c.high)
    table = chebyshev.as_powers(scale, count)
    values = _powers_of(solution, table, rows, intercept, (x_scale, y_scale))
    unit_covariance = _covariance_of(solution, table, -2 * dyadic.power_of(x_scale) - dyadic.power_of(w_scale))
    series = solution.c.rounded()
    curve_factor = factor = solution.inverse_root / math.sqrt(w_scale)
    if not intercept:
        spread = chebyshev.times_x(Scale(scale.middle / x_scale, scale.half / x_scale), count)
        series, curve_factor = spread @ series, spread @ factor

    def leverage() -> Array:
        out = np.empty(len(rows.x))
        for start in range(0, len(out), many_rows.BLOCK):
            block = slice(start, start + many_rows.BLOCK)
            basis = factor.T @ chebyshev.columns(scale.t(rows.x[block]), count).T
            np.einsum("ij,ij->j", basis, basis, out=out[block])
        if not intercept:
            out *= (rows.x / x_scale) ** 2
        if rows.weights is not None:
            out *= rows.weights.high
        return np.minimum(out, 1.0)

    def basis() -> Array:
        columns = chebyshev.columns(scale.t(rows.x), count) @ factor
        columns = columns if intercept else columns * (rows.x / x_scale)[:, None]
        return columns if rows.weights is None else columns * np.sqrt(rows.weights.high)[:, None]

    power_of = {called.get(power, f"a{power}"): power for power in range(0 if intercept else 1, degree + 1)}
    return LinearFit(
        names=tuple(power_of),
        values=tuple(values),
        unit_covariance=unit_covariance,
        residuals=np.multiply(solution.residuals, y_scale, out=solution.residuals),
        sum_of_squares=solution.sum_of_squares * y_scale * y_scale * w_scale,
        leverage=leverage,
        basis=basis,
        has_constant=lambda: intercept or _holds_constant(rows, scale, degree),
        curve=partial(_curve, series * y_scale, curve_factor, scale, rows, power_of),
        powers=power_of,
    )


def _curve(
    series: Array,
    factor: Array,
    scale: Scale,
    rows: Rows,
    powers: Mapping[str, int],
    scatter: float | None,
    freedom: float,
    row_sigma: float | None,
) -> PolynomialCurve:
    span = (float(rows.x.min()), float(rows.x.max()))
    return PolynomialCurve(series, factor, scale, span, scatter, freedom, row_sigma, powers)


def _as_float(number: int, power: int) -> float:
    """Return an exact number as a double. Raises DataError where it is too large, or too small to be told from 0."""
    value = dyadic.rounded(number, power)
    if math.isinf(value) or (number and abs(value) < np.finfo(np.float64).tiny):
        raise DataError(
            "A coefficient, or the square of its standard error, leaves the range of numbers. Change the unit of x or y.",
            Fault.OVERFLOW,
        )
    return value


def _holds_constant(rows: Rows, scale: Scale, degree: int) -> bool:
    """Whether a polynomial without a constant term can be one on these x, as where x takes few values."""
    size = max(abs(scale.middle) + scale.half, np.finfo(np.float64).tiny)
    root = None if rows.weights is None else np.sqrt(rows.weights.high)
    powers = (rows.x / size)[:, None] ** np.arange(1, degree + 1)
    return holds_constant(powers if root is None else powers * root[:, None], root)
