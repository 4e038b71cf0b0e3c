"""Columns by name out of anything that has them: a mapping, a data frame of any kind, a structured array.

No library of tables is imported: a table is what has ``columns`` and gives one by its name (pandas, polars), ``column_names``
(Arrow) or ``data_vars`` (labelled arrays).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, TypeAlias, cast

import numpy as np

from vettore.core.arrays import Values
from vettore.core.errors import DataError, Fault

# A mapping of columns, or a table that gives them by name.
Table: TypeAlias = Any
# Where a table keeps the names of its columns.
_NAMES = ("columns", "column_names", "data_vars")


class NamedColumns(Mapping[str, Values]):
    """The columns of a table, read when they are asked for."""

    def __init__(self, table: Any, names: Mapping[str, Any]) -> None:
        self._table, self._names = table, dict(names)

    def __getitem__(self, name: str) -> Values:
        """Return a column. Raises KeyError."""
        column = self._table[self._names[name]]
        # A masked or labelled column says how it becomes an array; that is for ``as_values``.
        return cast(Values, column)

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def is_table(data: Any) -> bool:
    """Whether something has columns by name."""
    named = isinstance(data, np.ndarray) and bool(data.dtype.names)
    return named or isinstance(data, Mapping) or any(hasattr(data, key) for key in _NAMES)


def as_columns(data: Table, what: str = "The data") -> Mapping[str, Values]:
    """Return columns of shape (n,) by name. Raises DataError for what has none, or two of one name."""
    if isinstance(data, Mapping):
        return data
    if isinstance(data, np.ndarray) and data.dtype.names:
        return NamedColumns(data, {name: name for name in data.dtype.names})
    labels = next((getattr(data, key) for key in _NAMES if hasattr(data, key)), None)
    if labels is None or callable(labels) or not hasattr(data, "__getitem__"):
        raise DataError(
            f'{what} are columns by name, as {{"x": x, "y": y}}, or a data frame; {type(data).__name__} was given.',
            Fault.WRONG_KIND,
        )
    names: dict[str, Any] = {}
    for label in labels:
        text = str(label)
        if text in names:
            raise DataError(f"{what} have two columns called {text}. Rename one of them.", Fault.CONFLICT)
        names[text] = label
    return NamedColumns(data, names)
