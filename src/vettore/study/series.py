"""A series: measured columns that belong together, and what the user decided about them.

The ``Table`` holds the values as they came. The decisions are names, units, roles, conversions, worked
columns, cells typed over, rows set aside. Rows are counted from 0 in code, from 1 on screen.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property
from typing import ClassVar

import numpy as np

from vettore.core.arrays import Array, Mask, Rows, at_rows
from vettore.core.cells.dates import SECONDS, TimeUnit, seconds_of
from vettore.core.errors import DataError, Fault
from vettore.study.columns import CellEdit, ColumnSettings, Role, effective_columns
from vettore.study.table import RawColumn, Table, digest_of

__all__ = [
    "CellEdit",
    "ColumnSettings",
    "ErrorKind",
    "ErrorOfY",
    "Role",
    "Series",
    "SetAside",
    "guess_roles",
    "new_series",
]


@dataclass(frozen=True)
class SetAside:
    """A row that is not used, and why."""

    row: int
    reason: str


class ErrorKind(StrEnum):
    """Where the ± of y comes from."""

    COLUMN = "column"
    CONSTANT = "constant"
    PERCENT = "percent"


@dataclass(frozen=True)
class ErrorOfY:
    """The ± of y: the column with that role, one value for all rows, or a percentage of each y."""

    kind: ErrorKind = ErrorKind.COLUMN
    value: float = 0.0


@dataclass(frozen=True, eq=False)
class Series:
    """A table with the user's decisions. ``columns`` are in the order shown; ``sort`` is (place, falling)."""

    letter: ClassVar[str] = "s"

    id: str
    name: str
    table: Table
    columns: tuple[ColumnSettings, ...]
    set_aside: tuple[SetAside, ...] = ()
    edits: tuple[CellEdit, ...] = ()
    error_of_y: ErrorOfY = field(default_factory=ErrorOfY)
    sort: tuple[int, bool] | None = None
    colour: int | None = None
    truth: str = ""

    @cached_property
    def data(self) -> tuple[RawColumn, ...]:
        """The columns as they are used, in the order of ``columns``: edited, converted, worked out."""
        return effective_columns(self.table, self.columns, self.edits)

    @cached_property
    def key(self) -> str:
        """A digest of the columns as they are used."""
        return digest_of(self.data)

    def renewed(self, table: Table) -> Series:
        """Return the series over new data under the same decisions: roles and worked columns stay.

        Columns are found by the name they came with. Cells typed over and rows set aside belonged to the old
        rows and are let go. Raises DataError when a column that is used is missing.
        """
        places = {column.name: i for i, column in enumerate(table.columns)}
        columns = []
        for settings in self.columns:
            if settings.raw is None:
                columns.append(settings)
                continue
            came_as = self.table.columns[settings.raw].name
            if came_as in places:
                columns.append(replace(settings, raw=places[came_as]))
            elif settings.role not in (Role.CARRIED, Role.TEXT):
                raise DataError(
                    f"The new data have no column “{came_as}”, which is {settings.role} here.",
                    Fault.NO_SUCH_NAME,
                    column=came_as,
                )
        return self.changed(table=table, columns=tuple(columns), set_aside=(), edits=(), sort=None)

    @property
    def own_data(self) -> bool:
        """Whether the values were typed or pasted here, so that the table itself may be edited."""
        return self.table.source.kind in ("typed", "pasted")

    @property
    def rows(self) -> int:
        """The number of rows."""
        return self.table.rows

    @cached_property
    def order(self) -> np.ndarray[tuple[int], np.dtype[np.intp]]:
        """The rows in the order in which they are shown."""
        if self.sort is None or self.sort[0] >= len(self.columns):
            return np.arange(self.rows)
        column = self.data[self.sort[0]]
        keys = np.array(column.texts, dtype=object) if column.texts is not None else column.values
        order = np.argsort(keys, kind="stable")
        if self.sort[1]:
            blank = int(np.isnan(column.values).sum()) if column.texts is None else 0
            filled = len(order) - blank
            order = np.concatenate([order[:filled][::-1], order[filled:]])
        return order

    def place(self, role: Role) -> int | None:
        """Return the place of the first column with this role."""
        return next((i for i, column in enumerate(self.columns) if column.role is role), None)

    def values(self, role: Role) -> Array | None:
        """Return the values of the column with this role, shape (rows,)."""
        place = self.place(role)
        return None if place is None else self.data[place].values

    @cached_property
    def sigma(self) -> Array | None:
        """The ± of y of every row, shape (rows,), or None when none is known."""
        y = self.values(Role.Y)
        if self.error_of_y.kind is ErrorKind.COLUMN or y is None:
            return self.values(Role.Y_ERROR)
        if self.error_of_y.kind is ErrorKind.CONSTANT:
            return np.full(self.rows, self.error_of_y.value)
        return np.asarray(np.abs(y) * (self.error_of_y.value / 100), dtype=np.float64)

    @property
    def covariance(self) -> Array | None:
        """The covariance of the rows' errors in y, (rows, rows), from its columns in their order; None without any.

        Raises DataError where there is not one column for each row.
        """
        columns = [
            column.values for c, column in zip(self.columns, self.data, strict=True) if c.role is Role.COVARIANCE
        ]
        if not columns:
            return None
        if len(columns) != self.rows:
            raise DataError(
                f"The covariance of the rows has {len(columns)} columns, and there are {self.rows} rows: it takes one column "
                "for each row, in their order. Choose them in the table's header.",
                Fault.LENGTHS,
            )
        return np.column_stack(columns)

    def numbers(self, rows: Rows | slice = slice(None)) -> dict[str, Array]:
        """Return the columns of numbers by name, on all rows or on some."""
        return {
            settings.name: column.values[rows] if isinstance(rows, slice) else at_rows(column.values, rows)
            for settings, column in zip(self.columns, self.data, strict=True)
            if column.texts is None
        }

    def label(self, role: Role) -> str:
        """Return ``name (unit)`` of the column with this role."""
        column = self.column(role)
        if column is None:
            return ""
        return f"{column.name} ({column.unit})" if column.unit else column.name

    def place_of(self, name: str) -> int | None:
        """Return the place of the column of numbers with a name."""
        return next(
            (i for i, column in enumerate(self.columns) if column.name == name and self.data[i].texts is None), None
        )

    def label_of(self, name: str) -> str:
        """Return ``name (unit)`` of a column."""
        unit = next((column.unit for column in self.columns if column.name == name), "")
        return f"{name} ({unit})" if unit else name

    def name_and_unit(self, role: Role) -> tuple[str, str]:
        """Return name and unit of the column with this role; without one, the role's word and no unit."""
        column = self.column(role)
        return (column.name, column.unit) if column is not None else (str(role), "")

    def column(self, role: Role) -> ColumnSettings | None:
        """Return the settings of the column with this role."""
        place = self.place(role)
        return None if place is None else self.columns[place]

    @cached_property
    def kept(self) -> Mask:
        """The rows that are not set aside, shape (rows,)."""
        mask = np.ones(self.rows, dtype=np.bool_)
        mask[[entry.row for entry in self.set_aside]] = False
        return mask

    @cached_property
    def measured(self) -> Mask:
        """The rows with a number in both x and y, shape (rows,)."""
        mask = np.ones(self.rows, dtype=np.bool_)
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

    def refers_to(self) -> tuple[str, ...]:
        """A series stands by itself."""
        return ()

    def changed(self, **values: object) -> Series:
        """Return a copy with some fields replaced."""
        return replace(self, **values)  # type: ignore[arg-type]


