"""vettore describe: the columns of a file in numbers."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vettore.cli.given import Reading, say_json, table_of, table_options
from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle

if TYPE_CHECKING:
    pass


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print as JSON.")
@table_options
def describe(read: Reading, file: Path, as_json: bool) -> None:
    """Describe the columns of a text table in numbers."""
    from vettore.core.columns.statistics import describe as describe_values

    style = NumberStyle()
    by_name: dict[str, dict[str, Any]] = {}
    for column in table_of(file, read).columns:
        if column.texts is None:
            try:
                by_name[column.name] = {"unit": column.unit, **asdict(describe_values(column.values))}
            except DataError:
                by_name[column.name] = {"unit": column.unit, "count": 0, "blank": len(column.values)}
    if as_json:
        say_json("describe/1", {"columns": by_name})
        return
    for name, numbers in by_name.items():
        unit = numbers.pop("unit")
        click.echo(f"{name} ({unit})" if unit else name)
        for label, value in numbers.items():
            text = str(value) if isinstance(value, int) else style.number(value, 8)
            click.echo(f"  {label.replace('_', ' '):20} {text}")
