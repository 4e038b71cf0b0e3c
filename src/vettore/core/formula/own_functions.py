"""Functions that a script wrote, called from a formula by their names; their slopes are worked out by differences.

A slope by argument k is a function, too, called ``name′k``. The function sees columns as arrays (n,) and coefficients as
numbers, whatever shapes a search works on; each value is to follow from its own row.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from vettore.core.errors import DataError, Fault

# Beyond so many the oldest are let go, so that a loop over functions made anew does not fill the memory.
MOST_KEPT = 500
# Steps of differences, as a share of a coefficient (extrapolated from two) and of a column.
STEP, STEP_OF_COLUMN = 1e-3, 6e-6
# What counts as the size of an argument that is 0.
LEAST_SIZE = 1e-3
PRIME = "′"


@dataclass(frozen=True, eq=False)
class OwnFunction:
    """A function under its name, with how many arguments it takes; the first ``columns`` of them are columns."""

    name: str
    count: int
    columns: int
    work: Callable[..., Any]

    def __call__(self, *arguments: Any) -> Any:
        """Return its values, of the shape that the arguments have together."""
        shape = np.broadcast_shapes(*(np.shape(value) for value in arguments))
        numbers = arguments[self.columns :]
        if all(np.ndim(value) == 0 for value in numbers):
            return self._values([np.asarray(value) for value in arguments[: self.columns]], numbers, shape)
        # One set of coefficients after the other; the last axis is that of rows.
        each = [np.broadcast_to(np.asarray(value, dtype=np.float64), shape) for value in arguments]
        out = np.empty(shape)
        for at in np.ndindex(shape[:-1]):
            rows = [value[at] for value in each]
            if all((value == value[:1]).all() for value in rows[self.columns :]):
                out[at] = self._values(rows[: self.columns], [value[0] for value in rows[self.columns :]], shape[-1:])
            else:
                out[at] = [
                    self._values(list(row[: self.columns]), row[self.columns :], ())
                    for row in zip(*rows, strict=True)
                ]
        return out

    def _values(self, columns: list[Any], numbers: Any, shape: tuple[int, ...]) -> Any:
        rows = [np.atleast_1d(value) for value in columns]
        try:
            values = np.asarray(self.work(*rows, *(float(value) for value in numbers)))
        except (ArithmeticError, ValueError) as error:
            # Outside its domain a function has no value; whatever else goes wrong in it is for whoever wrote it.
            if isinstance(error, ValueError) and "math" not in str(error):
                raise
            return np.full(shape, np.nan)
        if values.dtype.kind not in "fiu":
            raise DataError(f"{self.name} gives {values.dtype} instead of numbers.", Fault.WRONG_KIND)
        if values.shape not in (shape, (), (1,)):
            raise DataError(
                f"{self.name} gives the shape {values.shape} for {shape}. It must give one number for each row.",
                Fault.LENGTHS,
            )
        return np.broadcast_to(values.astype(np.float64).reshape(() if values.shape == (1,) else values.shape), shape)


_kept: dict[str, OwnFunction] = {}
_named = 0


def call_name(work: Callable[..., Any], count: int, columns: int) -> str:
    """Return the name under which a formula calls a function; the same for the same function."""
    global _named
    for name, function in _kept.items():
        if function.work is work and (function.count, function.columns) == (count, columns):
            return name
    base = "".join(letter for letter in getattr(work, "__name__", "") if letter.isascii() and letter.isalnum())
    _named += 1
    # Numbered, so that no text that was read before means another function.
    name = f"{base if base[:1].isalpha() and len(base) > 1 else 'function'}_{_named}"
    _kept[name] = OwnFunction(name, count, columns, work)
    while len(_kept) > MOST_KEPT:
        del _kept[next(iter(_kept))]
    return name


def argument_count(name: str) -> int | None:
    """Return how many arguments an own function takes, None where there is none of that name."""
    return _kept[name].count if name in _kept else None


def slope_name(name: str, place: int) -> str:
    """Return the name of the slope of an own function by an argument. Raises DataError for a slope of a slope."""
    if PRIME in name:
        raise DataError(f"{name.split(PRIME)[0]} is known by its values, which tell no second slope.", Fault.NO_VALUE)
    return f"{name}{PRIME}{place}"


def own_work(name: str) -> Callable[..., Any] | None:
    """Return what works out an own function, or a slope of one; None where there is none of that name."""
    base, _, place = name.partition(PRIME)
    function = _kept.get(base)
    if function is None:
        return None
    return function if not place else _Slope(function, int(place))


@dataclass(frozen=True, eq=False)
class _Slope:
    """∂f/∂(argument): central differences, of coefficients extrapolated from two steps (Richardson 1911)."""

    function: OwnFunction
    place: int

    def __call__(self, *arguments: Any) -> Any:
        given = list(arguments)
        at = np.asarray(given[self.place], dtype=np.float64)
        size = np.maximum(np.abs(at), LEAST_SIZE * max(float(np.abs(at).max(initial=0.0)), LEAST_SIZE))
        if self.place < self.function.columns:
            return self._difference(given, at, STEP_OF_COLUMN * size)
        wide, narrow = (self._difference(given, at, share * STEP * size) for share in (1.0, 0.5))
        return (4 * narrow - wide) / 3

    def _difference(self, given: list[Any], at: Any, step: Any) -> Any:
        high, low = at + step, at - step
        ends = [self.function(*given[: self.place], end, *given[self.place + 1 :]) for end in (high, low)]
        return (ends[0] - ends[1]) / (high - low)
