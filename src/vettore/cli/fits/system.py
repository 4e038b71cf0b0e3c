"""Several equations over a file: rates of change, reactions, columns that share coefficients."""

from __future__ import annotations

import math
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.fits.many import groups_of, hand_out, part_of
from vettore.cli.fits.of_table import limits_of
from vettore.cli.fits.options import values_of
from vettore.cli.given import Columns, Reading, numbers_of, quiet_table, say_json, table_of
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.batch.table import Row
    from vettore.core.systems.result import SystemFit
    from vettore.core.systems.runs import RunsFit

# What several equations take of the options of a fit.
TAKEN = ("formula", "equations", "start", "hold", "limit", "seed", "as_json")


def equations_of(options: Mapping[str, Any]) -> str | None:
    """Return the text of several equations, from its file or its option; None for a single one. Raises DataError."""
    from vettore.core.systems.read import is_system

    file: Path | None = options["equations"]
    if file is not None:
        for option in ("formula", "model_key", "degree"):
            if options[option] is not None:
                raise DataError(
                    f"--equations would have no effect beside --{option.removesuffix('_key')}. Give one.",
                    Fault.CONFLICT,
                )
        try:
            return file.read_text(encoding="utf-8")
        except (OSError, UnicodeDecodeError) as error:
            raise DataError(f"The equations in “{file}” cannot be read: {error}.", Fault.FILE_MISSING) from None
    formula: str | None = options["formula"]
    return formula if formula is not None and is_system(formula) else None


def fit_equations(text: str, file: Path, read: Reading, options: Mapping[str, Any]) -> None:
    """Fit several equations to a file, and tell what came of it. Raises VettoreError."""
    from vettore import core

    _check_options(options)
    table = table_of(file, read)
    answer = core.fit_system(text, numbers_of(table), **_taken(options))
    if options["as_json"]:
        say_json("system/1", answer.to_dict())
    else:
        click.echo(_text(answer, {column.name: column.unit for column in table.columns}))


def fit_equation_runs(
    text: str,
    files: Sequence[str],
    by: str | None,
    shared: str,
    output: Path | None,
    read: Reading,
    options: Mapping[str, Any],
) -> None:
    """Fit several equations to all groups of all files together, write one table, and say whether what is common is."""
    from vettore import core
    from vettore.batch.sources import files_of
    from vettore.batch.table import ReplayTable
    from vettore.files.number_table import check_ending

    _check_options(options)
    if output is not None:
        check_ending(output)
    runs: dict[str, Columns] = {}
    places: dict[str, tuple[str, str]] = {}
    units: dict[str, str] = {}
    for path in files_of(files, sys.stdin):
        table = quiet_table(path, read)
        for label, rows in groups_of(path, table, by):
            name = f"{path.name}, {label}" if label else path.name
            part = part_of(table, rows)
            runs[name], places[name] = numbers_of(part), (str(path), label)
            units = units or {column.name: column.unit for column in part.columns}
    names = [name.strip() for name in shared.split(",") if name.strip()]
    answer = core.fit_runs(text, runs, names, **_taken(options))
    hand_out(ReplayTable(_rows_of(answer, places, units)), output)
    test = answer.against_apart
    if test is not None:
        click.echo(
            f"{len(runs)} runs, {', '.join(names)} common to all: the runs alone would fit as much better by chance with a "
            f"probability of {test.p:.2g} (F = {test.f:.3g}).",
            err=True,
        )


def _rows_of(answer: RunsFit, places: Mapping[str, tuple[str, str]], units: Mapping[str, str]) -> list[Row]:
    """Return a row for each coefficient of each run."""
    from vettore.batch.table import Row
    from vettore.core.systems.units import system_units

    told = system_units(next(iter(answer.runs.values())).system, units)
    return [
        Row(
            *places[label],
            label,
            "equations",
            name,
            entry.value,
            math.nan if entry.standard_error is None else entry.standard_error,
            told.units.get(name) or "",
            "",
            "done",
            "common to all" if name in answer.shared else "",
        )
        for label, fit in answer.runs.items()
        for name, entry in fit.coefficients.items()
    ]


def _check_options(options: Mapping[str, Any]) -> None:
    """Refuse what several equations do not take. Raises DataError."""
    unused = [name for name, value in options.items() if value and name not in TAKEN]
    if unused:
        option = unused[0].removesuffix("_name").replace("_", "-")
        raise DataError(f"--{option} is for a single equation; several are fitted without it.", Fault.NO_EFFECT)


def _taken(options: Mapping[str, Any]) -> dict[str, Any]:
    """Return what was asked for, as fit_system takes it."""
    from vettore.core.fitting.request import DEFAULT_SEED

    return {
        "start": values_of(options["start"]),
        "hold": values_of(options["hold"]),
        "limits": limits_of(options["limit"]),
        "seed": DEFAULT_SEED if options["seed"] is None else options["seed"],
    }


def _text(answer: SystemFit, of_columns: Mapping[str, str]) -> str:
    """Return a fit as a person reads it."""
    from vettore.core.rounding import NumberStyle
    from vettore.core.systems.units import system_units
    from vettore.words.fits import conflict_in_words
    from vettore.words.systems import conserved_words

    style, told = NumberStyle(), system_units(answer.system, of_columns)
    lines = [*answer.equations, ""]
    for coefficient in answer.coefficients.values():
        unit = told.units.get(coefficient.name) or ""
        held = "  (held)" if coefficient.held else "  (at its limit)" if coefficient.at_limit else ""
        lines.append(
            f"  {coefficient.name:8} {style.pair(coefficient.value, coefficient.standard_error, unit)}{held}"
        )
    lines.append("")
    for name, scatter in answer.scatters.items():
        of = answer.r_squared[name]
        share = "" if of is None else f", R² {style.number(of, 5)}"
        unit = of_columns.get(name, "")
        size = f"{style.number(scatter, 3)} {unit}".rstrip()
        lines.append(f"  {name:38} scatter {size}{share}, {len(answer.residuals[name])} rows")
    lines += [f"  {'never changes':38} {total}" for total in conserved_words(answer.conserved, style)]
    warnings = [*answer.warnings, *(conflict_in_words(conflict) for conflict in told.contradictions)]
    return "\n".join([*lines, *([""] if warnings else []), *warnings])
