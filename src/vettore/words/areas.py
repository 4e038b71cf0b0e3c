"""Areas, functions, polynomials and values between points in words."""

from __future__ import annotations

import numpy as np

from vettore.core.errors import DataError, VettoreError
from vettore.core.integration.function import integrate_function
from vettore.core.polynomials.words import polynomial_text
from vettore.core.rounding import NumberStyle
from vettore.study.areas import UNDER_FIT, derive_area
from vettore.study.derive_curves import area_unit, derive_polynomial, limits_of_function, read_between
from vettore.study.kinds.baselines import AnyBaseline, BetweenEnds, CurveOf, FormulaOfX, Level, PointsOf, Spans
from vettore.study.peaks_and_points import two_areas
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.words.lines import Line
from vettore.words.peaks import both_areas_in_words

# How points are joined, by rule: the words, and what they mean.
RULE_WORDS = {
    "trapezoid": ("Straight pieces", "trapezoids between neighbouring points"),
    "simpson": ("Parabolas", "Simpson: one through each three points"),
    "spline": ("Smooth spline", "exact under the cubic spline"),
    UNDER_FIT: ("Fitted curve", "exact under the curve of the series that is chosen in the tray"),
}
# A baseline that follows something which is no longer in the study.
GONE = "what was taken out"
# Where the ± of an area comes from.
ERRORS_FROM = {
    "sigma": "± from the ± of y",
    "scatter": "± from the scatter of the points",
    "coefficients": "± from the coefficients",
}


def baseline_words(study: Study, baseline: AnyBaseline, style: NumberStyle) -> str:
    """Return a baseline in words."""
    match baseline:
        case Level(value):
            return style.short(value) if value else "zero"
        case BetweenEnds():
            return "line between the ends"
        case PointsOf(identity):
            # What is not kept yet may follow what was taken out meanwhile.
            names = [series.name for series in study.series if series.id == identity]
            return f"points of {names[0] if names else GONE}"
        case CurveOf(identity):
            curves = [curve for curve in study.curves if curve.id == identity]
            return f"{curves[0].name.lower()} of {study.find_series(curves[0].series).name}" if curves else GONE
        case Spans(spans):
            return "line through " + "; ".join(f"{style.short(low)} … {style.short(high)}" for low, high in spans)
        case FormulaOfX(formula):
            return formula


def between_lines(study: Study, series: Series, style: NumberStyle) -> tuple[Line, ...]:
    """Return the values that were read between the points of a series."""
    if not study.interpolant_of(series.id).read_at:
        return ()
    try:
        curve, at = read_between(study, series)
        values, errors = curve(np.array(at)), curve.standard_error(np.array(at))
    except DataError as error:
        return (Line("", str(error)),)
    (x_name, x_unit), (y_name, y_unit) = series.name_and_unit(Role.X), series.name_and_unit(Role.Y)
    return tuple(
        Line(
            f"{y_name} at {x_name} = {style.short(x)} {x_unit} ({curve.method.name.lower()}"
            + (", beyond the points)" if curve.is_beyond(x) else ")"),
            style.pair(float(y), float(e), y_unit)
            if np.isfinite(e)
            else f"{style.number(float(y), 6)} {y_unit}".strip(),
        )
        for x, y, e in zip(at, values, errors, strict=True)
    )


def area_lines(study: Study, series: Series, style: NumberStyle) -> tuple[Line, ...]:
    """Return the areas kept of a series, each with its limits, rule and baseline."""
    out = []
    unit, x_unit = area_unit(series), series.name_and_unit(Role.X)[1]
    for number, recipe in enumerate(study.areas_of(series.id), 1):
        try:
            area = derive_area(study, series, recipe)
            above = baseline_words(study, recipe.baseline, style)
        except VettoreError as error:
            out.append(Line(recipe.name or f"area {number}", str(error)))
            continue
        limits = f"{style.short(area.a, 6)} to {style.short(area.b, 6)} {x_unit}".strip()
        by = "under the fitted curve" if recipe.rule == UNDER_FIT else f"{recipe.rule} rule"
        words = f"{recipe.name or f'area {number}'}, {limits}, {by}, above {above}"
        out.append(Line(words, style.pair(area.area, area.standard_error, unit)))
        both = two_areas(study, series, recipe)
        if both is not None:
            out.append(Line("fitted there", both_areas_in_words(both, unit, style)))
    return tuple(out)


def function_lines(study: Study, style: NumberStyle) -> tuple[Line, ...]:
    """Return the functions kept, each with its area and how surely it is known."""
    out = []
    for function in study.functions:
        words = f"{function.formula}, {function.start} to {function.end}"
        try:
            area = integrate_function(function.formula, *limits_of_function(function))
        except VettoreError as error:
            out.append(Line(words, str(error)))
            continue
        if not area.settled:
            out.append(Line(words, f"no area. {area.message}"))
            continue
        bound = "" if area.error is None else f", error below {style.number(area.error, 2)}"
        out.append(Line(words, f"area {style.number(area.area, 10)}{bound}"))
    return tuple(out)


def polynomial_lines(study: Study, style: NumberStyle) -> tuple[Line, ...]:
    """Return the polynomials of the shelf with their real roots."""
    out = []
    for recipe in study.polynomials:
        p = derive_polynomial(study, recipe)
        roots = "" if p.is_zero else ", ".join(style.number(x, 5) for x in p.real_roots())
        text = polynomial_text(p, style, digits=6).replace("\u00a0", " ")
        out.append(Line(f"{recipe.name}: {text}", f"roots {roots}" if roots else "no real root"))
    return tuple(out)
