"""The chips of one peak in the strip: place, height, width, area, share, and what its shape has beside."""

from __future__ import annotations

from collections.abc import Mapping

from vettore.app.pages.fit.shaping import step_of
from vettore.app.strip.chip import Chip
from vettore.core.peaks.matching import number_in
from vettore.core.peaks.peak import NUMBERS
from vettore.core.peaks.result import PeaksFit
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.peaks import peak_of
from vettore.study.fitting.quantities import unit_of


def peak_chips(
    fit: DerivedFit, peaks: PeaksFit, number: int, shaped: Mapping[str, float] | None, style: NumberStyle
) -> dict[str, Chip]:
    """Return the chips of a peak by the coefficients that they move; those that move none are of area and share."""
    peak = peak_of(fit, number)
    names = next((names for names in peaks.names if number_in(names) == number), None)
    if peak is None or names is None:
        return {}
    height, place, width, *extras = names
    moved = None if shaped is None else peaks.numbers_with(shaped)[number]
    chips = {}
    for kind, name in zip(NUMBERS, (place, height, width, f"area{number}"), strict=True):
        number_of, unit = getattr(peak, kind), unit_of(fit.series, kind)
        coefficient = fit.result.coefficients.get(name)
        value, error = style.with_error(number_of.value, number_of.standard_error)
        if moved is not None and getattr(moved, kind) != number_of.value:
            value, error = style.number(getattr(moved, kind), 5), ""
        # What a drag changes is the coefficient, which need not be the number itself.
        now = coefficient.value if coefficient is not None else number_of.value
        if shaped is not None:
            now = shaped.get(name, now)
        held = coefficient is not None and coefficient.held
        chips[name] = Chip(
            f"{value} {unit}".strip(),
            error if number_of.standard_error is not None else "",
            now,
            0.0 if coefficient is None else step_of(coefficient, 1.0),
            held,
            coefficient is not None and coefficient.at_limit,
            f"{kind} of peak {number} is {value} {unit}, {'held' if held else f'± {error}'}",
        )
    for name in extras:
        coefficient = fit.result.coefficients.get(name)
        if coefficient is not None:
            value, error = style.with_error(coefficient.value, coefficient.standard_error)
            step = step_of(coefficient, 1.0)
            chips[name] = Chip(value, error, coefficient.value, step, coefficient.held, coefficient.at_limit)
    chips[f"share{number}" if f"share{number}" not in chips else f"part{number}"] = Chip(
        f"{style.fixed(100 * peak.share, 1)} %", "", spoken=f"its share of all areas is {100 * peak.share:.1f} %"
    )
    return chips
