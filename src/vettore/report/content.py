"""What a report says, as plain values that a template writes down."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from vettore import __version__
from vettore.core.errors import DataError, VettoreError
from vettore.core.fitting.compare import Compared, compare
from vettore.core.fitting.result import Method
from vettore.core.integration.function import integrate_function
from vettore.core.polynomial_words import polynomial_text
from vettore.core.rounding import NumberStyle
from vettore.core.typed import limit_in
from vettore.core.typeset import Row, Text, coefficient_symbol, to_html
from vettore.report.figures import fit_figure
from vettore.report.working import Step, working_steps
from vettore.study.areas import UNDER_FIT, derive_area, floor_words
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.derive_curves import area_unit, derive_interpolant, derive_polynomial, readable
from vettore.study.fits import DerivedFit, coefficient_units, derived_quantities
from vettore.study.kinds.readings import DerivedReading
from vettore.study.line_up import comparison_words
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.words.checks import check_figure, check_sentence
from vettore.words.findings import words_in
from vettore.words.fits import summary, weights_in_words
from vettore.words.readings import reading_numbers, reading_question

# Sections by the name kept in the study, with their words on screen; this is also their order.
SECTIONS = {
    "summary": "Summary",
    "source": "Data and their source",
    "figure": "Figure",
    "coefficients": "Equation and coefficients",
    "quantities": "What follows from it",
    "goodness": "Goodness of fit",
    "checks": "Checks",
    "compared": "Fits compared",
    "readings": "Kept readings",
    "between": "Values between points",
    "areas": "Areas",
    "polynomials": "Polynomials",
    "aside": "Rows set aside",
    "method": "Method",
    "working": "Working (appendix)",
}


@dataclass(frozen=True)
class Line:
    """A label and its text."""

    label: str
    text: str


@dataclass(frozen=True)
class Content:
    """Everything a report shows; ``sections`` are those switched on, in order."""

    title: str
    subtitle: str
    note: str
    sections: tuple[str, ...]
    summary: str
    source: tuple[Line, ...]
    figure: str
    caption: str
    equation: str
    coefficients: tuple[tuple[str, ...], ...]
    level: str
    goodness: tuple[Line, ...]
    quantities: tuple[Line, ...]
    checks: tuple[tuple[str, str, str], ...]
    readings: tuple[Line, ...]
    between: tuple[Line, ...]
    areas: tuple[Line, ...]
    polynomials: tuple[Line, ...]
    aside: tuple[tuple[str, ...], ...]
    method: str
    compared: tuple[tuple[str, ...], ...]
    compared_words: str
    working: tuple[Step, ...]
    footer: str
    paper: str


def report_content(study: Study, today: date | None = None) -> Content:
    """Return the content of a study's report. Raises DataError when there is no fit to report."""
    recipe = study.report
    curve = study.reported_curve
    if curve is None:
        raise DataError("The study holds no fit yet. Fit a model first; the report is about it.")
    style = NumberStyle(recipe.decimal_mark)
    fit = derive_fit(study, curve.id)
    day = (today or date.today()).strftime("%-d %B %Y")
    sections = tuple(name for name in SECTIONS if name not in recipe.left_out)
    compared, words = _compared(study, fit, style)
    return Content(
        title=recipe.title or f"{curve.name}: {fit.series.name}",
        subtitle=f"{study.title} · {fit.series.name} · {day}",
        note=recipe.note,
        sections=sections,
        summary=summary_of(fit, style),
        quantities=quantity_lines(fit, style),
        checks=tuple(
            (check.verdict.value, check_sentence(check, fit.result), check_figure(check, fit.result, style))
            for check in fit.checks
        ),
        source=_source(fit),
        figure=fit_figure(fit, style) if "figure" in sections else "",
        caption=_caption(fit, style),
        equation=equation_html(fit),
        coefficients=_coefficients(fit, style),
        level=f"{fit.result.level:.0%}".replace("%", " %"),
        goodness=goodness_lines(fit, style),
        readings=tuple(reading_line(fit, derive_reading(study, one), style) for one in study.readings_of(curve.id)),
        between=_between(study, fit.series, style),
        areas=(*area_lines(study, fit.series, style), *_functions(study, style)),
        polynomials=_polynomials(study, style),
        aside=_aside(fit, style),
        method=_method(fit),
        compared=compared,
        compared_words=words,
        working=working_steps(fit, style) if "working" in sections else (),
        footer=f"Written with Vettore {__version__} on {day}",
        paper=recipe.paper,
    )


def summary_of(fit: DerivedFit, style: NumberStyle) -> str:
    """Return what a fit says in a sentence or two."""
    y_name, y_unit = fit.y_called
    span = ""
    if fit.recipe.span is not None:
        low, high = (style.short(edge, 4) for edge in fit.recipe.span)
        span = f"{fit.series.name_and_unit(Role.X)[0]} from {low} to {high}"
    aside = len(fit.series.set_aside)
    return summary(fit.result, fit.recipe.name, y_name, y_unit, aside, style, fit.checks, span)


