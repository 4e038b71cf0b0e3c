"""Where to measure next, in words: what can be known better, and what rows more make of its ±."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from vettore.core.next_rows import ALL, Improve, WhereNext
from vettore.core.remarks import counted, listed
from vettore.core.rounding import NumberStyle
from vettore.study.fits import DerivedFit, coefficient_units
from vettore.study.kinds.readings import AreaReading, DerivedReading, SlopeReading, ValueReading
from vettore.study.series import Role
from vettore.words.readings import reading_question

# A plan of no more places names them all.
MOST_NAMED = 5
TIMES = {2: "twice"}


def improvable(
    fit: DerivedFit, readings: Sequence[DerivedReading], style: NumberStyle
) -> list[tuple[str, Improve, str]]:
    """Return what rows more can improve, as words, how the core is asked for it, and its unit: coefficients, readings, all."""
    units = dict(zip(fit.result.coefficients, coefficient_units(fit), strict=True))
    found: list[tuple[str, Improve, str]] = [
        (name, name, units[name] or "")
        for name in fit.result.fitted_names
        if fit.result.coefficients[name].standard_error
    ]
    for reading in readings:
        recipe = reading.recipe
        asked: Improve
        match recipe:
            case ValueReading():
                asked = ("value", recipe.at)
            case SlopeReading():
                asked = ("slope", recipe.at)
            case AreaReading():
                asked = ("area", recipe.at, recipe.to)
            case _:
                continue
        found.append((recipe.name or reading_question(fit, recipe, style), asked, reading.unit))
    return [*found, ("all coefficients", ALL, "")]


def where_next_in_words(fit: DerivedFit, called: str, unit: str, told: WhereNext, style: NumberStyle) -> str:
    """Say where so many rows more tell most, and what they make of the ±."""
    x_name, x_unit = fit.series.name_and_unit(Role.X)
    rows = len(told.plan)
    at = _places(told.plan, style)
    where = f"{x_name} = {at} {x_unit}".strip()
    more = "One row more tells" if rows == 1 else f"{rows} rows more tell"
    gain = 100 * (1 - told.planned / told.now)
    less = f"{style.fixed(gain, 1 if gain < 10 else 0)} % less"
    if called == "all coefficients":
        return f"{more} most of all coefficients at {where}: their ± become {less}."
    now, then = (style.number(value, 2) for value in (told.now, told.planned))
    becomes = f"the ± of {called} goes from {now} to {then} {unit}".strip()
    return f"{more} most at {where}: {becomes}, {less}."


def rows_needed_in_words(target: float, unit: str, count: int, places: Sequence[float], style: NumberStyle) -> str:
    """Say how many rows more bring a ± to what is wanted."""
    wanted = f"± {style.short(target)} {unit}".strip()
    if count == 0:
        return f"{wanted} is reached already."
    return f"{wanted} takes {counted(count, 'row')} more, at {_places(places, style)}."


def _places(x: Sequence[float], style: NumberStyle) -> str:
    """Write where rows are put, places that are taken several times once: ``0 (3 times) and 6.5``."""
    times = Counter(x)
    texts = [
        style.short(float(f"{place:.3g}")) + (f" ({TIMES.get(count, f'{count} times')})" if count > 1 else "")
        for place, count in sorted(times.items())[:MOST_NAMED]
    ]
    return listed(texts) + (" …" if len(times) > MOST_NAMED else "")
