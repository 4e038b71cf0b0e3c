"""What can be wrong with a request.

VettoreError         has a sentence, and a stable code (Fault)
 ├─ DataError        the data or an argument do not allow what was asked; names column and rows
 ├─ FormulaError     a formula cannot be read; has the position, what was found, and a remedy
 ├─ FileError        a file cannot be read or written (files)
 └─ Ended            a run over files was ended; has what was done till then (batch)

Not converging, being singular or being at a limit are results, not errors.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from enum import StrEnum
from numbers import Real
from typing import Any


class Fault(StrEnum):
    """What is wrong, by a code that stays the same while sentences may be put better."""

    # What was given or asked for.
    MISSING = "missing"
    NO_SUCH_NAME = "no-such-name"
    NO_SUCH_CHOICE = "no-such-choice"
    NO_EFFECT = "no-effect"
    CONFLICT = "conflict"
    EXISTS = "exists-already"
    WRONG_KIND = "wrong-kind"
    NOT_A_NUMBER = "not-a-number"
    NOT_READABLE = "not-readable"
    OUT_OF_BOUNDS = "out-of-bounds"
    LENGTHS = "unequal-lengths"
    TOO_MANY = "too-many"
    UNAVAILABLE = "unavailable-here"
    UNITS = "units"
    FORMULA_SYNTAX = "formula-syntax"
    FORMULA_NAME = "formula-name"
    FORMULA_TOO_LONG = "formula-too-long"
    # What the data do not allow.
    NOTHING = "nothing-there"
    TOO_FEW = "too-few"
    BAD_ROWS = "bad-rows"
    OUTSIDE_DATA = "outside-data"
    OVERFLOW = "range-of-numbers"
    NO_VALUE = "no-value"
    NOT_TOLD = "not-told-by-rows"
    NOT_COMPARABLE = "not-comparable"
    # Files and what is around the program.
    FILE_MISSING = "file-missing"
    FILE_KIND = "file-kind"
    FILE_DAMAGED = "file-damaged"
    FILE_PROTECTED = "file-protected"
    FILE_NEWER = "file-newer"
    CANNOT_WRITE = "cannot-write"
    PACKAGE = "needs-package"
    UNREACHABLE = "unreachable"
    GIVEN_UP = "given-up"


class VettoreError(ValueError):
    """Anything Vettore refuses, said in a sentence that can be shown as it is; scripts and tests hold on to its ``code``."""

    def __init__(self, message: str, code: Fault) -> None:
        super().__init__(message)
        self.code = code

    def __reduce__(self) -> tuple[Any, ...]:
        """Return what makes it again in another process, whatever its kind takes."""
        return _same_error, (type(self), str(self), self.__dict__)


def _same_error(kind: type[VettoreError], message: str, facts: Mapping[str, Any]) -> VettoreError:
    error = kind.__new__(kind, message)
    error.__dict__.update(facts)
    return error


class DataError(VettoreError):
    """The data or an argument do not allow what was asked.

    ``column`` names the column at fault (or is empty) and ``rows`` the rows at fault, counted from 1.
    """

    def __init__(self, message: str, code: Fault, *, column: str = "", rows: Sequence[int] = ()) -> None:
        super().__init__(message, code)
        self.column = column
        self.rows = tuple(int(row) for row in rows)


class FormulaError(VettoreError):
    """A formula cannot be read: ``message`` says what was found at ``position`` (from 0), ``hint`` the remedy."""

    def __init__(self, message: str, position: int, hint: str = "", code: Fault = Fault.FORMULA_SYNTAX) -> None:
        super().__init__(f"{message} {hint}".strip() + f" (at character {position + 1})", code)
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
        raise DataError(f"{what} must be a number; {value!r} was given.", Fault.WRONG_KIND)
    return number


def a_mapping(value: object, what: str, example: str) -> dict[str, Any]:
    """Return a mapping as a dict, and None as an empty one. Raises DataError for anything else."""
    if value is not None and not isinstance(value, Mapping):
        raise DataError(f"{what} must be given by name, as {example}; {value!r} was given.", Fault.WRONG_KIND)
    return dict(value or {})


def check_level(level: object) -> None:
    """Insist on a level of confidence between 0 and 1. Raises DataError."""
    value = float(level) if isinstance(level, Real) else math.nan
    if not 0 < value < 1:
        meant = f" For {value:g} % write {value / 100:g}." if 1 < value < 100 else ""
        raise DataError(
            f"The level of an interval is a number between 0 and 1; {level!r} was given.{meant}", Fault.OUT_OF_BOUNDS
        )


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
