"""The same work on new data: the columns of a new table are found for a series, and all that it carried is done again.

A column is found by its name; by its name but for case, blanks and underscores; by its unit, where one column of numbers
alone has it; or by its place, where that is asked for. Units that differ are converted, or refused: a value in V is never
taken for one in mV.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Literal

import numpy as np

from vettore.core.errors import DataError, VettoreError
from vettore.core.fitting.checks import Verdict
from vettore.core.formula.formula import read_expression, read_formula
from vettore.core.formula.tree import names
from vettore.core.units import conversion
from vettore.study import edits, parts
from vettore.study.areas import derive_area
from vettore.study.columns import column_names
from vettore.study.derive import derive_fit, derive_reading
from vettore.study.derive_curves import area_unit, derive_interpolant, readable
from vettore.study.fits import DerivedFit, coefficient_units, derived_quantities
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.surfaces import derive_fitted, derive_surface, fit_of, sites_of
from vettore.study.table import RawColumn, Table

Match = Literal["by-name", "by-place"]
NEEDED = (Role.X, Role.Y, Role.Z)


class Found(StrEnum):
    """How a column of the new data was found."""

    NAME = "name"
    SPELLING = "spelling"
    UNIT = "unit"
    PLACE = "place"
    CHOSEN = "chosen"


WAYS: dict[Match, tuple[Found, ...]] = {
    "by-name": (Found.CHOSEN, Found.NAME, Found.SPELLING, Found.UNIT),
    "by-place": (Found.CHOSEN, Found.PLACE),
}


@dataclass(frozen=True)
class Pairing:
    """A column of the study, by the name it came with, and the column of the new table for it (None: left out).

    ``conversion`` are factor and offset that turn the new values into the unit of the old.
    """

    wanted: str
    found: int | None
    how: Found | None
    needed: bool
    conversion: tuple[float, float] = (1.0, 0.0)


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


def pairings(
    study: Study,
    series: Series,
    table: Table,
    match: Match = "by-name",
    chosen: dict[str, str] | None = None,
    strict: bool = True,
) -> tuple[Pairing, ...]:
    """Return for each column that a series came with the column of a new table; ``chosen`` names some by hand.

    Raises DataError when a column that is needed is not there, or its unit measures something else, unless not ``strict``.
    """
    needed = _needed(study, series)
    there = list(table.columns)
    used: set[int] = set()
    out: dict[int, Pairing] = {}
    wanted = [
        (place, settings.raw, series.table.columns[settings.raw])
        for place, settings in enumerate(series.columns)
        if settings.raw is not None
    ]
    for how in WAYS[match]:
        for place, raw, column in wanted:
            if place in out:
                continue
            found = _candidate(how, column, raw, there, used, chosen or {})
            if found is not None:
                used.add(found)
                factors = _conversion(column, there[found]) if strict else (1.0, 0.0)
                out[place] = Pairing(column.name, found, how, place in needed, factors)
    told = []
    for place, _, column in wanted:
        if place not in out and place in needed and strict:
            names_there = ", ".join(other.name for other in there) or "none"
            raise DataError(
                f"The new data have no column “{column.name}”, which is needed as {series.columns[place].role}. Their "
                f"columns are: {names_there}.",
                column=column.name,
            )
        told.append(out.get(place, Pairing(column.name, None, None, place in needed)))
    return tuple(told)


def _candidate(
    how: Found, column: RawColumn, raw: int, there: list[RawColumn], used: set[int], chosen: dict[str, str]
) -> int | None:
    free = [place for place in range(len(there)) if place not in used]
    match how:
        case Found.CHOSEN:
            fits = [place for place in free if there[place].name == chosen.get(column.name)]
        case Found.NAME:
            fits = [place for place in free if there[place].name == column.name]
        case Found.SPELLING:
            fits = [place for place in free if _spelled(there[place].name) == _spelled(column.name)]
        case Found.UNIT:
            fits = [place for place in free if column.unit and there[place].unit == column.unit]
            # One of several would be a guess.
            fits = fits if len(fits) == 1 and there[fits[0]].texts is None else []
        case Found.PLACE:
            fits = [raw] if raw in free else []
    return fits[0] if fits else None


def _spelled(name: str) -> str:
    return "".join(name.casefold().replace("_", " ").replace("-", " ").split())


def _conversion(old: RawColumn, new: RawColumn) -> tuple[float, float]:
    if not old.unit or not new.unit or old.unit == new.unit or new.texts is not None:
        return (1.0, 0.0)
    try:
        return conversion(new.unit, old.unit)
    except DataError as error:
        raise DataError(
            f"{new.name} is in {new.unit} in the new data and in {old.unit} in the study. {error}", column=new.name
        ) from None


def _needed(study: Study, series: Series) -> set[int]:
    """Return the places of the columns without which the work on a series cannot be done again."""
    wanted = {place for place, column in enumerate(series.columns) if column.role in NEEDED}
    users = [*study.curves_of(series.id), study.interpolant_of(series.id)]
    for used, role in (("use_errors", Role.Y_ERROR), ("use_x_errors", Role.X_ERROR)):
        if any(getattr(user, used, False) for user in users):
            wanted |= {place for place, column in enumerate(series.columns) if column.role is role}
    by_name = {column.name: place for place, column in enumerate(series.columns)}
    known = column_names(series.columns)
    asked: set[str] = set()
    for curve in study.curves_of(series.id):
        if curve.formula:
            read = read_formula(curve.formula, known)
            asked |= {*read.data, *read.measured}
    for recipe in study.all(SurfaceRecipe):
        if recipe.series == series.id:
            asked |= {recipe.x, recipe.y, recipe.z}
    wanted |= {by_name[name] for name in asked if name in by_name}
    for _ in series.columns:
        for place in [*wanted]:
            formula = series.columns[place].formula
            if series.columns[place].raw is None and formula:
                try:
                    wanted |= {by_name[name] for name in names(read_expression(formula, known)) if name in by_name}
                except VettoreError:
                    continue
    return wanted


def paired_table(series: Series, table: Table, found: Iterable[Pairing]) -> Table:
    """Return the new table with its columns under the names, and in the units, that the series knows."""
    columns = []
    old = {column.name: column for column in series.table.columns}
    for pairing in found:
        if pairing.found is None:
            continue
        new, known = table.columns[pairing.found], old[pairing.wanted]
        if known.texts is None and new.texts is not None:
            sample = next((text for text in new.texts if text.strip()), "")
            raise DataError(f"{new.name} holds words, as “{sample[:40]}”, where numbers are needed.", column=new.name)
        factor, offset = pairing.conversion
        values = new.values
        if (factor, offset) != (1.0, 0.0):
            values = values * factor + offset
        columns.append(replace(new, name=known.name, unit=known.unit or new.unit, values=values))
    return Table(tuple(columns), table.source, table.late_digest)


def replayed(
    study: Study,
    tables: Sequence[Table],
    match: Match = "by-name",
    only: str = "",
    chosen: dict[str, str] | None = None,
) -> tuple[Study, tuple[str, ...]]:
    """Return the study with new tables under its series, and the ids of those that found their columns.

    A series that nothing was worked out of stays as it is. Raises DataError when no series finds its columns; the reason is
    that of the series that the report is about.
    """
    targets = [series for series in study.series if _carries(study, series)] or list(study.series)
    if only:
        targets = [series for series in targets if only in (series.id, series.name)]
        if not targets:
            told = ", ".join(series.name for series in study.series)
            raise DataError(f"The study has no series “{only}” with work on it. Its series are: {told}.")
    elif match == "by-place" and study.reported_curve is not None:
        # Any table has first and second columns: by place only the series of the report is meant.
        targets = [study.find_series(study.reported_curve.series)]
    reported = study.reported_curve
    # What is refused is said of the series that the report is about.
    targets.sort(key=lambda series: reported is None or series.id != reported.series)
    reasons, done = [], []
    for series in targets:
        for table in tables:
            try:
                found = pairings(study, series, table, match, chosen)
                made = paired_table(series, table, found)
                study = edits.renew_series(_without_missing(study, series, found), series.id, made)
            except VettoreError as error:
                reasons.append(error)
                continue
            done.append(series.id)
            break
    if not done:
        if reasons:
            raise reasons[0]
        raise DataError("There is nothing to do again: the study holds no series, or the file no table.")
    return study, tuple(done)


def _without_missing(study: Study, series: Series, found: Iterable[Pairing]) -> Study:
    """Return the study without the roles of columns that the new data lack and nothing needs, as a ± that no fit uses."""
    lacking = {pairing.wanted for pairing in found if pairing.found is None}
    columns = tuple(
        replace(column, role=Role.CARRIED)
        if column.raw is not None
        and series.table.columns[column.raw].name in lacking
        and column.role is not Role.TEXT
        else column
        for column in series.columns
    )
    return parts.change(study, series.changed(columns=columns))


def _carries(study: Study, series: Series) -> bool:
    return any(series.id in part.refers_to() for part in study.parts if not isinstance(part, Series))


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
        replace(base, number=label, value=one.value, standard_error=_or_nan(one.standard_error), unit=unit)
        for (label, one), unit in zip(fit.result.coefficients.items(), coefficient_units(fit), strict=True)
    ]
    for quantity, unit in derived_quantities(fit):
        error = _or_nan(quantity.standard_error)
        out.append(replace(base, number=quantity.name, value=quantity.value, standard_error=error, unit=unit))
    if fit.result.residual_sd is not None:
        unit = "" if fit.result.weighted else fit.y_called[1]
        out.append(replace(base, number="residual standard deviation", value=fit.result.residual_sd, unit=unit))
    if fit.result.r_squared is not None:
        out.append(replace(base, number="R²", value=fit.result.r_squared))
    for number, reading in enumerate(study.readings_of(curve.id), 1):
        out += _of_reading(study, base, reading, reading.name or reading.given_name or f"reading {number}", fit)
    return out


def _of_reading(study: Study, base: Kept, reading: object, label: str, fit: DerivedFit) -> list[Kept]:
    told = derive_reading(study, reading)  # type: ignore[arg-type]
    x_unit, y_unit = fit.series.name_and_unit(Role.X)[1], fit.y_called[1]
    found: list[tuple[float, float | None, str]] = []
    if told.value is not None:
        found.append((told.value, told.standard_error, told.unit))
    found += [(place.x, place.standard_error, x_unit) for place in told.crossings]
    names_of = [label]
    for turn in told.turns:
        found += [(turn.x, None, x_unit), (turn.y, None, y_unit)]
    if told.turns:
        names_of = [f"{label} {turn.kind} {axis}" for turn in told.turns for axis in "xy"]
    elif len(found) > 1:
        names_of = [f"{label} ({place})" for place in range(1, len(found) + 1)]
    if not found:
        why = told.refusal or (str(told.problem.value) if told.problem is not None else "There is none.")
        return [replace(base, number=label, outcome=Outcome.NONE, reason=why)]
    beyond = "beyond the data" if told.beyond else base.reason
    return [
        replace(base, number=name, value=value, standard_error=_or_nan(error), unit=unit, reason=beyond)
        for name, (value, error, unit) in zip(names_of, found, strict=True)
    ]


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
    found = {check.verdict for check in fit.checks}
    return next((verdict.value for verdict in (Verdict.BAD, Verdict.LOOK, Verdict.GOOD) if verdict in found), "")


def _or_nan(value: float | None) -> float:
    return float("nan") if value is None else float(value)


@dataclass(frozen=True)
class Beside:
    """A number of the old data beside that of the new; ``apart`` is their difference in standard errors of it (NaN unknown)."""

    old: Kept
    new: Kept | None
    apart: float


def side_by_side(study: Study, made: Study, series: Iterable[str]) -> tuple[Beside, ...]:
    """Return all numbers that were kept of some series, each beside the same number of the new data."""
    out = []
    for identity in series:
        new = {(one.part, one.number): one for one in kept_numbers(made, made.find_series(identity))}
        for old in kept_numbers(study, study.find_series(identity)):
            other = new.get((old.part, old.number))
            apart = float("nan")
            if other is not None:
                spread = float(np.hypot(old.standard_error, other.standard_error))
                if spread > 0:
                    apart = (other.value - old.value) / spread
            out.append(Beside(old, other, apart))
    return tuple(out)
