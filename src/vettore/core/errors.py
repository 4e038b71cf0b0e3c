"""What can be wrong with a request.

VettoreError
 ├─ DataError        the data or an argument do not allow what was asked; names column and rows
 └─ FormulaError     a formula cannot be read; has the position, what was found, and a remedy

Not converging, being singular or being at a limit are results, not errors.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from numbers import Real
from typing import Any


class VettoreError(ValueError):
    """Anything Vettore refuses, said in a sentence that can be shown as it is."""


class DataError(VettoreError):
    """The data or an argument do not allow what was asked.

    ``column`` names the column at fault (or is empty) and ``rows`` the rows at fault, counted from 1.
    """

    def __init__(self, message: str, *, column: str = "", rows: Sequence[int] = ()) -> None:
        super().__init__(message)
        self.column = column
        self.rows = tuple(int(row) for row in rows)


class FormulaError(VettoreError):
    """A formula cannot be read: ``message`` says what was found at ``position`` (from 0), ``hint`` the remedy."""

    def __init__(self, message: str, position: int, hint: str = "") -> None:
        super().__init__(f"{message} {hint}".strip() + f" (at character {position + 1})")
        self.message = message
        self.position = position
        self.hint = hint


def a_number(value: object, what: str) -> float:
    """Return what was given as a number (not NaN). Raises DataError for anything else; ``what`` begins the sentence."""
    try:
        number = float(value) if not isinstance(value, str) else math.nan  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError):
        number = math.nan
    if math.isnan(number):
        raise DataError(f"{what} must be a number; {value!r} was given.")
    return number


def a_mapping(value: object, what: str, example: str) -> dict[str, Any]:
    """Return a mapping as a dict, and None as an empty one. Raises DataError for anything else."""
    if value is not None and not isinstance(value, Mapping):
        raise DataError(f"{what} must be given by name, as {example}; {value!r} was given.")
    return dict(value or {})


def check_level(level: object) -> None:
    """Insist on a level of confidence between 0 and 1. Raises DataError."""
    value = float(level) if isinstance(level, Real) else math.nan
    if not 0 < value < 1:
        meant = f" For {value:g} % write {value / 100:g}." if 1 < value < 100 else ""
        raise DataError(f"The level of an interval is a number between 0 and 1; {level!r} was given.{meant}")


def name_rows(rows: Sequence[int], most: int = 6) -> str:
    """Rows (counted from 1) in words: ``row 3``, ``rows 3–5 and 9``, ``rows 1, 4, 9 … (31 in all)``."""
    runs: list[tuple[int, int]] = []
    for row in rows:
        if runs and row == runs[-1][1] + 1:
            runs[-1] = (runs[-1][0], row)
        else:
            runs.append((row, row))
    parts = [str(first) if first == last else f"{first}–{last}" for first, last in runs]
    word = "row" if len(rows) == 1 else "rows"
    if len(parts) > most:
        return f"{word} {', '.join(parts[:most])} … ({len(rows)} in all)"
    if len(parts) > 1:
        return f"{word} {', '.join(parts[:-1])} and {parts[-1]}"
    return f"{word} {parts[0]}" if parts else "no rows"
