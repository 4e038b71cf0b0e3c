"""What the Data page says of a series: pure functions, without a window."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from vettore.core import units
from vettore.core.arrays import Array
from vettore.core.errors import name_rows
from vettore.core.rounding import NumberStyle
from vettore.study.inspect import ColumnNumbers
from vettore.study.series import ColumnSettings, Role, Series
from vettore.study.study import Study

MOST_ASIDE_LISTED = 5
# Endings of files that were read as text, and so can be read differently.
TEXT_ENDINGS = (".csv", ".tsv", ".txt", ".dat", ".asc", ".prn")

Pairs = list[tuple[str, str]]


@dataclass(frozen=True)
class Came:
    """How a series came in: pairs, what stood beside the table, and whether it can be read differently."""

    pairs: tuple[tuple[str, str], ...]
    notes: str
    differently: bool


@dataclass(frozen=True, eq=False)
class Beside:
    """A series that stands on the plot beside the chosen one: x and y of the rows in use (n,)."""

    id: str
    name: str
    x: Array
    y: Array


def came_in(series: Series) -> Came:
    """Return how a series came in."""
    source = series.table.source
    pairs = [("file", source.name), *source.how] if source.name else list(source.how)
    notes = "\n".join(source.notes)
    return Came(
        (*pairs, ("rows", f"{series.rows}, none dropped")),
        f"Notes beside the table:\n{notes}" if notes else "",
        source.kind == "file" and source.path.casefold().endswith(TEXT_ENDINGS),
    )


def set_aside(series: Series) -> Pairs:
    """Return what is set aside, and why; the first of many."""
    entries = series.set_aside
    pairs = [(f"row {entry.row + 1}", entry.reason or "no reason given") for entry in entries[:MOST_ASIDE_LISTED]]
    if len(entries) > MOST_ASIDE_LISTED:
        pairs.append(("and", f"{len(entries) - MOST_ASIDE_LISTED} more"))
    return pairs


def in_numbers(numbers: ColumnNumbers, column: ColumnSettings, x_unit: str, style: NumberStyle) -> Pairs:
    """Return a column in numbers, and how it goes with x."""
    description = numbers.description

    def unit(value: float | None, digits: int = 5) -> str:
        return f"{style.number(value, digits)} {column.unit}".strip()

    pairs = [
        ("count", f"{description.count}" + (f" · {description.blank} blank" if description.blank else "")),
        ("mean", style.pair(description.mean, description.standard_error, column.unit)),
        ("median", unit(description.median)),
        ("standard deviation (n\u00a0−\u00a01)", unit(description.standard_deviation, 4)),
        ("variance", f"{style.number(description.variance, 4)} {units.power(column.unit, 2)}".strip()),
        ("median absolute deviation", unit(numbers.median_absolute_deviation, 4)),
        ("smallest · largest", f"{style.number(description.minimum, 4)} · {style.number(description.maximum, 4)}"),
        (
            "quartiles",
            f"{style.number(description.lower_quartile, 4)} · {style.number(description.upper_quartile, 4)}",
        ),
        ("sum", style.number(description.sum, 6)),
    ]
    if numbers.with_x is not None:
        both = units.product(x_unit, column.unit)
        pairs += [
            (f"correlation with {numbers.x_name}", style.number(numbers.with_x.correlation, 3)),
            ("by ranks", style.number(numbers.with_x.rank_correlation, 3)),
            ("covariance", f"{style.number(numbers.with_x.covariance, 4)} {both}".strip()),
        ]
    return pairs


def text_numbers(texts: Iterable[str]) -> Pairs:
    """Return what a column of text has of numbers: how many cells are filled."""
    filled = [bool(text.strip()) for text in texts]
    return [("text in", f"{sum(filled)} of {len(filled)} rows")]


def beside(study: Study, series: Series, texts: Iterable[str]) -> list[Beside]:
    """Return the series that were asked to stand beside one, in the order of the study."""
    out, wanted = [], set(texts)
    for each in study.series:
        x, y = each.values(Role.X), each.values(Role.Y)
        if each.id in wanted and each.id != series.id and x is not None and y is not None:
            out.append(Beside(each.id, each.name, x[each.in_use], y[each.in_use]))
    return out


def without_place(series: Series, role: Role) -> str:
    """Say which rows have no place on a logarithmic axis; empty when all have one."""
    values, column = series.values(role), series.column(role)
    if values is None or column is None:
        return ""
    below = (np.flatnonzero(series.measured & (values <= 0)) + 1).tolist()
    return f"{column.name} is not above 0 in {name_rows(below)}: no place on a logarithmic axis." if below else ""
