"""What commands are given: files, columns, numbers, models; and how they say JSON."""

from __future__ import annotations

import functools
import json
import sys
from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.core.cells.typed import limit_in
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.core.arrays import Mask, Rows
    from vettore.core.models.model import Model
    from vettore.files.readers import Offer
    from vettore.study.table import Table


DELIMITERS = {"tab": "\t", "comma": ",", "semicolon": ";", "bar": "|", "spaces": " ", "space": " "}
MARKS = {"comma": ",", "point": ".", ",": ",", ".": "."}


@dataclass(frozen=True)
class Reading:
    """How a file is read and which of its rows are used, as it was asked for."""

    sheet: str | None = None
    delimiter: str | None = None
    decimal: str | None = None
    rows: str | None = None
    leave_out: str | None = None

    def refuse(self) -> None:
        """Refuse what was asked of a file where there is none. Raises DataError."""
        given = next((field.name for field in fields(self) if getattr(self, field.name) is not None), None)
        if given is not None:
            raise DataError(
                f"--{given.replace('_', '-')} would have no effect here: it is about a file.", Fault.NO_EFFECT
            )


def table_options(command: Any) -> Any:
    """Give a command the options that all commands share which read a table; they come as ``read``, a Reading."""

    @functools.wraps(command)
    def read_from(*given: Any, **options: Any) -> Any:
        read = Reading(**{field.name: options.pop(field.name) for field in fields(Reading)})
        return command(*given, read=read, **options)

    options: tuple[Any, ...] = (
        click.option("--leave-out", help="Rows that are not used, by number, as 3,7 or 3-9."),
        click.option("--rows", help='Only rows for which this holds, as "temperature > 18".'),
        click.option("--decimal", type=click.Choice(list(MARKS)), help="The decimal mark of the numbers."),
        click.option("--delimiter", help=f"What parts the columns: {', '.join(DELIMITERS)}, or the mark itself."),
        click.option("--sheet", help="Which sheet, table or dataset of the file, by name or number from 1."),
    )
    for option in options:
        read_from = option(read_from)
    return read_from


def table_of(file: Path, read: Reading | None = None, whole: bool = False) -> Table:
    """Return a table of a file, ``-`` for standard input; how it was read, and what is doubtful, goes to stderr.

    Rows that are not to be used are left out, unless the ``whole`` table is wanted.
    """
    from vettore.words.findings import doubt_of, words_in

    table = quiet_table(file, read or Reading(), whole)
    click.echo("; ".join(f"{label}: {text}" for label, text in table.source.how), err=True)
    for column in table.columns:
        for words in (words_in(column), doubt_of(column), *column.remarks):
            if words:
                click.echo(words, err=True)
    return table


def quiet_table(file: Path, read: Reading, whole: bool = False) -> Table:
    """Return a table of a file, as table_of does, and say nothing."""
    table = _chosen(_offers(file, read), read.sheet, file)
    if not whole and (read.rows is not None or read.leave_out is not None):
        import numpy as np

        table = rows_of_table(table, np.flatnonzero(_used(table, read)))
    return table


def _offers(file: Path, read: Reading) -> list[Offer]:
    from vettore.files.readers import Offer, read_data, read_file
    from vettore.files.sniff import change_to

    delimiter = None
    if read.delimiter is not None:
        delimiter = DELIMITERS.get(read.delimiter.casefold(), read.delimiter)
        if len(delimiter) != 1:
            raise DataError(
                f"“{read.delimiter}” parts no columns. Give one of {', '.join(DELIMITERS)}, or the mark itself.",
                Fault.NO_SUCH_CHOICE,
            )
    mark = None if read.decimal is None else MARKS[read.decimal]
    change = change_to(delimiter, mark, file.name)
    if str(file) != "-":
        return read_file(file, change)
    data = sys.stdin.buffer.read()
    return [Offer(part, table) for part, table in read_data(data, "standard input", "", change)]


def _chosen(offers: list[Offer], sheet: str | None, file: Path) -> Table:
    if sheet is None:
        if len(offers) > 1:
            names = "; ".join(offer.name for offer in offers)
            click.echo(f"The first of {len(offers)} tables is taken ({names}); --sheet takes another.", err=True)
        return offers[0].table
    parts = [offer.table.source.options.get("part", "") for offer in offers]
    if sheet in parts:
        return offers[parts.index(sheet)].table
    if sheet.isdecimal() and 1 <= int(sheet) <= len(offers):
        return offers[int(sheet) - 1].table
    known = ", ".join(part or str(number) for number, part in enumerate(parts, 1))
    raise DataError(f"“{file.name}” has no table “{sheet}”. It has: {known}.", Fault.NO_SUCH_NAME)