def equation_html(fit: DerivedFit) -> str:
    """Return the equation of a fit with the symbols of its coefficients."""
    left, terms = fit.equation
    return to_html(Row((left, Text(" = "), *terms)))


def goodness_lines(fit: DerivedFit, style: NumberStyle) -> tuple[Line, ...]:
    """Return the figures of merit of a fit as label–text pairs."""
    result = fit.result
    unit = fit.y_called[1] if not result.weighted else ""
    against = "" if result.r_squared_against == "mean" else " against zero"

    def share(value: float | None) -> str:
        return "—" if value is None else style.fixed(value, 4 if value < 0.9995 else 6)

    scatter = Line("residual standard deviation", f"{style.number(result.residual_sd, 4)} {unit}".strip())
    squares = Line("sum of squares", style.number(result.sum_of_squares, 5))
    if result.weighted:
        scatter, squares = (replace(one, label=f"{one.label} (relative)") for one in (scatter, squares))
    if result.chi_squared is not None:
        ratio, above = style.number(result.reduced_chi_squared, 4), style.probability(result.chi_squared_p)
        scatter, squares = Line("χ²/ν", ratio), Line("χ²", f"{style.number(result.chi_squared, 5)}, p {_of(above)}")
    return (
        Line(f"R²{against}", share(result.r_squared)),
        Line(f"adjusted R²{against}", share(result.adjusted_r_squared)),
        scatter,
        squares,
        Line("degrees of freedom", str(result.degrees_of_freedom)),
        Line("AICc", style.number(result.aicc, 5)),
        Line("BIC", style.number(result.bic, 5)),
    )


def _of(probability: str) -> str:
    return probability if probability.startswith("<") else f"= {probability}"


def quantity_lines(fit: DerivedFit, style: NumberStyle) -> tuple[Line, ...]:
    """Return what the model derives from its coefficients, with uncertainty and unit."""
    return tuple(
        Line(one.name, style.pair(one.value, one.standard_error, unit)) for one, unit in derived_quantities(fit)
    )


