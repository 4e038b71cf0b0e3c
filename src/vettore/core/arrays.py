"""The one array type of the core, and the door through which values enter it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from datetime import date, timedelta
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from vettore.core.errors import DataError, Fault
from vettore.core.remarks import Remark, RemarkKind

Array: TypeAlias = NDArray[np.float64]
Mask: TypeAlias = NDArray[np.bool_]
Rows: TypeAlias = NDArray[np.intp]
Values: TypeAlias = Array | Iterable[float]
# Whole numbers beyond this are rounded to the nearest that a double can hold.
LARGEST_WHOLE = 2**53
# Beyond this squares, and sums of many, leave the range of a double.
LARGEST = 1e140


def check_lengths(columns: Mapping[str, Array]) -> int:
    """Return the common length of columns. Raises DataError when they are not equally long."""
    lengths = {len(column) for column in columns.values()}
    if len(lengths) > 1:
        text = ", ".join(f"{name} has {len(column)} values" for name, column in columns.items())
        raise DataError(f"The columns are not equally long: {text}.", Fault.LENGTHS)
    return lengths.pop() if lengths else 0


def finite(values: Array) -> bool:
    """Whether values are all finite, in a fraction of the time that asking each takes.

    Told from their sum: of finite values so large that it is not, this says False, and each has to be asked.
    """
    with np.errstate(over="ignore", invalid="ignore"):
        return math.isfinite(np.add.reduce(values, axis=None))


def at_rows(column: Array, rows: Rows) -> Array:
    """Return a column at rows, which are distinct and rising: the column itself, and no copy, where they are all."""
    return column if len(rows) == len(column) else column[rows]


def largest(values: Array) -> float:
    """Return the largest size of values; there is at least one."""
    return max(float(values.max()), -float(values.min()))


def in_range(values: Array, most: float = LARGEST) -> bool:
    """Whether squares of values, and sums of many, stay within the range of numbers."""
    size = largest(values)
    return size == 0 or 1 / most <= size <= most


def check_range(values: Array, name: str, most: float = LARGEST) -> None:
    """Insist that squares of values stay within the range of numbers. Raises DataError that says by how much to scale."""
    if in_range(values, most):
        return
    size = largest(values)
    power = math.floor(math.log10(size))
    raise DataError(
        f"{name} reaches {size:.3g}, and powers of it leave the range of numbers. "
        f"Change its unit so that it is 1e{abs(power)} times {'smaller' if power > 0 else 'larger'}.",
        Fault.OVERFLOW,
        column=name,
    )


def as_values(values: Values, name: str) -> Array:
    """Return ``values`` as float64 of shape (n,). Raises DataError if it cannot.

    Blanks (None, NaN, NA, NaT, what is masked) become NaN. Dates and durations become the time that passed, in a unit
    that follows from its span; numbers with a unit lose it. What was done is told by remarks_on.
    """
    if type(values) is np.ndarray and values.dtype == np.float64 and values.ndim == 1:
        return np.ascontiguousarray(values)
    return _converted(values, name)[0]


def remarks_on(given: Mapping[str, Values]) -> tuple[Remark, ...]:
    """Return what is to be said of values that were given: taken as time, rounded, or freed of their unit."""
    return tuple(
        remark for name, values in given.items() if not _is_plain(values) for remark in _converted(values, name)[1]
    )


def _is_plain(values: Values) -> bool:
    return type(values) is np.ndarray and values.dtype.kind == "f"


def _converted(values: Any, name: str) -> tuple[Array, tuple[Remark, ...]]:
    if hasattr(values, "magnitude") and hasattr(values, "units"):
        array, remarks = _converted(values.magnitude, name)
        return array, (Remark(RemarkKind.UNIT_DROPPED, (name, str(values.units))), *remarks)
    if isinstance(values, np.ma.MaskedArray):
        mask = np.ma.getmaskarray(values)
        return _converted(_blanked(values.data, mask), name)
    column = _as_column(values)
    if column.ndim != 1:
        raise DataError(
            f"{name} has {column.ndim} dimensions; one list of numbers is needed. Pass one column.",
            Fault.WRONG_KIND,
            column=name,
        )
    if column.dtype.kind in "mM":
        return _elapsed(column, name)
    if column.dtype.kind == "c":
        raise DataError(
            f"{name} holds complex numbers; real ones are needed. Pass their real part or size.",
            Fault.BAD_ROWS,
            column=name,
        )
    try:
        array = np.ascontiguousarray(column, dtype=np.float64)
    except OverflowError:
        array = np.array([_large(value) for value in column.tolist()], dtype=np.float64)
    except (TypeError, ValueError):
        raise DataError(f"{name} holds something that is not a number.", Fault.BAD_ROWS, column=name) from None
    return array, _rounded(column, array, name)


def _as_column(values: Any) -> NDArray[Any]:
    """Return an array of what was given, its blanks as NaN or NaT."""
    if isinstance(values, np.ndarray):
        column = values
    elif hasattr(values, "to_pylist"):
        return _as_column(values.to_pylist())
    elif hasattr(values, "to_numpy"):
        column = np.asarray(values.to_numpy())
    else:
        column = _listed(list(values))
    if column.dtype.kind == "O" and column.ndim == 1:
        return _listed(column.tolist())
    return column


def _listed(values: list[Any]) -> NDArray[Any]:
    blank = [value is None or type(value).__name__ in ("NAType", "NaTType") for value in values]
    dated = next((value for value, is_wanted in zip(values, blank, strict=True) if not is_wanted), None)
    if isinstance(dated, (date, np.datetime64)):
        moments = [np.datetime64("NaT") if holds else value for value, holds in zip(values, blank, strict=True)]
        return np.array(moments, dtype="datetime64[us]")
    if isinstance(dated, (timedelta, np.timedelta64)):
        spans = [np.timedelta64("NaT") if item else value for value, item in zip(values, blank, strict=True)]
        return np.array(spans, dtype="timedelta64[us]")
    return np.array([math.nan if each else value for value, each in zip(values, blank, strict=True)])


def _blanked(values: NDArray[Any], mask: NDArray[np.bool_]) -> NDArray[Any]:
    if values.dtype.kind in "mM":
        blanked = values.copy()
        blanked[mask] = np.array("NaT", dtype=values.dtype)
        return blanked
    return np.where(mask, np.nan, values.astype(np.float64))


def _elapsed(column: NDArray[Any], name: str) -> tuple[Array, tuple[Remark, ...]]:
    """Return dates as the time since the first of them, durations as they are, in a unit that suits their span."""
    from vettore.core.cells.dates import SECONDS

    good = ~np.isnat(column)
    if not good.any():
        return np.full(len(column), np.nan), ()
    zero = column[good].min() if column.dtype.kind == "M" else np.timedelta64(0, "us")
    seconds = (column - zero) / np.timedelta64(1, "us") / 1e6
    seconds = np.where(good, seconds, np.nan)
    span = float(np.nanmax(np.abs(seconds)))
    unit = next((unit for unit in ("d", "h", "min") if span > 3 * SECONDS[unit]), "s")
    if column.dtype.kind == "M":
        first = str(zero.astype("datetime64[s]")).replace("T", " ")
        return seconds / SECONDS[unit], (Remark(RemarkKind.DATES_AS_TIME, (name, unit, first)),)
    return seconds / SECONDS[unit], (Remark(RemarkKind.DURATIONS_AS_TIME, (name, unit)),)


def _large(value: Any) -> float:
    try:
        return float(value)
    except OverflowError:
        return math.inf if value > 0 else -math.inf


def _rounded(column: NDArray[Any], array: Array, name: str) -> tuple[Remark, ...]:
    if column.dtype.kind not in "iuO":
        return ()
    large = np.flatnonzero(np.abs(array) >= LARGEST_WHOLE)
    changed = [k for k in large.tolist() if not math.isfinite(array[k]) or int(array[k]) != int(column[k])]
    rows = tuple(k + 1 for k in changed)
    return (Remark(RemarkKind.WHOLE_NUMBERS_ROUNDED, (name,), rows),) if rows else ()
