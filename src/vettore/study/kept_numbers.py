"""The numbers that a study keeps of a series: coefficients, derived quantities, readings, areas, values, heights.

And two studies side by side: by how many standard errors each number differs.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from vettore.core.errors import VettoreError
from vettore.core.fitting.after.checks import Verdict
from vettore.core.remarks import RemarkKind
from vettore.study.areas import derive_area
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.derive_curves import area_unit, derive_interpolant, readable
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import coefficient_units, derived_quantities
from vettore.study.fitting.system_readings import read_off, words_of
from vettore.study.fitting.systems import DerivedSystem, derive_system, name_of
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.surfaces import derive_fitted, derive_surface, fit_of, sites_of


class Outcome(StrEnum):
    """Whether a number was had."""

    DONE = "done"
    NOT_CONVERGED = "not converged"
    NONE = "no answer"
    FAILED = "failed"


@dataclass(frozen=True)
class Kept:
    """A number that a study keeps of a series: of which ``part``, its name, value, ± and unit.

    ``verdict`` is the gravest of the checks of the fit that it comes from; ``reason`` says why there is no number, or what is
    to be said of it.
    """

    series: str
    part: str
    number: str
    value: float = float("nan")
    standard_error: float = float("nan")
    unit: str = ""
    verdict: str = ""
    outcome: Outcome = Outcome.DONE
    reason: str = ""


def kept_numbers(study: Study, series: Series) -> tuple[Kept, ...]:
    """Return all numbers that a study keeps of a series, those that could not be had with the reason."""
    out: list[Kept] = []
    names_of_fits: dict[str, int] = {}
    for curve in study.curves_of(series.id):
        count = names_of_fits[curve.name] = names_of_fits.get(curve.name, 0) + 1
        name = curve.name if count == 1 else f"{curve.name} ({count})"
        try:
            out += _of_fit(study, series, curve, name)
        except VettoreError as error:
            out.append(Kept(series.name, name, "", outcome=Outcome.FAILED, reason=str(error)))
    out += _of_equations(study, series)
    out += _of_areas(study, series)
    out += _between(study, series)
    out += _of_surfaces(study, series)
    return tuple(out)


def _of_fit(study: Study, series: Series, curve: AnyFit, name: str) -> list[Kept]:
    fit = derive_fit(study, curve.id)
    verdict = _gravest(fit)
    outcome = Outcome.DONE if fit.result.converged else Outcome.NOT_CONVERGED
    reason = "" if fit.result.converged else fit.result.message
    base = Kept(series.name, name, "", verdict=verdict, outcome=outcome, reason=reason)
    out = [
        replace(
            base, number=label, value=coefficient.value, standard_error=_or_nan(coefficient.standard_error), unit=unit
        )
        for (label, coefficient), unit in zip(fit.result.coefficients.items(), coefficient_units(fit), strict=True)
    ]
    for quantity, unit in derived_quantities(fit):
        error = _or_nan(quantity.standard_error)
        out.append(replace(base, number=quantity.name, value=quantity.value, standard_error=error, unit=unit))
    out += _of_expected(fit, base)
    if fit.result.residual_sd is not None:
        unit = "" if fit.result.weighted else fit.y_called[1]
        out.append(replace(base, number="residual standard deviation", value=fit.result.residual_sd, unit=unit))
    if fit.result.r_squared is not None:
        out.append(replace(base, number="R²", value=fit.result.r_squared))
    for number, reading in enumerate(study.readings_of(curve.id), 1):
        out += _of_reading(study, base, reading, reading.name or reading.given_name or f"reading {number}", fit)
    return out


def _of_expected(fit: DerivedFit, base: Kept) -> list[Kept]:
    """Return a row for each peak that was expected and is gone, and for each that is new."""
    remarks = () if fit.peaks is None else fit.peaks.remarks
    return [
        replace(
            base,
            number=f"peak {remark.names[0]}",
            outcome=Outcome.NONE if is_lost else base.outcome,
            reason=remark.sentence,
        )
        for remark in remarks
        if (is_lost := remark.kind is RemarkKind.PEAK_GONE) or remark.kind is RemarkKind.PEAK_NEW
    ]


def _of_reading(study: Study, base: Kept, reading: object, label: str, fit: DerivedFit) -> list[Kept]:
    answer = derive_reading(study, reading)  # type: ignore[arg-type]
    x_unit, y_unit = fit.series.name_and_unit(Role.X)[1], fit.y_called[1]
    parts: list[tuple[float, float | None, str]] = []
    if answer.value is not None:
        parts.append((answer.value, answer.standard_error, answer.unit))
    parts += [(place.x, place.standard_error, x_unit) for place in answer.crossings]
    names_of = [label]
    for turn in answer.turns:
        parts += [(turn.x, None, x_unit), (turn.y, None, y_unit)]
    if answer.turns:
        names_of = [f"{label} {turn.kind} {axis}" for turn in answer.turns for axis in "xy"]
    elif len(parts) > 1:
        names_of = [f"{label} ({place})" for place in range(1, len(parts) + 1)]
    if not parts:
        why = answer.refusal or (str(answer.problem.value) if answer.problem is not None else "There is none.")
        return [replace(base, number=label, outcome=Outcome.NONE, reason=why)]
    beyond = "beyond the data" if answer.beyond else base.reason
    return [
        replace(base, number=name, value=value, standard_error=_or_nan(error), unit=unit, reason=beyond)
        for name, (value, error, unit) in zip(names_of, parts, strict=True)
    ]


def _of_equations(study: Study, series: Series) -> list[Kept]:
    """Return the numbers of systems: coefficients, scatters by column, what was read."""
    out: list[Kept] = []
    texts: dict[str, int] = {}
    for recipe in study.equations_of(series.id):
        name = name_of(recipe)
        count = texts[name] = texts.get(name, 0) + 1
        base = Kept(series.name, name if count == 1 else f"{name} ({count})", "")
        try:
            out += _of_system(derive_system(series, recipe), base)
        except VettoreError as error:
            out.append(replace(base, outcome=Outcome.FAILED, reason=str(error)))
    return out


def _of_system(system: DerivedSystem, base: Kept) -> list[Kept]:
    doubts = Verdict.LOOK.value if system.result.warnings else Verdict.GOOD.value
    base = replace(base, verdict=doubts)
    out = [
        replace(
            base,
            number=label,
            value=entry.value,
            standard_error=_or_nan(entry.standard_error),
            unit=system.unit_of(label),
        )
        for label, entry in system.result.coefficients.items()
    ]
    for column, scatter in system.result.scatters.items():
        out.append(replace(base, number=f"scatter of {column}", value=scatter, unit=system.unit_of(column)))
        of = system.result.r_squared[column]
        out += [] if of is None else [replace(base, number=f"R² of {column}", value=of)]
    for reading in system.recipe.readings:
        answers = read_off(system, reading)
        if not answers:
            out.append(
                replace(base, number=words_of(reading), outcome=Outcome.NONE, reason="There is no such place.")
            )
        for answer in answers:
            error = _or_nan(answer.standard_error)
            beyond = "beyond the data" if answer.beyond else ""
            out.append(
                replace(
                    base,
                    number=answer.called,
                    value=answer.value,
                    standard_error=error,
                    unit=answer.unit,
                    reason=beyond,
                )
            )
    return out


def _of_areas(study: Study, series: Series) -> list[Kept]:
    out = []
    for number, recipe in enumerate(study.areas_of(series.id), 1):
        label = recipe.name or f"area {number}"
        try:
            area = derive_area(study, series, recipe)
        except VettoreError as error:
            out.append(Kept(series.name, "areas", label, outcome=Outcome.FAILED, reason=str(error)))
            continue
        unit = area_unit(series)
        out.append(Kept(series.name, "areas", label, area.area, _or_nan(area.standard_error), unit))
    return out


def _between(study: Study, series: Series) -> list[Kept]:
    recipe = study.interpolant_of(series.id)
    if not recipe.read_at:
        return []
    unit = series.name_and_unit(Role.Y)[1]
    try:
        curve = derive_interpolant(series, recipe)
        at = np.array(readable(curve, recipe.read_at))
        values, errors = curve(at), curve.standard_error(at)
    except VettoreError as error:
        return [Kept(series.name, "between points", "", outcome=Outcome.FAILED, reason=str(error))]
    return [
        Kept(
            series.name,
            "between points",
            f"at {x:.10g}",
            float(y),
            float(e),
            unit,
            reason="beyond the points" if curve.is_beyond(float(x)) else "",
        )
        for x, y, e in zip(at, values, errors, strict=True)
    ]


def _of_surfaces(study: Study, series: Series) -> list[Kept]:
    out = []
    for recipe in study.all(SurfaceRecipe):
        if recipe.series != series.id:
            continue
        try:
            fit = fit_of(study, series, recipe)
            surface = derive_surface(series, recipe) if fit is None else derive_fitted(series, recipe, fit)
            unit = sites_of(series, recipe).units[2]
            out.append(Kept(series.name, "surface", "mean", surface.mean(), unit=unit))
            out.append(Kept(series.name, "surface", "left-out error", surface.left_out_error, unit=unit))
            for x, y in recipe.read_at:
                value, error = float(surface(x, y)), float(surface.standard_error(x, y))
                out.append(Kept(series.name, "surface", f"at {x:.10g}; {y:.10g}", value, error, unit))
        except VettoreError as error:
            out.append(Kept(series.name, "surface", "", outcome=Outcome.FAILED, reason=str(error)))
    return out


def _gravest(fit: DerivedFit) -> str:
    verdicts = {check.verdict for check in fit.checks}
    return next((verdict.value for verdict in (Verdict.BAD, Verdict.LOOK, Verdict.GOOD) if verdict in verdicts), "")


def _or_nan(value: float | None) -> float:
    return float("nan") if value is None else float(value)


@dataclass(frozen=True)
class Beside:
    """A number of the old data beside that of the new; ``apart`` is their difference in standard errors of it (NaN unknown)."""

    old: Kept
    new: Kept | None
    apart: float


def side_by_side(study: Study, result: Study, series: Iterable[str]) -> tuple[Beside, ...]:
    """Return all numbers that were kept of some series, each beside the same number of the new data."""
    out = []
    for identity in series:
        new = {(kept.part, kept.number): kept for kept in kept_numbers(result, result.find_series(identity))}
        for old in kept_numbers(study, study.find_series(identity)):
            other = new.get((old.part, old.number))
            apart = float("nan")
            if other is not None:
                spread = float(np.hypot(old.standard_error, other.standard_error))
                if spread > 0:
                    apart = (other.value - old.value) / spread
            out.append(Beside(old, other, apart))
    return tuple(out)
