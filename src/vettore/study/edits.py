"""The edits of a study: each takes a study and returns a new one. None changes raw values."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from vettore.core.errors import DataError, name_rows
from vettore.study.recipes import Asked, PolynomialFit, Reading, ReportRecipe
from vettore.study.series import ColumnSettings, Role, Series, SetAside, Table, new_series
from vettore.study.study import Study

# A role that only one column of a series can have; giving it takes it from the column that had it.
SINGLE_ROLES = frozenset({Role.X, Role.Y, Role.Y_ERROR, Role.X_ERROR, Role.Z})


def add_series(study: Study, table: Table, name: str) -> Study:
    """Add a table as a new series, at the end."""
    identity = f"s{study.counter + 1}"
    return replace(study, series=(*study.series, new_series(identity, name, table)), counter=study.counter + 1)


def remove_series(study: Study, series: str) -> Study:
    """Take a series out, with its curves and their readings."""
    study.find_series(series)
    gone = {curve.id for curve in study.curves_of(series)}
    return replace(
        study,
        series=tuple(one for one in study.series if one.id != series),
        curves=tuple(curve for curve in study.curves if curve.id not in gone),
        readings=tuple(reading for reading in study.readings if reading.curve not in gone),
    )


def rename_series(study: Study, series: str, name: str) -> Study:
    """Give a series another name."""
    return _with_series(study, study.find_series(series).changed(name=name))


def set_column(study: Study, series: str, place: int, settings: ColumnSettings) -> Study:
    """Change a column's name, unit or role. Raises DataError when a text column is asked to be a number."""
    one = study.find_series(series)
    if one.table.columns[place].texts is not None and settings.role is not Role.TEXT:
        raise DataError(f"Column {settings.name} holds text, so it cannot be {settings.role}.", column=settings.name)
    columns = list(one.columns)
    if settings.role in SINGLE_ROLES:
        columns = [replace(c, role=Role.CARRIED) if c.role is settings.role else c for c in columns]
    columns[place] = settings
    return _with_series(study, one.changed(columns=tuple(columns)))


def set_rows_aside(study: Study, series: str, rows: Iterable[int], reason: str) -> Study:
    """Set rows (counted from 0) aside with a reason; a row already aside takes the new reason."""
    one = study.find_series(series)
    wanted = sorted(set(rows))
    if any(not 0 <= row < one.table.rows for row in wanted):
        shown = name_rows([row + 1 for row in wanted])
        raise DataError(f"{one.name} has {one.table.rows} rows; {shown} cannot be set aside.")
    kept = [entry for entry in one.set_aside if entry.row not in wanted]
    entries = sorted([*kept, *(SetAside(row, reason) for row in wanted)], key=lambda entry: entry.row)
    return _with_series(study, one.changed(set_aside=tuple(entries)))


def bring_rows_back(study: Study, series: str, rows: Iterable[int]) -> Study:
    """Use rows again that were set aside."""
    one = study.find_series(series)
    back = set(rows)
    return _with_series(
        study, one.changed(set_aside=tuple(entry for entry in one.set_aside if entry.row not in back))
    )


def add_fit(study: Study, series: str, degree: int) -> Study:
    """Add a polynomial fit of a series and make it the one reported."""
    study.find_series(series)
    fit = PolynomialFit(f"c{study.counter + 1}", series, degree)
    study = replace(study, curves=(*study.curves, fit), counter=study.counter + 1)
    return set_report(study, replace(study.report, curve=fit.id))


def change_fit(study: Study, fit: PolynomialFit) -> Study:
    """Replace the recipe of a fit, found by its id; readings of it stay and follow."""
    study.find_curve(fit.id)
    return replace(study, curves=tuple(fit if curve.id == fit.id else curve for curve in study.curves))


def remove_fit(study: Study, curve: str) -> Study:
    """Take a fit out, with its readings."""
    return replace(
        study,
        curves=tuple(one for one in study.curves if one.id != curve),
        readings=tuple(reading for reading in study.readings if reading.curve != curve),
    )


def keep_reading(study: Study, curve: str, asked: Asked, at: float, name: str = "") -> Study:
    """Keep a reading of a curve."""
    study.find_curve(curve)
    reading = Reading(f"r{study.counter + 1}", curve, asked, at, name)
    return replace(study, readings=(*study.readings, reading), counter=study.counter + 1)


def drop_reading(study: Study, reading: str) -> Study:
    """Let go of a kept reading."""
    return replace(study, readings=tuple(one for one in study.readings if one.id != reading))


def set_report(study: Study, report: ReportRecipe) -> Study:
    """Change what the report holds."""
    return replace(study, report=report)


def set_title(study: Study, title: str) -> Study:
    """Give the study another title."""
    return replace(study, title=title)


def _with_series(study: Study, series: Series) -> Study:
    return replace(study, series=tuple(series if one.id == series.id else one for one in study.series))
