"""A study of a table with the fit that a command asks for: its columns, rows, options and readings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vettore.cli.fits.covariance import with_covariance
from vettore.cli.fits.options import values_of
from vettore.cli.given import Reading, left_out, model_of
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.core.formula.formula import Formula
    from vettore.study.series import Series
    from vettore.study.study import Study
    from vettore.study.table import Table

# The roles of columns, and what names the column for each.
OPTION_OF = {
    "x": "x_name",
    "y": "y_name",
    "± of y": "sigma_name",
    "± of x": "sigma_x_name",
    "correlation": "correlation_name",
    "number of trials": "trials_name",
}


def study_of(table: Table, file: Path, read: Reading, options: dict[str, Any]) -> Study:
    """Return a study of a table with the fit that was asked for; rows that are left out are set aside, and why."""
    from vettore.core.fitting.request import DEFAULT_SEED, SQUARES
    from vettore.core.formula.formula import read_formula
    from vettore.study import edits
    from vettore.study.columns import Role
    from vettore.study.kinds.polynomial_fit import PolynomialFit
    from vettore.study.study import Study

    name = "standard input" if str(file) == "-" else file.name
    study = edits.add_series(Study(title=name), table, Path(name).stem)
    if options["covariance"] is not None:
        study = with_covariance(study, table, options["covariance"])
    series = study.series[0].id
    study = _with_rows(study, read)
    wanted = {Role(role): options[option] for role, option in OPTION_OF.items()}
    if options["formula"] is not None:
        formula = read_formula(options["formula"], [column.name for column in study.series[0].columns])
        _check_numbers(study.series[0], formula)
        wanted |= {Role.X: formula.data[0] if formula.data else None, Role.Y: formula.response or None}
    for role, name in wanted.items():
        if name is not None:
            columns = study.series[0].columns
            place = place_of([column.name for column in columns], name, file)
            study = edits.set_column(study, series, place, replace(columns[place], role=role))
    if options["formula"] is not None:
        study = edits.add_formula(study, series, options["formula"])
    else:
        study = edits.add_fit(study, series, 1 if options["degree"] is None else options["degree"])
    recipe = study.curves[0]
    if options["model_key"] is not None:
        own = options["library"] is not None
        chosen = model_of(options["model_key"], options["library"])
        recipe = edits.with_model(study.series[0], recipe, chosen if own else chosen.key)
    recipe = recipe.changed(**_scatter(options))
    if options["span"] is not None:
        recipe = recipe.changed(span=span_of(options["span"], study.series[0]))
    if isinstance(recipe, PolynomialFit):
        return _with_readings(edits.change_fit(study, recipe.changed(intercept=not options["no_intercept"])), options)
    decided = recipe.changed(
        hold=tuple(values_of(options["hold"]).items()),
        start=tuple(values_of(options["start"]).items()),
        limits=tuple((name, low, high) for name, (low, high) in limits_of(options["limit"]).items()),
        loss=options["loss"] or SQUARES,
        seed=DEFAULT_SEED if options["seed"] is None else options["seed"],
    )
    return _with_readings(edits.change_fit(study, decided), options)


def _scatter(options: dict[str, Any]) -> dict[str, Any]:
    """Return what a fit decides of the scatter of its rows."""
    return {
        "use_errors": options["sigma_name"] is not None,
        "errors_known": options["sigma_known"],
        "use_x_errors": options["sigma_x_name"] is not None,
        "noise": options["noise"] or ("correlated" if options["covariance"] else "normal"),
        "noise_size": options["noise_size"],
    }


def _with_rows(study: Study, read: Reading) -> Study:
    """Set the rows aside that are not to be used."""
    import numpy as np

    from vettore.study import edits
    from vettore.study.rows import rows_where

    series = study.series[0]
    if read.rows is not None:
        out = np.flatnonzero(~rows_where(series, read.rows)).tolist()
        if len(out) == series.rows:
            raise DataError(f"No row holds: --rows “{read.rows}” leaves nothing to fit.", Fault.NOTHING)
        study = edits.set_rows_aside(study, series.id, out, f"not {read.rows}") if out else study
    named = left_out(read, series.rows)
    return edits.set_rows_aside(study, series.id, named, "left out") if named else study


def _with_readings(study: Study, options: dict[str, Any]) -> Study:
    """Keep the readings that were asked for."""
    from vettore.study import edits
    from vettore.study.kinds import readings as kinds

    curve = study.curves[0].id
    for option, kind in (
        ("at", kinds.ValueReading),
        ("where", kinds.PlaceReading),
        ("slope", kinds.SlopeReading),
        ("area", kinds.AreaReading),
        ("number", kinds.FormulaReading),
    ):
        for text in options[option]:
            for reading in kind.typed(text.replace("..", " … ") if option == "area" else text, curve):
                study = edits.keep(study, reading)
    if options["limits"] is not None:
        limits: tuple[type[kinds.LimitReading], ...] = (
            kinds.DecisionReading,
            kinds.DetectionReading,
            kinds.QuantificationReading,
        )
        for limit in limits:
            study = edits.keep(study, limit(curve=curve, times=options["limits"], name=f"{limit.which} limit"))
    if options["additions"]:
        study = edits.keep(study, kinds.AdditionReading(curve=curve, name="in the sample"))
    return study


def span_of(text: str, series: Series) -> tuple[float, float]:
    """Return a span such as ``0..50``; a side left out is that of the data. Raises DataError."""
    from vettore.study.series import Role

    (low, high) = limits_of([f"span={text}"])["span"]
    x = series.values(Role.X)
    if x is None:
        raise DataError("--span is over x, and the fit has none.", Fault.NO_EFFECT)
    import numpy as np

    ends = (float(np.nanmin(x)) if low is None else low, float(np.nanmax(x)) if high is None else high)
    if not ends[0] < ends[1]:
        raise DataError(
            f"The span “{text}” holds nothing: it runs from {ends[0]:g} to {ends[1]:g}.", Fault.NOT_READABLE
        )
    return ends


def _check_numbers(series: Series, read: Formula) -> None:
    """Refuse a formula over a column of text, with a sample of it."""
    from vettore.core.rounding import read_number

    for settings, column in zip(series.columns, series.data, strict=True):
        if column.texts is not None and settings.name in (*read.measured, *read.data):
            sample = next((text for text in column.texts if text.strip() and read_number(text) is None), "")
            raise DataError(
                f"{settings.name} holds text, as “{sample}”, so no formula can be fitted to it.", Fault.BAD_ROWS
            )


def place_of(names: list[str], wanted: str, file: Path) -> int:
    """Return the place of a column given by name or by number from 1. Raises DataError."""
    if wanted in names:
        return names.index(wanted)
    if wanted.isdecimal() and 1 <= int(wanted) <= len(names):
        return int(wanted) - 1
    raise DataError(
        f"“{file.name}” has no column “{wanted}”. Its columns are: {', '.join(names)}.",
        Fault.NO_SUCH_NAME,
        column=wanted,
    )


def limits_of(given: Sequence[str]) -> dict[str, tuple[float | None, float | None]]:
    """Return ``k=0..1`` texts as limits by name; a side left out is open. Raises DataError."""
    from vettore.core.rounding import read_number

    by_name = {}
    for text in given:
        name, _, span = text.partition("=")
        low, dots, high = span.partition("..")
        sides = [read_number(side) if side.strip() else None for side in (low, high)]
        blank = [not side.strip() for side in (low, high)]
        if not name.strip() or not dots or any(s is None and not b for s, b in zip(sides, blank, strict=True)):
            raise DataError(
                f"“{text}” are no limits of a coefficient; write them as k=0.. or k=0..1.", Fault.NOT_READABLE
            )
        by_name[name.strip()] = (sides[0], sides[1])
    return by_name
