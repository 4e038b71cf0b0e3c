"""A fit of many files, or of groups of rows, as one table."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.given import Reading, column_of, numbers_of
from vettore.core.errors import DataError, VettoreError

if TYPE_CHECKING:
    from vettore.batch.table import Row
    from vettore.study.table import Table

# As --y: each column of numbers beside x is fitted by itself.
EACH = "each"


@dataclass(frozen=True)
class Asked:
    """What is fitted in every file."""

    by: str | None
    read: Reading
    options: dict[str, Any] = field(default_factory=dict)


class _Worker:
    """What a process keeps between files."""

    asked: Asked | None = None


def start(asked: Asked) -> None:
    """Make a process ready."""
    _Worker.asked = asked


def work(path: Path) -> list[Row]:
    """Return the rows of a file; whatever goes wrong is a row with a sentence."""
    from vettore.batch.replay import safely

    asked = _Worker.asked
    assert asked is not None
    return safely(
        path, lambda: [row for group, table in _groups(path, asked) for row in _of_group(path, group, table, asked)]
    )


def _groups(path: Path, asked: Asked) -> Iterator[tuple[str, Table]]:
    """Give the tables of a file: all of it, or the rows of each entry in a column, in the order in which they appear."""
    from vettore.cli.given import quiet_table, rows_of_table

    table = quiet_table(path, asked.read)
    if asked.by is None:
        yield "", table
        return
    names = [column.name for column in table.columns]
    if asked.by not in names and not (asked.by.isdecimal() and 1 <= int(asked.by) <= len(names)):
        raise DataError(f"“{path.name}” has no column “{asked.by}” to group by. Its columns are: {', '.join(names)}.")
    column = table.columns[names.index(asked.by) if asked.by in names else int(asked.by) - 1]
    labels = column.texts if column.texts is not None else [f"{value:.15g}" for value in column.values.tolist()]
    for label in dict.fromkeys(labels):
        yield label, rows_of_table(table, [entry == label for entry in labels])


def _of_group(path: Path, group: str, table: Table, asked: Asked) -> Iterator[Row]:
    from vettore.batch.replay import failed

    columns = numbers_of(table)
    if asked.options["y_name"] != EACH:
        yield from _of_fit(path, group, table, asked, asked.options)
        return
    try:
        x = column_of(columns, asked.options["x_name"], 0, path)
    except VettoreError as error:
        yield failed(path, str(error), group)
        return
    for name in columns:
        if name not in (x, asked.by, asked.options["sigma_name"]):
            label = f"{group} · {name}" if group else name
            yield from _of_fit(path, label, table, asked, {**asked.options, "x_name": x, "y_name": name})


def _of_fit(path: Path, group: str, table: Table, asked: Asked, options: dict[str, Any]) -> list[Row]:
    from vettore.batch.replay import failed, row_of
    from vettore.cli.fit import study_of
    from vettore.study.kept_numbers import kept_numbers

    try:
        study = study_of(table, path, Reading(), options)
        return [row_of(path, kept, group) for kept in kept_numbers(study, study.series[0])]
    except VettoreError as error:
        return [failed(path, str(error), group)]


def fit_all(
    files: Sequence[str],
    by: str | None,
    output: Path | None,
    workers: int,
    read: Reading,
    options: dict[str, Any],
) -> None:
    """Fit all files, and all groups in them, and write one table."""
    from vettore.batch.pool import run
    from vettore.batch.replay import lost
    from vettore.batch.sources import files_of
    from vettore.batch.table import ReplayTable, check_ending
    from vettore.cli.replay import SOME_FAILED, teller

    if output is not None:
        check_ending(output)
    paths = list(files_of(files, sys.stdin))
    tell, failures = teller(len(paths)), 0
    done: dict[int, list[Row]] = {}
    for place, rows in run(work, lost, paths, workers, start, (Asked(by, read, options),)):
        done[place] = rows
        failures += any(row.outcome == "failed" for row in rows)
        tell(len(done), failures)
    table = ReplayTable([row for place in sorted(done) for row in done[place]])
    if output is None:
        click.echo(table.text(), nl=False)
    else:
        table.save(output)
        click.echo(f"The table is {output}.", err=True)
    for row in table.failed[:5]:
        click.echo(f"  {row.file} {row.group}: {row.reason}".replace(" :", ":"), err=True)
    if table.failed:
        click.echo(f"{len(table.failed)} failed.", err=True)
        raise SystemExit(SOME_FAILED)
