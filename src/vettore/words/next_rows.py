"""Where to measure next, in words: what can be known better, and what rows more make of its ±."""

from __future__ import annotations

import math
from collections.abc import Sequence

from vettore.core.design.next_rows import ALL, Improve, WhereNext
from vettore.core.design.planning import Plan
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import coefficient_units
from vettore.study.kinds.readings import DerivedReading
from vettore.study.series import Role
from vettore.words.readings import reading_question, rows_at


def improvable(
    fit: DerivedFit, readings: Sequence[DerivedReading], style: NumberStyle
) -> list[tuple[str, Improve, str]]:
    """Return what rows more can improve, as words, how the core is asked for it, and its unit: coefficients, readings, all."""
    units = dict(zip(fit.result.coefficients, coefficient_units(fit), strict=True))
    texts: list[tuple[str, Improve, str]] = [
        (name, name, units[name] or "")
        for name in fit.result.fitted_names
        if fit.result.coefficients[name].standard_error
    ]
    for reading in readings:
        recipe = reading.recipe
        if recipe.asked_for is not None:
            texts.append((recipe.name or reading_question(fit, recipe, style), recipe.asked_for, reading.unit))
    return [*texts, ("all coefficients", ALL, "")]


def where_next_in_words(fit: DerivedFit, called: str, unit: str, where_next: WhereNext, style: NumberStyle) -> str:
    """Say where so many rows more tell most, and what they make of the ±."""
    x_name, x_unit = fit.series.name_and_unit(Role.X)
    rows = len(where_next.plan)
    at = rows_at(where_next.plan, style)
    where = f"{x_name} = {at} {x_unit}".strip()
    more = "One row more tells" if rows == 1 else f"{rows} rows more tell"
    gain = 100 * (1 - where_next.planned / where_next.now)
    less = f"{style.fixed(gain, 1 if gain < 10 else 0)} % less"
    if called == "all coefficients":
        each = 100 * (1 - where_next.planned_each)
        single = f"{style.fixed(each, 1 if each < 10 else 0)} % less"
        return (
            f"{more} most of all coefficients at {where}: the radius of their joint confidence region becomes {less} "
            f"(D-criterion), each ± {single} in the geometric mean."
        )
    now, then = (style.number(value, 2) for value in (where_next.now, where_next.planned))
    becomes = f"the ± of {called} goes from {now} to {then} {unit}".strip()
    return f"{more} most at {where}: {becomes}, {less}."


def plan_in_words(plan: Plan, improve: str, style: NumberStyle) -> str:
    """Say where rows are planned before there are any, and what they would make known, beside rows spread evenly."""
    at = rows_at(plan.x, style)
    if improve != "all":
        known, even = style.number(plan.standard_error, 2), style.number(plan.even, 2)
        spread = f" Spread evenly they would make it ± {even}." if math.isfinite(plan.even) else ""
        return f"{counted(len(plan.x), 'row')} at {at}: {improve} would be known to ± {known}.{spread}"
    each = ", ".join(f"{name} ± {style.number(error, 2)}" for name, error in plan.standard_errors.items())
    return f"{counted(len(plan.x), 'row')} at {at} would make known {each}."


def rows_needed_in_words(target: float, unit: str, count: int, places: Sequence[float], style: NumberStyle) -> str:
    """Say how many rows more bring a ± to what is wanted."""
    wanted = f"± {style.short(target)} {unit}".strip()
    if count == 0:
        return f"{wanted} is reached already."
    return f"{wanted} takes {counted(count, 'row')} more, at {rows_at(places, style)}."
