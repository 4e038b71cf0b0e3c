"""Where readings stand on the plot, and what their pennants say."""

from __future__ import annotations

from collections.abc import Iterable

from vettore.core.rounding import NumberStyle
from vettore.study.derive import DerivedFit
from vettore.study.readings import DerivedReading, read
from vettore.study.recipes import Asked
from vettore.study.series import Role
from vettore.study.study import Study

# x, y, text, whether it is kept
Flag = tuple[float, float, str, bool]


def kept_readings(study: Study, fit: DerivedFit) -> list[DerivedReading]:
    """Return what the kept readings of a fit say; a fit that is not kept has none."""
    kept = study.readings_of(fit.recipe.id) if fit.recipe.id else ()
    return [read(fit, one, kept) for one in kept]


def flags_of(
    fit: DerivedFit, kept: Iterable[DerivedReading], present: Iterable[DerivedReading], style: NumberStyle
) -> list[Flag]:
    """Return the pennants of kept readings and of what is being read."""
    out: list[Flag] = []
    for reading, is_kept in [*((one, True) for one in kept), *((one, False) for one in present)]:
        out += [(x, y, text, is_kept) for x, y, text in _places(fit, reading, style)]
    return out


def _places(fit: DerivedFit, reading: DerivedReading, style: NumberStyle) -> list[tuple[float, float, str]]:
    recipe, curve = reading.recipe, fit.curve
    if curve is None:
        return []
    x_unit, y_unit = fit.series.name_and_unit(Role.X)[1], fit.y_called[1]
    match recipe.asked:
        case Asked.WHERE:
            found = reading.crossings
            return [(one.x, recipe.at, style.pair(one.x, one.standard_error, x_unit)) for one in found]
        case Asked.TURNS:
            return [(one.x, one.y, f"{one.kind} {style.number(one.y, 4)} {y_unit}".strip()) for one in reading.turns]
        case _ if reading.value is None:
            return []
        case Asked.VALUE:
            return [(recipe.at, reading.value, style.pair(reading.value, reading.standard_error, y_unit))]
        case Asked.SLOPE:
            words = style.pair(reading.value, reading.standard_error, reading.unit)
            return [(recipe.at, float(curve(recipe.at)), f"slope {words}")]
        case Asked.AREA:
            middle = (recipe.at + (recipe.at if recipe.to is None else recipe.to)) / 2
            words = style.pair(reading.value, reading.standard_error, reading.unit)
            return [(middle, float(curve(middle)), f"area {words}")]
        case _:
            return []
