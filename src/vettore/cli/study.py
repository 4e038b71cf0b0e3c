"""vettore study: make a study from files, add to it, and read what it holds."""

from __future__ import annotations

import math
import sys
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.given import Reading, model_of, quiet_table, say_json, table_options
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.study.kept_numbers import Kept
    from vettore.study.study import Study

_MODEL = (
    click.option("--degree", type=int, help="Fit a polynomial of this degree to each file."),
    click.option("--formula", help="Fit a formula over the columns of each file."),
    click.option("--model", "model_key", help="Fit a model of the catalogue (see vettore models)."),
)


@click.group()
def study() -> None:
    """Make a study from files, add to it, or tell what it holds."""


def _fitted(command: Any) -> Any:
    for option in reversed(_MODEL):
        command = option(command)
    return table_options(command)


@study.command("new")
@click.argument("study_file", metavar="STUDY", type=click.Path(path_type=Path))
@click.argument("files", nargs=-1)
@click.option("--title", help="The title of the study (the name of its file when left out).")
@_fitted
def new(study_file: Path, files: Sequence[str], title: str | None, read: Reading, **model: Any) -> None:
    """Make a study from files (or folders, patterns, - for a list), each a series, with a fit where one is asked for."""
    from vettore.files.study_file import save_study
    from vettore.study.study import Study

    if study_file.exists():
        raise DataError(
            f"“{study_file.name}” is there already. Take another name, or vettore study add.", Fault.EXISTS
        )
    result = _with_files(Study(title=title or study_file.stem), files, read, model)
    save_study(result, study_file)
    _tell_saved(result, study_file)


@study.command("add")
@click.argument("study_file", metavar="STUDY", type=click.Path(path_type=Path))
@click.argument("files", nargs=-1, required=True)
@_fitted
def add(study_file: Path, files: Sequence[str], read: Reading, **model: Any) -> None:
    """Add files to a study, each a series, with a fit where one is asked for."""
    from vettore.files.study_file import open_study, save_study

    result = _with_files(open_study(study_file), files, read, model)
    save_study(result, study_file)
    _tell_saved(result, study_file)


@study.command("show")
@click.argument("study_file", metavar="STUDY", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print as JSON, numbers in full.")
def show(study_file: Path, as_json: bool) -> None:
    """Tell what a study holds: its series, and every number that it keeps of them."""
    from vettore.files.study_file import open_study
    from vettore.study.kept_numbers import kept_numbers

    opened = open_study(study_file)
    numbers = {series.id: kept_numbers(opened, series) for series in opened.series}
    if as_json:
        say_json("study/1", _as_json(opened, numbers))
        return
    click.echo(opened.title)
    for series in opened.series:
        aside = f", {len(series.set_aside)} set aside" if series.set_aside else ""
        click.echo(f"\n{series.name}: {series.rows} rows{aside}")
        for column in series.columns:
            click.echo(f"  {column.name}{f' ({column.unit})' if column.unit else ''}: {column.role}")
        for number in numbers[series.id]:
            click.echo("  " + _in_words(number))


def _with_files(study: Study, files: Sequence[str], read: Reading, model: dict[str, Any]) -> Study:
    """Add a series for each file, and the fit that is asked for. Raises VettoreError, which names the file."""
    from vettore.batch.sources import files_of
    from vettore.core.errors import Fault, VettoreError
    from vettore.study import edits

    given = [name for name, value in model.items() if value is not None]
    if len(given) > 1:
        raise DataError("Give one of --degree, --formula and --model.", Fault.CONFLICT)
    for path in files_of(files, sys.stdin) if files else ():
        try:
            study = edits.add_series(study, quiet_table(path, read), path.stem)
            series = study.series[-1].id
            if model["degree"] is not None:
                study = edits.add_fit(study, series, model["degree"])
            elif model["formula"] is not None:
                study = edits.add_formula(study, series, model["formula"])
            elif model["model_key"] is not None:
                model_of(model["model_key"], None)
                study = edits.add_model(study, series, model["model_key"])
        except VettoreError as error:
            words = str(error)
            raise DataError(words if path.name in words else f"{path.name}: {words}", error.code) from None
    return study


def _tell_saved(study: Study, path: Path) -> None:
    count = len(study.series)
    click.echo(f"{path} holds {count} series and {len(study.curves)} fit{'' if len(study.curves) == 1 else 's'}.")


def _in_words(number: Kept) -> str:
    from vettore.core.rounding import NumberStyle

    style = NumberStyle()
    if not math.isfinite(number.value):
        return f"{number.part}, {number.number}: {number.reason or number.outcome}"
    value = style.number(number.value, 6)
    if math.isfinite(number.standard_error):
        value = style.pair(number.value, number.standard_error, number.unit)
    elif number.unit:
        value = f"{value} {number.unit}"
    doubt = f" ({number.reason or number.outcome})" if number.outcome != "done" else ""
    return f"{number.part}, {number.number} = {value}{doubt}"


def _as_json(study: Study, numbers: dict[str, tuple[Kept, ...]]) -> dict[str, Any]:
    def plain(number: Kept) -> dict[str, Any]:
        fields = asdict(number)
        return {
            name: None if isinstance(value, float) and not math.isfinite(value) else value
            for name, value in fields.items()
            if name != "series"
        }

    return {
        "title": study.title,
        "series": [
            {
                "name": series.name,
                "rows": series.rows,
                "set_aside": len(series.set_aside),
                "columns": [{"name": c.name, "unit": c.unit, "role": str(c.role)} for c in series.columns],
                "numbers": [plain(number) for number in numbers[series.id]],
            }
            for series in study.series
        ],
    }