def guess_roles(columns: tuple[RawColumn, ...]) -> tuple[Role, ...]:
    """Give each column a role: first number column x, next y, one named like an uncertainty ± of y.

    One named like the uncertainty of x, by its name, is ± of x.
    """
    roles: list[Role] = []
    wanted = [Role.X, Role.Y]
    for column in columns:
        name = column.name.casefold()
        if column.texts is not None:
            roles.append(Role.TEXT)
        elif _is_error_of_x(name, columns, roles):
            roles.append(Role.X_ERROR)
        elif _names_error(name) and Role.Y in roles and Role.Y_ERROR not in roles:
            roles.append(Role.Y_ERROR)
        elif wanted:
            roles.append(wanted.pop(0))
        else:
            roles.append(Role.CARRIED)
    return tuple(roles)


def _is_error_of_x(name: str, columns: tuple[RawColumn, ...], roles: list[Role]) -> bool:
    """Whether a name like that of an uncertainty holds the name of x, as a word of its own, and not that of y."""
    if Role.X not in roles or Role.X_ERROR in roles or not _names_error(name):
        return False
    words = f" {name.replace('_', ' ').replace('(', ' ').replace(')', ' ').replace('±', ' ').replace('σ', ' ')} "
    called = {
        role: f" {columns[roles.index(role)].name.casefold().replace('_', ' ')} "
        for role in (Role.X, Role.Y)
        if role in roles
    }
    return called[Role.X] in words and called.get(Role.Y, "\0") not in words


ERROR_WORDS = ("±", "sigma", "σ", "uncert", "error", "std", "stdev", "s.d.")


def _names_error(name: str) -> bool:
    words = name.replace("_", " ").split()
    return any(mark in name for mark in ERROR_WORDS) or "sd" in words or "se" in words


def new_series(identity: str, name: str, table: Table) -> Series:
    """Return a series over a table with our best guess of its roles; a first column of dates gives elapsed time as x."""
    roles = guess_roles(table.columns)
    columns = tuple(
        ColumnSettings(column.name, column.unit, role, raw)
        for raw, (column, role) in enumerate(zip(table.columns, roles, strict=True))
    )
    dated = next((raw for raw, column in enumerate(table.columns[:2]) if column.texts is not None), None)
    if dated is None:
        return Series(identity, name, table, columns)
    seconds = seconds_of(table.columns[dated].texts or ())
    if seconds is None:
        return Series(identity, name, table, columns)
    # The dates take the place of x; what was guessed as x becomes y, and so on.
    numbers = [item for item in columns if item.role is not Role.TEXT]
    left = iter([Role.Y, *(Role.CARRIED for _ in numbers)])
    columns = tuple(
        each if each.role in (Role.TEXT, Role.Y_ERROR) else replace(each, role=next(left)) for each in columns
    )
    span = float(np.nanmax(seconds) - np.nanmin(seconds))
    units: tuple[TimeUnit, ...] = ("d", "h", "min")
    unit: TimeUnit = next((unit for unit in units if span > 3 * SECONDS[unit]), "s")
    elapsed = ColumnSettings("elapsed time", unit, Role.X, dated, elapsed=unit)
    return Series(identity, name, table, (columns[0], elapsed, *columns[1:]) if dated == 0 else (elapsed, *columns))
