"""Systems of a study: from a series and its equations to the result, cached by content; the curves as they are drawn."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array, Rows
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.formula.coefficient_units import CoefficientUnits
from vettore.core.formula.tree import names
from vettore.core.systems.fit_system import fit_system
from vettore.core.systems.read import read_system
from vettore.core.systems.result import SystemFit
from vettore.core.systems.schemes import BY_KEY, WrittenScheme, schemes_for
from vettore.core.systems.units import system_units
from vettore.study.kinds.equations import EquationsRecipe, SystemReading
from vettore.study.remembered import MEMORY, content_of
from vettore.study.series import Role, Series

# Places at which a curve is worked out to be drawn.
DRAWN = 401
# Roles of columns that no equation measures unless it names them.
ASIDE = (Role.X, Role.X_ERROR, Role.Y_ERROR, Role.CORRELATION, Role.COVARIANCE, Role.TRIALS, Role.TEXT)
# Columns are tried together when there are so few, or the line-up would try hardly anything.
MOST_TRIED = 4


@dataclass(frozen=True)
class SystemAnswer:
    """A number that was read: how it is called, its ± and unit; ``place`` (x, y) is where it stands on its curve."""

    called: str
    value: float
    standard_error: float | None
    unit: str
    place: tuple[float, float] | None = None
    beyond: bool = False


@dataclass(frozen=True, eq=False)
class DrawnCurve:
    """A curve of a system worked out at rising places (n,), with its band where it has one."""

    x: Array
    y: Array
    low: Array
    high: Array


@dataclass(frozen=True, eq=False)
class DerivedSystem:
    """A system that was fitted; ``rows`` are the rows of the series that it was given (counted from 0), in order."""

    recipe: EquationsRecipe
    series: Series
    result: SystemFit
    rows: Rows
    # What was read off it: each number takes runs of its own, and the window shows them with every draw.
    known_answers: dict[SystemReading, tuple[SystemAnswer, ...]] = field(default_factory=dict)

    @property
    def over(self) -> str:
        """The column that runs."""
        return over_of(self.series, self.recipe)

    @property
    def measured(self) -> tuple[str, ...]:
        """What is measured, in the order of the equations."""
        return tuple(part.measured.name for part in self.result.problem.parts)

    @property
    def unseen(self) -> tuple[str, ...]:
        """The states that no column shows by itself."""
        return tuple(name for name in self.result.system.state_names if name not in self.measured)

    @cached_property
    def units(self) -> CoefficientUnits:
        """The units of coefficients and states, and what contradicts itself."""
        return system_units(self.result.system, {column.name: column.unit for column in self.series.columns})

    def unit_of(self, name: str) -> str:
        """Return the unit of a column, a state or a coefficient; blank where it cannot be told."""
        unit = next((column.unit for column in self.series.columns if column.name == name), None)
        return (self.units.units.get(name) or "") if unit is None else unit

    def rows_of(self, name: str) -> tuple[Array, Array, Rows]:
        """Return times, values and numbers of the rows (n,) of what is measured under a name."""
        part = next(part for part in self.result.problem.parts if part.measured.name == name)
        return self.result.problem.times[part.places], part.y, self.rows[np.flatnonzero(part.in_use)]

    @cached_property
    def drawn(self) -> Mapping[str, DrawnCurve]:
        """What is measured, and every state, as curves to be drawn; those without a value anywhere are left out."""
        out = {}
        for name, curve in self.result.curves.items():
            x = np.linspace(*curve.span, DRAWN)
            low, high = curve.band(x, self.result.level)
            out[name] = DrawnCurve(x, curve(x), low, high)
        return out


def over_of(series: Series, recipe: EquationsRecipe) -> str:
    """Return the column that runs: the one that was chosen, or x."""
    return recipe.over or series.name_and_unit(Role.X)[0]


def columns_named(series: Series, recipe: EquationsRecipe) -> set[str]:
    """Return the columns that equations name, and the one that runs; those of a text that cannot be read are none."""
    over = over_of(series, recipe)
    try:
        system = read_system(recipe.text, [column.name for column in series.columns], over)
    except VettoreError:
        return {over}
    inner = {name for entry in system.measured for name in names(entry.left)}
    return {over, *system.columns, *inner}


def name_of(recipe: EquationsRecipe) -> str:
    """Return the name of equations on screen."""
    if recipe.called:
        return recipe.called
    return BY_KEY[recipe.scheme].name if recipe.scheme in BY_KEY else "Equations"


def derive_system(
    series: Series, recipe: EquationsRecipe, stopped: Callable[[], bool] | None = None, thorough: bool = True
) -> DerivedSystem:
    """Return the system of a series, fitted to its rows that are not set aside. Raises VettoreError."""
    rows = np.flatnonzero(series.kept)
    bare = recipe.changed(id="", series="", called="", scheme="", shows_states=True, readings=())
    key = ("system", content_of(series), bare, thorough)

    def work() -> SystemFit:
        over, held = over_of(series, recipe), dict(recipe.hold)
        columns = series.numbers(rows)
        if over not in columns:
            raise DataError(f"{series.name} has no column of numbers “{over}”.", Fault.NO_SUCH_NAME, column=over)
        return fit_system(
            recipe.text,
            columns,
            over=over,
            start=dict(recipe.start),
            hold=held,
            # Those of a coefficient that is held wait until it is let go.
            limits={name: (low, high) for name, low, high in recipe.limits if name not in held},
            seed=recipe.seed,
            thorough=thorough,
            stopped=stopped,
        )

    return DerivedSystem(recipe, series, MEMORY.derive(key, work, wait=False), rows)


def measurable(series: Series, over: str = "") -> tuple[str, ...]:
    """Return the columns of numbers that equations may measure."""
    return tuple(
        column.name
        for column, values in zip(series.columns, series.data, strict=True)
        if values.texts is None and column.role not in ASIDE and column.name != over
    )


def recipe_of(series: Series, written: WrittenScheme, over: str = "") -> EquationsRecipe:
    """Return a scheme as equations of a series."""
    limits = tuple((name, 0.0, None) for name in written.not_negative)
    return EquationsRecipe(series=series.id, text=written.text, over=over, scheme=written.scheme.key, limits=limits)


def schemes_of(series: Series, names: tuple[str, ...], over: str = "") -> tuple[EquationsRecipe, ...]:
    """Return the schemes that suit some columns of a series, as equations of it."""
    columns = series.numbers(np.flatnonzero(series.kept))
    runs = over or series.name_and_unit(Role.X)[0]
    if runs not in columns or not names or len(names) > MOST_TRIED or any(name not in columns for name in names):
        return ()
    time = columns[runs]
    finite = time[np.isfinite(time)]
    if not len(finite):
        return ()
    first = float(finite.min())
    # Near its start the usual time of initial values is 0; clocks that began elsewhere have their first.
    begin = 0.0 if 0 <= first <= np.ptp(finite) / 2 else first
    others = tuple(name for name in columns if name not in names)
    chosen = {name: columns[name] for name in names}
    return tuple(recipe_of(series, written, over) for written in schemes_for(time, chosen, others, begin))
