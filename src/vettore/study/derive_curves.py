"""From recipes of interpolants, areas and polynomials to what they give."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vettore.core.arrays import Array
from vettore.core.cells.typed import limit_in
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.formula.formula import read_formula
from vettore.core.integration.derivative import differentiate
from vettore.core.interpolation.interpolant import Interpolant, interpolate
from vettore.core.polynomials.polynomial import Polynomial
from vettore.core.units import product, quotient
from vettore.study.derive import derive_fit
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.remembered import MEMORY, content_of
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

# Where a range has no end, a function is drawn so far beyond the other end or zero.
FAR = 8.0


def points_in_use(series: Series) -> tuple[Array, Array, Array | None]:
    """Return x, y and (if there is one) the ± of y of the rows in use. Raises DataError without x and y."""
    x, y = series.values(Role.X), series.values(Role.Y)
    if x is None or y is None:
        missing = "x" if x is None else "y"
        raise DataError(
            f"{series.name} has no column for {missing}. Choose one in the table's header.", Fault.MISSING
        )
    rows = np.flatnonzero(series.in_use)
    if not len(rows):
        raise DataError(f"{series.name} has no rows in use. Bring some back on the Data page.", Fault.NOTHING)
    sigma = series.sigma
    return x[rows], y[rows], None if sigma is None else sigma[rows]


def derive_interpolant(series: Series, recipe: InterpolantRecipe) -> Interpolant:
    """Return the curve through the points of a series. Raises DataError."""

    def work() -> Interpolant:
        x, y, sigma = points_in_use(series)
        return interpolate(
            x,
            y,
            recipe.method,
            sigma=sigma if recipe.use_errors else None,
            end_slopes=recipe.end_slopes,
            penalty=recipe.penalty,
            outside=recipe.outside,
        )

    return MEMORY.derive(("curve", content_of(series), recipe.changed(id="", series="", read_at=())), work)


def readable(curve: Interpolant, at: Sequence[float]) -> list[float]:
    """Return those of some x at which a curve through points has a value."""
    return [x for x in at if not (curve.ends_at_span and curve.is_beyond(x))]


def read_between(study: Study, series: Series) -> tuple[Interpolant, list[float]]:
    """Return the curve through the points of a series and those x at which it is read. Raises DataError."""
    recipe = study.interpolant_of(series.id)
    curve = derive_interpolant(series, recipe)
    return curve, readable(curve, recipe.read_at)


def limits_of_function(function: FunctionRecipe) -> tuple[float, float]:
    """Return the limits of a function as numbers. Raises DataError for what is none."""
    a, b = (limit_in(text) for text in (function.start, function.end))
    if a is None or b is None:
        raise DataError("Its limits are no numbers; type them again on the Integrate page.", Fault.NOT_A_NUMBER)
    return a, b


def area_unit(series: Series) -> str:
    """Return the unit of an area under a series."""
    return product(series.name_and_unit(Role.Y)[1], series.name_and_unit(Role.X)[1])


def derive_polynomial(study: Study, recipe: PolynomialRecipe) -> Polynomial:
    """Return a polynomial of the shelf; one from a fit has the covariance of its coefficients."""
    if recipe.fit and any(curve.id == recipe.fit for curve in study.curves):
        fit = derive_fit(study, recipe.fit)
        if isinstance(fit.recipe, PolynomialFit):
            return Polynomial.from_fit(fit.result)
    return Polynomial(recipe.coefficients)


def polynomial_span(p: Polynomial) -> tuple[float, float]:
    """Return a span of x that shows all real roots and turning points of a polynomial."""
    roots = () if p.is_zero else p.root_list
    places = [root.value.real for root in roots if root.is_real] + [turn.x for turn in p.turns()]
    if not places:
        places = [item.value.real for item in roots] or [0.0]
    low, high = min(places), max(places)
    room = 0.25 * (high - low) or max(abs(low), 1.0)
    return low - room, high + room


def function_span(a: float, b: float) -> tuple[float, float]:
    """Return the span on which a function is drawn: its range, cut where it has no end."""
    low = a if math.isfinite(a) else (min(b, 0.0) if math.isfinite(b) else 0.0) - FAR
    return low, b if math.isfinite(b) else max(low, 0.0) + FAR


def function_curve(formula: str, span: tuple[float, float]) -> FormulaCurve:
    """Return a function of x as a curve over a span. Raises VettoreError for a formula that cannot be read."""
    return FormulaCurve(read_formula(formula, ("x",)).right, "x", {}, (), None, span, None, 0)


def sampled(fit: DerivedFit, at: Sequence[float]) -> Table:
    """Return a fitted curve at x, with its standard error, as a table of its own that says where it came from."""
    curve, x = fit.result.curve, np.array(at, dtype=np.float64)
    (x_name, x_unit), (y_name, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
    columns = [RawColumn(x_name, x_unit, x), RawColumn(y_name, y_unit, curve(x))]
    error = curve.standard_error(x)
    if np.isfinite(error).all():
        columns.append(RawColumn("standard error", y_unit, error))
    how = (("made from", fit.series.name), ("by", f"{fit.name.lower()} fitted to it, at {len(x)} x"))
    return Table(tuple(columns), Source("", how=how, kind="made"))


def slopes_of(series: Series, width: int) -> Table:
    """Return the slope at every point by local parabolas over ``width`` rows, as a table of its own. Raises DataError."""
    x, y, sigma = points_in_use(series)
    derivative = differentiate(x, y, width, sigma=sigma)
    (x_name, x_unit), (y_name, y_unit) = series.name_and_unit(Role.X), series.name_and_unit(Role.Y)
    unit = quotient(y_unit, x_unit)
    columns = [RawColumn(x_name, x_unit, derivative.x), RawColumn(f"slope of {y_name}", unit, derivative.slope)]
    if derivative.standard_error is not None:
        columns.append(RawColumn("standard error", unit, derivative.standard_error))
    how = (("made from", series.name), ("by", f"slopes of local parabolas over {width} rows"))
    return Table(tuple(columns), Source("", how=how, kind="made"))


def filled(series: Series, curve: Interpolant, at: Array) -> Table:
    """Return the values of a curve at x as a table of its own, which says where it came from. Raises DataError."""
    low, high = curve.span
    inside = (at >= low) & (at <= high)
    if curve.ends_at_span and not inside.all():
        raise DataError(
            f"{int((~inside).sum())} of the {len(at)} x lie outside the points, {low:g} to {high:g}; nothing is known there.",
            Fault.OUTSIDE_DATA,
        )
    (x_name, x_unit), (y_name, y_unit) = series.name_and_unit(Role.X), series.name_and_unit(Role.Y)
    columns = [RawColumn(x_name, x_unit, np.asarray(at, dtype=np.float64)), RawColumn(y_name, y_unit, curve(at))]
    error = curve.standard_error(at)
    if np.isfinite(error).all():
        columns.append(RawColumn("standard error", y_unit, error))
    how = (("made from", series.name), ("by", f"{curve.method.name.lower()} at {len(at)} x"))
    return Table(tuple(columns), Source("", how=how, kind="made"))