def _used(table: Table, read: Reading) -> Mask:
    """Return which rows are used."""
    import numpy as np

    from vettore.study.rows import rows_where
    from vettore.study.series import new_series

    used = np.ones(table.rows, dtype=bool)
    if read.rows is not None:
        used &= rows_where(new_series("", "", table), read.rows)
        if not used.any():
            raise DataError(f"No row holds: --rows “{read.rows}” leaves nothing.", Fault.NOTHING)
    for row in left_out(read, table.rows):
        used[row] = False
    return used


def left_out(read: Reading, rows: int) -> list[int]:
    """Return the rows, from 0, that are named to be left out. Raises DataError."""
    numbers: list[int] = []
    for part in (read.leave_out or "").replace(";", ",").split(","):
        if not part.strip():
            continue
        first, dash, last = part.strip().partition("-")
        ends = (first, last if dash else first)
        if not all(end.strip().isdecimal() for end in ends):
            raise DataError(
                f"“{part.strip()}” is no row; --leave-out takes numbers from 1, as 3,7 or 3-9.", Fault.NOT_READABLE
            )
        low, high = (int(end) for end in ends)
        if not 1 <= low <= high <= rows:
            raise DataError(f"There is no row {part.strip()}: the table has rows 1 to {rows}.", Fault.BAD_ROWS)
        numbers += range(low - 1, high)
    return sorted(set(numbers))


def rows_of_table(table: Table, rows: Rows) -> Table:
    """Return a table with some of its rows, counted from 0."""
    from vettore.study.table import Table

    places = rows.tolist()
    new_place = {row: place for place, row in enumerate(places)}
    columns = tuple(
        replace(
            column,
            values=column.values[rows],
            words={new_place[row]: word for row, word in column.words.items() if row in new_place},
            texts=None if column.texts is None else tuple(map(column.texts.__getitem__, places)),
            doubt=None,
        )
        for column in table.columns
    )
    return Table(columns, table.source, table.late_digest)


class Columns(dict[str, Any]):
    """The columns of numbers by name; ``names`` are those of all columns."""

    names: tuple[str, ...] = ()


def numbers_of(table: Table) -> Columns:
    """Return the columns of numbers by name."""
    columns = Columns({column.name: column.values for column in table.columns if column.texts is None})
    columns.names = tuple(column.name for column in table.columns)
    return columns


def column_of(columns: Columns, wanted: str | None, otherwise: int, file: Path) -> str:
    """Return the name of a column given by name, by number from 1 over all columns, or by its usual place. Raises DataError."""
    names = list(columns)
    if wanted is None:
        if otherwise >= len(names):
            raise DataError(f"“{file.name}” has {len(names)} columns of numbers; two are needed.", Fault.TOO_FEW)
        return names[otherwise]
    if wanted in names:
        return wanted
    by_number = (
        columns.names[int(wanted) - 1] if wanted.isdecimal() and 1 <= int(wanted) <= len(columns.names) else ""
    )
    if by_number in names:
        return by_number
    if by_number or wanted in columns.names:
        raise DataError(f"{by_number or wanted} holds text, where numbers are needed.", Fault.BAD_ROWS, column=wanted)
    raise DataError(
        f"“{file.name}” has no column “{wanted}”. Its columns are: {', '.join(columns.names)}.",
        Fault.NO_SUCH_NAME,
        column=wanted,
    )


def number_of(text: str, what: str) -> float:
    """Return a number that was typed; ``inf`` is one. Raises DataError."""
    value = limit_in(text)
    if value is None:
        raise DataError(f"“{text}” is not a number for {what}.", Fault.NOT_READABLE)
    return value


def list_of(text: str, what: str) -> list[float]:
    """Return numbers separated by commas or blanks; points are decimal marks."""
    return [number_of(part, what) for part in text.replace(",", " ").replace(";", " ").split()]


def json_of(kind: str, value: Mapping[str, Any]) -> str:
    """Return an object as JSON, with the name of its schema: see schema.json."""
    # With NumPy, which the help of a command has no need of.
    from vettore.core.telling import plain

    whole = {"schema": f"vettore.{kind}", **value}
    return json.dumps(plain(whole), ensure_ascii=False, indent=1, allow_nan=False)


def say_json(kind: str, value: Mapping[str, Any]) -> None:
    """Print an object as JSON."""
    click.echo(json_of(kind, value))


def model_of(key: str, library: Path | None = None) -> Model:
    """Return a model of the catalogue, or of a library of own models by its key or name. Raises VettoreError."""
    if library is None:
        from vettore.core.models.catalogue import model

        return model(key)
    from vettore.files.library import read_library

    models = read_library(library)
    for item in models:
        if key in (item.key, item.name):
            return item
    raise DataError(
        f"“{library.name}” has no model “{key}”. It has: {', '.join(one.key for one in models)}.", Fault.NO_SUCH_NAME
    )
