"""Several columns of one table fitted alike, as the wells of a plate: ``--y each``, ``--y "A*"``, ``--y A1 --y B2``."""

from __future__ import annotations

from collections.abc import Sequence
from fnmatch import fnmatchcase
from pathlib import Path
from typing import TYPE_CHECKING, Any

from vettore.cli.given import column_of, numbers_of
from vettore.core.errors import DataError, Fault

if TYPE_CHECKING:
    from vettore.study.table import Table

# As --y: each column of numbers beside x.
EACH = "each"
PATTERN = set("*?[")


def take_columns(options: dict[str, Any]) -> bool:
    """Put the one column of y, or several, into the options as they are asked for; return whether there may be several."""
    wanted: Sequence[str] = options.pop("y_names")
    several = len(wanted) > 1 or any(name == EACH or PATTERN & set(name) for name in wanted)
    options |= {"y_name": wanted[0] if len(wanted) == 1 else None, "several_y": wanted if several else ()}
    return several


def columns_each(
    table: Table, path: Path, options: dict[str, Any], by: str | None
) -> list[tuple[str, dict[str, Any]]]:
    """Return the columns that are fitted, each with the options of its own fit; "" for the one that is asked for.

    Raises DataError for a name or a pattern that no column has.
    """
    wanted: Sequence[str] = options["several_y"]
    if not wanted:
        return [("", options)]
    columns = numbers_of(table)
    x = column_of(columns, options["x_name"], 0, path)
    others = (x, by, options["sigma_name"], options["sigma_x_name"], options["trials_name"])
    left = [name for name in columns if name not in others]
    chosen: dict[str, None] = {}
    for name in wanted:
        if name in columns or not (name == EACH or PATTERN & set(name)):
            chosen[column_of(columns, name, 0, path)] = None
            continue
        alike = left if name == EACH else [column for column in left if fnmatchcase(column, name)]
        if not alike:
            raise DataError(
                f"“{path.name}” has no column of numbers like “{name}”. Its columns are: {', '.join(columns.names)}.",
                Fault.NO_SUCH_NAME,
                column=name,
            )
        chosen |= dict.fromkeys(alike)
    if x in chosen:
        raise DataError(f"{x} cannot be both x and y.", Fault.CONFLICT)
    return [(name, {**options, "x_name": x, "y_name": name}) for name in chosen]


def label_of(group: str, column: str) -> str:
    """Return what a column of a group is called."""
    return " · ".join(filter(None, (group, column)))
