"""What commands are given: files, columns, numbers, models; and how they say JSON."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.core.errors import DataError
from vettore.core.telling import plain
from vettore.core.typed import limit_in

if TYPE_CHECKING:
    from vettore.core.models.model import Model
    from vettore.study.table import Table


def table_of(file: Path) -> Table:
    """Return the first table of a file; how it was read, and what is doubtful in it, goes to stderr."""
    from vettore.files.readers import read_file
    from vettore.words.findings import doubt_of, words_in

    table = read_file(file)[0].table
    click.echo("; ".join(f"{label}: {text}" for label, text in table.source.how), err=True)
    for column in table.columns:
        for words in (words_in(column), doubt_of(column), *column.remarks):
            if words:
                click.echo(words, err=True)
    return table


def numbers_of(table: Table) -> dict[str, Any]:
    """Return the columns of numbers by name."""
    return {column.name: column.values for column in table.columns if column.texts is None}


def column_of(columns: dict[str, Any], wanted: str | None, otherwise: int, file: Path) -> str:
    """Return the name of a column given by name, by number from 1, or by its usual place. Raises DataError."""
    names = list(columns)
    if wanted is None:
        if otherwise >= len(names):
            raise DataError(f"“{file.name}” has {len(names)} columns of numbers; two are needed.")
        return names[otherwise]
    if wanted in names:
        return wanted
    if wanted.isdigit() and 1 <= int(wanted) <= len(names):
        return names[int(wanted) - 1]
    raise DataError(f"“{file.name}” has no column “{wanted}”. Its columns are: {', '.join(names)}.", column=wanted)


def number_of(text: str, what: str) -> float:
    """Return a number that was typed; ``inf`` is one. Raises DataError."""
    value = limit_in(text)
    if value is None:
        raise DataError(f"“{text}” is not a number for {what}.")
    return value


def list_of(text: str, what: str) -> list[float]:
    """Return numbers separated by commas or blanks; points are decimal marks."""
    return [number_of(part, what) for part in text.replace(",", " ").replace(";", " ").split()]


def say_json(value: Any) -> None:
    """Print a value as JSON."""
    click.echo(json.dumps(plain(value), ensure_ascii=False, indent=1, allow_nan=False))


def model_of(key: str, library: Path | None = None) -> Model:
    """Return a model of the catalogue, or of a library of own models by its key or name. Raises VettoreError."""
    if library is None:
        from vettore.core.models.catalogue import model

        return model(key)
    from vettore.files.library import read_library

    found = read_library(library)
    for one in found:
        if key in (one.key, one.name):
            return one
    raise DataError(f"“{library.name}” has no model “{key}”. It has: {', '.join(one.key for one in found)}.")
