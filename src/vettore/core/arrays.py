"""The one array type of the core, and the door through which values enter it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import TypeAlias

import numpy as np
from numpy.typing import NDArray

from vettore.core.errors import DataError

Array: TypeAlias = NDArray[np.float64]
Mask: TypeAlias = NDArray[np.bool_]
Rows: TypeAlias = NDArray[np.intp]
Values: TypeAlias = Array | Iterable[float]


def check_lengths(columns: Mapping[str, Array]) -> int:
    """Return the common length of columns. Raises DataError when they are not equally long."""
    lengths = {len(column) for column in columns.values()}
    if len(lengths) > 1:
        told = ", ".join(f"{name} has {len(column)} values" for name, column in columns.items())
        raise DataError(f"The columns are not equally long: {told}.")
    return lengths.pop() if lengths else 0


def finite(values: Array) -> bool:
    """Whether values are all finite, in a fraction of the time that asking each takes.

    Told from their sum: of finite values so large that it is not, this says False, and each has to be asked.
    """
    with np.errstate(over="ignore", invalid="ignore"):
        return math.isfinite(np.add.reduce(values, axis=None))


def as_values(values: Values, name: str) -> Array:
    """Return ``values`` as float64 of shape (n,); blanks (None) become NaN. Raises DataError if it cannot."""
    if not isinstance(values, np.ndarray):
        values = np.array([np.nan if value is None else value for value in values])
    if values.ndim != 1:
        raise DataError(
            f"{name} has {values.ndim} dimensions; one list of numbers is needed. Pass one column.",
            column=name,
        )
    try:
        return np.ascontiguousarray(values, dtype=np.float64)
    except (TypeError, ValueError):
        raise DataError(f"{name} holds something that is not a number.", column=name) from None
