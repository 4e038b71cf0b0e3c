"""Measured columns that belong together, and what the user decided about them.

A ``Table`` holds the values as they came and never changes. A ``Series`` refers to a table and adds
decisions: names, units, roles, rows set aside. Rows are counted from 0 in code, from 1 on screen.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array, Mask


class Role(StrEnum):
    """What a column is for; the value is the word on screen."""

    X = "x"
    Y = "y"
    Y_ERROR = "± of y"
    X_ERROR = "± of x"
    Z = "z"
    CARRIED = "carried along"
    TEXT = "text"


@dataclass(frozen=True, eq=False)
class RawColumn:
    """One column as it came: numbers with NaN for blanks, and the cells that were words.

    ``texts`` is given instead for a column of text. ``words`` maps rows to cells that are not numbers
    (``n/a``, ``<LOD``); ``places`` is the number of decimal places it was written with.
    """

    name: str
    unit: str
    values: Array
    words: Mapping[int, str] = field(default_factory=dict)
    texts: tuple[str, ...] | None = None
    places: int | None = None


@dataclass(frozen=True)
class Source:
    """Where a table came from and how it was read, as label–text pairs that can be shown."""

    name: str
    path: str = ""
    digest: str = ""
    read_at: str = ""
    how: tuple[tuple[str, str], ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class Table:
    """Columns of equal length as they came in. Immutable: the arrays are locked."""

    columns: tuple[RawColumn, ...]
    source: Source

    def __post_init__(self) -> None:
        for column in self.columns:
            column.values.setflags(write=False)

    @property
    def rows(self) -> int:
        """The number of rows."""
        return len(self.columns[0].values) if self.columns else 0

    @cached_property
    def key(self) -> str:
        """A digest of the contents, for caches and for telling whether data changed."""
        digest = hashlib.blake2b(digest_size=16)
        for column in self.columns:
            digest.update(column.values.tobytes())
            if column.texts is not None:
                digest.update("\0".join(column.texts).encode())
        return digest.hexdigest()


@dataclass(frozen=True)
class ColumnSettings:
    """What the user decided about a column."""

    name: str
    unit: str
    role: Role


@dataclass(frozen=True)
class SetAside:
    """A row that is not used, and why."""

    row: int
    reason: str


@dataclass(frozen=True, eq=False)
class Series:
    """A table with the user's decisions."""

    id: str
    name: str
    table: Table
    columns: tuple[ColumnSettings, ...]
    set_aside: tuple[SetAside, ...] = ()

    def place(self, role: Role) -> int | None:
        """Return the place of the first column with this role."""
        return next((i for i, column in enumerate(self.columns) if column.role is role), None)

    def values(self, role: Role) -> Array | None:
        """Return the values of the column with this role, shape (rows,)."""
        place = self.place(role)
        return None if place is None else self.table.columns[place].values

    def label(self, role: Role) -> str:
        """Return ``name (unit)`` of the column with this role."""
        place = self.place(role)
        if place is None:
            return ""
        column = self.columns[place]
        return f"{column.name} ({column.unit})" if column.unit else column.name

    def column(self, role: Role) -> ColumnSettings | None:
        """Return the settings of the column with this role."""
        place = self.place(role)
        return None if place is None else self.columns[place]

    @cached_property
    def kept(self) -> Mask:
        """The rows that are not set aside, shape (rows,)."""
        mask = np.ones(self.table.rows, dtype=np.bool_)
        mask[[entry.row for entry in self.set_aside]] = False
        return mask

    @cached_property
    def measured(self) -> Mask:
        """The rows with a number in both x and y, shape (rows,)."""
        mask = np.ones(self.table.rows, dtype=np.bool_)
        for role in (Role.X, Role.Y):
            values = self.values(role)
            mask &= np.isfinite(values) if values is not None else False
        return mask

    @cached_property
    def in_use(self) -> Mask:
        """The rows that are measured and not set aside, shape (rows,)."""
        return self.measured & self.kept

    def reason(self, row: int) -> str | None:
        """Return why a row is set aside, or None when it is in use."""
        return next((entry.reason for entry in self.set_aside if entry.row == row), None)

    def changed(self, **values: object) -> Series:
        """Return a copy with some fields replaced."""
        return replace(self, **values)  # type: ignore[arg-type]


def guess_roles(columns: tuple[RawColumn, ...]) -> tuple[Role, ...]:
    """Give each column a role: first number column x, next y, one named like an uncertainty ± of y."""
    roles: list[Role] = []
    wanted = [Role.X, Role.Y]
    for column in columns:
        name = column.name.casefold()
        if column.texts is not None:
            roles.append(Role.TEXT)
        elif _names_error(name) and Role.Y in roles and Role.Y_ERROR not in roles:
            roles.append(Role.Y_ERROR)
        elif wanted:
            roles.append(wanted.pop(0))
        else:
            roles.append(Role.CARRIED)
    return tuple(roles)


ERROR_WORDS = ("±", "sigma", "σ", "uncert", "error", "std", "stdev", "s.d.")


def _names_error(name: str) -> bool:
    words = name.replace("_", " ").split()
    return any(mark in name for mark in ERROR_WORDS) or "sd" in words or "se" in words


def new_series(identity: str, name: str, table: Table) -> Series:
    """Return a series over a table with our best guess of its roles."""
    roles = guess_roles(table.columns)
    columns = tuple(
        ColumnSettings(column.name, column.unit, role) for column, role in zip(table.columns, roles, strict=True)
    )
    return Series(identity, name, table, columns)
