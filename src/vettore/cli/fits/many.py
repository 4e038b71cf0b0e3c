"""A fit of many files, or of groups of rows, as one table."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.fits.of_table import study_of
from vettore.cli.fits.wide import columns_each, label_of
from vettore.cli.given import Reading
from vettore.core.errors import DataError, Fault, VettoreError

if TYPE_CHECKING:
    from vettore.batch.table import ReplayTable, Row
    from vettore.core.arrays import Rows
    from vettore.study.table import Table

# A file is parted into so many shares for each process when there are few.
SHARES = 16


@dataclass(frozen=True)
class FilesRequest:
    """What is fitted in every file."""

    by: str | None
    read: Reading
    options: dict[str, Any] = field(default_factory=dict)


class _Worker:
    """What a process keeps between files."""

    request: FilesRequest | None = None
    # The file that was worked on last, so that it is read once for all its shares.
    path: Path | None = None
    table: Table | None = None
    groups: Sequence[tuple[str, Rows | None]] = ()


def start(request: FilesRequest) -> None:
    """Make a process ready."""
    _Worker.request, _Worker.path = request, None


@dataclass(frozen=True)
class Share:
    """What one process is given at a time: a file, or one of so many equal shares of its groups."""

    path: Path
    part: int = 0
    parts: int = 1


def work(share: Share) -> list[Row]:
    """Return the rows of a file, or of a share of it; whatever goes wrong is a row with a sentence."""
    from vettore.batch.replay import safely

    request = _Worker.request
    assert request is not None
    return safely(share.path, lambda: _of_share(share, request))


def lost(share: Share) -> list[Row]:
    """Return the row of what no process came back from."""
    from vettore.batch import replay

    return replay.lost(share.path)


def _of_share(share: Share, request: FilesRequest) -> list[Row]:
    try:
        table, groups = _read(share.path, request)
    except VettoreError:
        # Told once, by the first share.
        if share.part:
            return []
        raise
    count = len(groups)
    rows: list[Row] = []
    for label, places in groups[share.part * count // share.parts : (share.part + 1) * count // share.parts]:
        rows += _of_group(share.path, label, part_of(table, places), request)
    return rows


def _read(path: Path, request: FilesRequest) -> tuple[Table, Sequence[tuple[str, Rows | None]]]:
    """Return the table of a file and its groups."""
    from vettore.cli.given import quiet_table

    if path != _Worker.path or _Worker.table is None:
        _Worker.path = _Worker.table = None
        _Worker.table = quiet_table(path, request.read)
        _Worker.groups = groups_of(path, _Worker.table, request.by)
        _Worker.path = path
    return _Worker.table, _Worker.groups


def part_of(table: Table, rows: Rows | None) -> Table:
    """Return the rows of a group: all, or some."""
    from vettore.cli.given import rows_of_table

    return table if rows is None else rows_of_table(table, rows)


def groups_of(path: Path, table: Table, by: str | None) -> list[tuple[str, Rows | None]]:
    """Return the groups of a table by their names, in the order in which they appear, each with its rows: all, or some."""
    if by is None:
        return [("", None)]
    import numpy as np

    names = [column.name for column in table.columns]
    if by not in names and not (by.isdecimal() and 1 <= int(by) <= len(names)):
        raise DataError(
            f"“{path.name}” has no column “{by}” to group by. Its columns are: {', '.join(names)}.",
            Fault.NO_SUCH_NAME,
        )
    column = table.columns[names.index(by) if by in names else int(by) - 1]
    labels = column.texts if column.texts is not None else [f"{value:.15g}" for value in column.values.tolist()]
    numbers: dict[str, list[int]] = {}
    for row, label in enumerate(labels):
        numbers.setdefault(label, []).append(row)
    return [(label, np.array(rows)) for label, rows in numbers.items()]


def _of_group(path: Path, group: str, table: Table, request: FilesRequest) -> Iterator[Row]:
    from vettore.batch.replay import failed

    try:
        each = columns_each(table, path, request.options, request.by)
    except VettoreError as error:
        yield failed(path, str(error), group)
        return
    for column, options in each:
        yield from _of_fit(path, label_of(group, column), table, options)


def _of_fit(path: Path, group: str, table: Table, options: dict[str, Any]) -> list[Row]:
    from vettore.batch.replay import failed, row_of
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
    from vettore.batch.sources import files_of
    from vettore.batch.table import ReplayTable
    from vettore.cli.replay import SOME_FAILED, teller
    from vettore.files.number_table import check_ending

    if output is not None:
        check_ending(output)
    paths = list(files_of(files, sys.stdin))
    # Few files of many groups are shared out, too.
    parts = SHARES * workers if by is not None and workers > 1 and len(paths) < workers * SHARES else 1
    shares = [Share(path, part, parts) for path in paths for part in range(parts)]
    tell, failures = teller(len(shares), "files" if parts == 1 else "parts"), 0
    done: dict[int, list[Row]] = {}
    for place, rows in run(work, lost, shares, workers, start, (FilesRequest(by, read, options),)):
        done[place] = rows
        failures += any(row.outcome == "failed" for row in rows)
        tell(len(done), failures)
    table = ReplayTable([row for place in sorted(done) for row in done[place]])
    hand_out(table, output)
    for row in table.failed[:5]:
        click.echo(f"  {row.file} {row.group}: {row.reason}".replace(" :", ":"), err=True)
    if table.failed:
        click.echo(f"{len(table.failed)} failed.", err=True)
        raise SystemExit(SOME_FAILED)


def hand_out(table: ReplayTable, output: Path | None) -> None:
    """Save a table, and say where, or print it."""
    if output is None:
        click.echo(table.text(), nl=False)
    else:
        table.save(output)
        click.echo(f"The table is {output}.", err=True)
