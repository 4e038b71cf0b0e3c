"""A fit of many files or groups of rows at once, with some coefficients common to all."""

from __future__ import annotations

import math
import sys
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.fits.many import groups_of, hand_out, part_of
from vettore.cli.fits.of_table import study_of
from vettore.cli.fits.wide import columns_each, label_of
from vettore.cli.given import Reading, quiet_table
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.study.kinds.fits import AnyFit
    from vettore.study.series import Series


def fit_shared_all(
    files: Sequence[str],
    by: str | None,
    shared: str,
    output: Path | None,
    read: Reading,
    options: dict[str, Any],
) -> None:
    """Fit all groups of all files together, write one table, and say whether what is taken for common is."""
    from vettore.batch.table import ReplayTable, Row
    from vettore.core.rounding import NumberStyle
    from vettore.files.number_table import check_ending
    from vettore.study.fitting.fits import fit_series
    from vettore.study.fitting.quantities import coefficient_units
    from vettore.study.fitting.several import fit_together
    from vettore.words.several import several_in_words

    if output is not None:
        check_ending(output)
    places, series, recipe = _series(files, by, read, options)
    several = fit_together(series, recipe, [name.strip() for name in shared.split(",")])
    units = coefficient_units(fit_series(series[0], recipe))
    rows = [
        Row(
            file,
            label,
            row.name,
            recipe.name,
            name,
            coefficient.value,
            math.nan if coefficient.standard_error is None else coefficient.standard_error,
            unit or "",
            "",
            "done",
            "common to all" if name in several.shared else "",
        )
        for (file, label), row in zip(places, several.rows, strict=True)
        for (name, coefficient), unit in zip(row.coefficients.items(), units, strict=True)
    ]
    replay_table = ReplayTable(rows)
    hand_out(replay_table, output)
    click.echo(several_in_words(several, NumberStyle()), err=True)


def _series(
    files: Sequence[str], by: str | None, read: Reading, options: dict[str, Any]
) -> tuple[list[tuple[str, str]], list[Series], AnyFit]:
    """Return the file and the group of each series, the series, and the fit that is asked for. Raises DataError."""
    from vettore.batch.sources import files_of

    places: list[tuple[str, str]] = []
    series: list[Series] = []
    recipe: AnyFit | None = None
    for path in files_of(files, sys.stdin):
        table = quiet_table(path, read)
        for label, rows in groups_of(path, table, by):
            part = part_of(table, rows)
            for column, chosen in columns_each(part, path, options, by):
                study, name = study_of(part, path, Reading(), chosen), label_of(label, column)
                # The same identity would make them one.
                series.append(replace(study.series[0], id=f"s{len(series) + 1}", name=name or path.stem))
                recipe = recipe or study.curves[0]
                places.append((str(path), name))
    if recipe is None:
        raise DataError("There is no file to fit.", Fault.NOTHING)
    return places, series, recipe
