"""Columns that were measured at times of their own, brought under one column that runs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.errors import DataError, Fault

# What runs where columns have times of their own and no name for them was given.
USUAL = "t"
Given = Mapping[str, Values | tuple[Values, Values]]


def under_one(data: Given, over: str | None) -> tuple[Mapping[str, Values], str | None]:
    """Return data as columns of one length, and the column that runs.

    A column that is given as a pair (times, values) has rows of its own, blank in the others; columns that are none are left
    as they are where no pair is. Raises DataError.
    """
    pairs: dict[str, tuple[Values, Values]] = {}
    for name, value in data.items():
        if (
            isinstance(value, tuple)
            and len(value) == 2
            and isinstance(value[0], Iterable)
            and isinstance(value[1], Iterable)
        ):
            pairs[name] = (value[0], value[1])
    if not pairs:
        return data, over  # type: ignore[return-value]
    rest = [name for name in data if name not in pairs]
    if rest:
        raise DataError(
            f"{rest[0]} has no times of its own, while {next(iter(pairs))} has. Give every column as (times, values), or none.",
            Fault.WRONG_KIND,
        )
    runs = over or USUAL
    times: list[Array] = []
    values: dict[str, list[Array]] = {name: [] for name in pairs}
    for name, (own_times, own_values) in pairs.items():
        time, column = as_values(own_times, f"the times of {name}"), as_values(own_values, name)
        if len(time) != len(column):
            raise DataError(f"{name} has {len(time)} times and {len(column)} values.", Fault.LENGTHS, column=name)
        times.append(time)
        for other, parts in values.items():
            parts.append(column if other == name else np.full(len(time), np.nan))
    return {runs: np.concatenate(times), **{name: np.concatenate(parts) for name, parts in values.items()}}, runs