def reading_line(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> Line:
    """Return a reading in words: what was asked, and the answer with its uncertainty."""
    asked, name = reading_question(fit, reading.recipe, style), reading.recipe.name
    # A formula says its name itself.
    named = f"{name} · {asked}" if name and not reading.recipe.given_name else asked
    return Line(named, reading_numbers(fit, reading, style) + (" (extrapolated)" if reading.beyond else ""))


def _compared(study: Study, fit: DerivedFit, style: NumberStyle) -> tuple[tuple[tuple[str, ...], ...], str]:
    """Return the curves of a series side by side, when there are several on the same rows, and what they say."""
    others = study.curves_of(fit.series.id)
    if len(others) < 2:
        return (), ""
    fits = {}
    for number, one in enumerate(others, 1):
        name = one.name if one.name not in fits else f"{one.name} ({number})"
        try:
            fits[name] = derive_fit(study, one.id).result
        except VettoreError:
            continue
    try:
        found = compare(fits)
    except VettoreError as error:
        return (), str(error)
    return tuple(compared_row(one, style) for one in found), comparison_words(found, style)


def compared_row(one: Compared, style: NumberStyle) -> tuple[str, ...]:
    """Return name, coefficients, residual s, R² about the mean, left-one-out error, ΔAICc and weight of a fit."""
    share = one.r_squared_about_mean
    return (
        one.name,
        str(one.coefficients),
        style.number(one.result.residual_sd, 4),
        "—" if share is None else style.fixed(share, 4 if share < 0.9995 else 6),
        style.number(one.result.left_one_out_error, 4),
        style.number(one.difference, 3),
        style.plain("< 0.001") if one.weight < 0.001 else style.fixed(one.weight, 3),
    )


def _between(study: Study, series: Series, style: NumberStyle) -> tuple[Line, ...]:
    """Return the values that were read between the points of a series."""
    recipe = study.interpolant_of(series.id)
    if not recipe.read_at:
        return ()
    try:
        curve = derive_interpolant(series, recipe)
        at = readable(curve, recipe.read_at)
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
    """Return the areas kept of a series, each with its limits, rule and floor."""
    out = []
    unit, x_unit = area_unit(series), series.name_and_unit(Role.X)[1]
    for number, recipe in enumerate(study.areas_of(series.id), 1):
        try:
            area = derive_area(study, series, recipe)
            floor = floor_words(study, recipe.floor, style)
        except VettoreError as error:
            out.append(Line(recipe.name or f"area {number}", str(error)))
            continue
        limits = f"{style.short(area.a, 6)} to {style.short(area.b, 6)} {x_unit}".strip()
        by = "under the fitted curve" if recipe.rule == UNDER_FIT else f"{recipe.rule} rule"
        words = f"{recipe.name or f'area {number}'}, {limits}, {by}, above {floor}"
        out.append(Line(words, style.pair(area.area, area.standard_error, unit)))
    return tuple(out)


def _functions(study: Study, style: NumberStyle) -> tuple[Line, ...]:
    """Return the functions kept, each with its area and how surely it is known."""
    out = []
    for one in study.functions:
        words = f"{one.formula}, {one.start} to {one.end}"
        try:
            limits = [limit_in(text) for text in (one.start, one.end)]
            if None in limits:
                raise DataError("Its limits are no numbers; type them again on the Integrate page.")
            area = integrate_function(one.formula, *limits)  # type: ignore[arg-type]
        except VettoreError as error:
            out.append(Line(words, str(error)))
            continue
        if not area.settled:
            out.append(Line(words, f"no area. {area.message}"))
            continue
        bound = "" if area.error is None else f", error below {style.number(area.error, 2)}"
        out.append(Line(words, f"area {style.number(area.area, 10)}{bound}"))
    return tuple(out)


def _polynomials(study: Study, style: NumberStyle) -> tuple[Line, ...]:
    """Return the polynomials of the shelf with their real roots."""
    out = []
    for recipe in study.polynomials:
        p = derive_polynomial(study, recipe)
        roots = "" if p.is_zero else ", ".join(style.number(x, 5) for x in p.real_roots())
        text = polynomial_text(p, style, digits=6).replace("\u00a0", " ")
        out.append(Line(f"{recipe.name}: {text}", f"roots {roots}" if roots else "no real root"))
    return tuple(out)


def _source(fit: DerivedFit) -> tuple[Line, ...]:
    source = fit.series.table.full_source
    lines = [Line("file", source.name)] if source.name else []
    lines += [Line(label, text) for label, text in source.how]
    lines.append(Line("rows", rows_words(fit)))
    if source.digest:
        lines.append(Line("SHA-256 of the file", source.digest[:16] + "…"))
    return tuple(lines)


def rows_words(fit: DerivedFit) -> str:
    """Return how many rows a fit uses, and the cells of its x and y that held no number, with what they say."""
    series = fit.series
    rows = f"{len(fit.rows)} of {series.rows} in use"
    blank = int((~series.measured).sum())
    if blank:
        rows += f", {blank} without a number in x or y"
    places = [series.place(role) for role in (Role.X, Role.Y)]
    told = [words_in(series.data[place]) for place in places if place is not None]
    return "; ".join([rows, *filter(None, told)])


def _caption(fit: DerivedFit, style: NumberStyle) -> str:
    band = f", {fit.result.level:.0%} band of the curve".replace("%", " %") if fit.result.residual_sd else ""
    aside = " Open discs are set aside." if fit.series.set_aside else ""
    y = fit.series.column(Role.Y)
    return f"Measured {y.name if y else 'y'} (discs) and fitted {fit.recipe.name.lower()} (line{band}); residuals below.{aside}"


def _coefficients(fit: DerivedFit, style: NumberStyle) -> tuple[tuple[str, ...], ...]:
    rows = []
    for unit, coefficient in zip(coefficient_units(fit), fit.result.coefficients.values(), strict=True):
        value, error = style.with_error(coefficient.value, coefficient.standard_error)
        low, high = coefficient.low, coefficient.high
        interval = "—"
        if low is not None and high is not None:
            interval = style.interval(low, high, coefficient.standard_error)
        symbol = to_html(coefficient_symbol(coefficient.name))
        t = style.number(coefficient.t, 4) if coefficient.t is not None else "—"
        rows.append((symbol, value, error, interval, t, style.probability(coefficient.p), unit or "—"))
    return tuple(rows)


def _aside(fit: DerivedFit, style: NumberStyle) -> tuple[tuple[str, ...], ...]:
    x, y = fit.series.values(Role.X), fit.series.values(Role.Y)
    rows = []
    for entry in fit.series.set_aside:
        values = (style.short(float(v[entry.row])) if v is not None else "—" for v in (x, y))
        rows.append((str(entry.row + 1), *values, entry.reason or "no reason given"))
    return tuple(rows)


def _method(fit: DerivedFit) -> str:
    result = fit.result
    weights = weights_in_words(result)
    against = "the mean" if fit.result.r_squared_against == "mean" else "zero"
    if fit.result.method is Method.LINEAR:
        how = f"Linear least squares with {weights}, with residuals in double-double arithmetic"
    else:
        how = (
            f"Nonlinear least squares with {weights}: the linear coefficients projected out, Levenberg–Marquardt, and a "
            f"Newton polish. {fit.result.message.rstrip('.')}"
        )
    if result.absolute_sigma:
        spread = "standard errors from the known ± of y, intervals from the normal distribution"
    else:
        spread = (
            "standard errors from the residual scatter, intervals from Student’s t with "
            f"{result.degrees_of_freedom} degrees of freedom"
        )
    return f"{how}; {spread}, R² against {against}."
