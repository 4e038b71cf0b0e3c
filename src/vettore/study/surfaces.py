"""Surfaces of a study: which columns are the sites, the surface over them, and what becomes series of their own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array, Rows
from vettore.core.errors import DataError, Fault
from vettore.core.formula.formula import read_formula
from vettore.core.surface.models import SurfaceModel
from vettore.core.surface.surface import Method, Section, Surface, fitted_surface, grid
from vettore.core.units import power, product
from vettore.study import parts
from vettore.study.columns import ColumnSettings
from vettore.study.fitting.fits import fit_series
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.remembered import MEMORY, content_of
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.table import RawColumn, Source, Table

TOO_FEW_COLUMNS = "A surface needs three columns of numbers: x, y and z."


@dataclass(frozen=True, eq=False)
class Sites:
    """The rows of a series as sites: x, y, z (n,) of the rows (n,) that are not set aside, and their columns."""

    x: Array
    y: Array
    z: Array
    rows: Rows
    columns: tuple[ColumnSettings, ColumnSettings, ColumnSettings]

    @property
    def units(self) -> tuple[str, str, str]:
        """The units of x, y and z."""
        x, y, z = (column.unit for column in self.columns)
        return x, y, z


def surface_of(study: Study, series: str) -> SurfaceRecipe:
    """Return how the sites of a series are filled between; as usual when nothing was decided."""
    return next(
        (part for part in study.parts if isinstance(part, SurfaceRecipe) and part.series == series),
        SurfaceRecipe(series=series),
    )


def set_surface(study: Study, recipe: SurfaceRecipe) -> Study:
    """Keep what was decided on the surface of a series."""
    known = surface_of(study, recipe.series)
    return parts.change(study, recipe.changed(id=known.id)) if known.id else parts.add(study, recipe)


def columns_of(series: Series, recipe: SurfaceRecipe) -> tuple[int, int, int]:
    """Return the places of the columns x, y and z. Raises DataError when there are too few, or one is gone.

    The usual ones are those with these roles; without a z, the first other column of numbers that is no ±.
    """
    numbers = [
        place
        for place, column in enumerate(series.data)
        if column.texts is None and series.columns[place].role not in (Role.X_ERROR, Role.Y_ERROR)
    ]
    by_name = {series.columns[place].name: place for place in numbers}
    counts: list[int | None] = []
    for name, role in ((recipe.x, Role.X), (recipe.y, Role.Y), (recipe.z, Role.Z)):
        if name and name not in by_name:
            raise DataError(
                f"{series.name} has no column of numbers “{name}”. Choose another on the left.",
                Fault.NO_SUCH_NAME,
                column=name,
            )
        counts.append(by_name[name] if name else series.place(role))
    taken = {place for place in counts if place is not None}
    left = [place for place in numbers if place not in taken]
    chosen = [place if place is not None or not left else left.pop(0) for place in counts]
    x, y, z = chosen
    if x is None or y is None or z is None:
        raise DataError(f"{TOO_FEW_COLUMNS} {series.name} has {len(numbers)}.", Fault.TOO_FEW)
    if len({x, y, z}) < 3:
        raise DataError("x, y and z are three different columns. Choose another on the left.", Fault.CONFLICT)
    return x, y, z


def sites_of(series: Series, recipe: SurfaceRecipe) -> Sites:
    """Return the sites of a series: its rows that are not set aside. Raises DataError."""
    places = columns_of(series, recipe)
    rows = np.flatnonzero(series.kept)
    x, y, z = (series.data[place].values[rows] for place in places)
    a, b, c = (series.columns[place] for place in places)
    return Sites(x, y, z, rows, (a, b, c))


def fits_of(study: Study, series: Series, recipe: SurfaceRecipe) -> tuple[FormulaFit, ...]:
    """Return the fits of a series whose formula is its z over x and y. Raises DataError without three columns."""
    names = [series.columns[place].name for place in columns_of(series, recipe)]
    every = [column.name for column in series.columns]
    formula_fits = []
    for fit in study.curves_of(series.id):
        if isinstance(fit, FormulaFit):
            read = read_formula(fit.formula, every)
            if not read.transformed and read.response == names[2] and set(read.data) <= set(names[:2]) and read.data:
                formula_fits.append(fit)
    return tuple(formula_fits)


def fit_of(study: Study, series: Series, recipe: SurfaceRecipe) -> FormulaFit | None:
    """Return the fit whose surface is shown, or None when none is, or it is gone."""
    return next((fit for fit in fits_of(study, series, recipe) if fit.id == recipe.fit), None)


def model_fit(series: Series, sites: Sites, model: SurfaceModel) -> FormulaFit:
    """Return the fit of a surface model to the sites of a series, with the start that it needs."""
    x, y, z = (column.name for column in sites.columns)
    others = [column.name for column in series.columns]
    names = model.names(x, y, z, others)
    start = tuple((names[name], value) for name, value in model.start(sites.x, sites.y, sites.z).items())
    return FormulaFit(series=series.id, formula=model.formula(x, y, z, others), called=model.name, start=start)


def derive_fitted(series: Series, recipe: SurfaceRecipe, fit: FormulaFit) -> Surface:
    """Return the surface of a fit. Raises VettoreError."""
    sites, done = sites_of(series, recipe), fit_series(series, fit)
    x, y, z = (column.name for column in sites.columns)
    place = {row: k for k, row in enumerate(sites.rows.tolist())}
    rows = np.array([place[row] for row in done.rows.tolist()], dtype=np.intp)
    return fitted_surface(
        sites.x,
        sites.y,
        sites.z,
        done.result,
        fit.formula,
        (x, y, z),
        rows,
        shape=recipe.shape,
        scaling=recipe.scaling,
    )


def derive_surface(
    series: Series, recipe: SurfaceRecipe, method: Method | None = None, check: Callable[[], object] = lambda: None
) -> Surface:
    """Return the surface through the sites of a series, by its own method or another; ``check`` may raise to give it up.

    Raises DataError.
    """
    wanted = method or recipe.method
    sites = sites_of(series, recipe)
    key = ("surface", content_of(series), columns_of(series, recipe), wanted, recipe.shape, recipe.scaling)

    def work() -> Surface:
        x, y, z = sites.x, sites.y, sites.z
        surface = grid(x, y, z, method=wanted, shape=recipe.shape, scaling=recipe.scaling, check=check)
        # What takes long is done while it can still be given up; whoever recalls it later has another reason to.
        _ = surface.left_out_error
        if wanted == recipe.method:
            _ = surface.grid
        surface.settle()
        return surface

    return MEMORY.derive(key, work, wait=False)


def volume_unit(sites: Sites) -> str:
    """Return the unit of z·x·y."""
    z = sites.units[2]
    return product(z, area_unit(sites)) if z else area_unit(sites)


def area_unit(sites: Sites) -> str:
    """Return the unit of x·y."""
    x, y, _ = sites.units
    return power(x, 2) if x and x == y else product(x, y)


def length_unit(sites: Sites) -> str:
    """Return the unit of distances over x and y, which they have when both have the same."""
    x, y, _ = sites.units
    return x if x == y else ""


def section_table(series: Series, sites: Sites, section: Section) -> Table:
    """Return a section as a table: distance from its start, x, y, z and, where it is known, the ±."""
    x, y, z = sites.columns
    columns = [
        RawColumn("along", length_unit(sites), section.along),
        RawColumn(z.name, z.unit, section.z),
        RawColumn(x.name, x.unit, section.x),
        RawColumn(y.name, y.unit, section.y),
    ]
    if np.isfinite(section.standard_error).any():
        columns.insert(2, RawColumn(f"± {z.name}", z.unit, section.standard_error))
    return Table(
        tuple(columns), Source("", how=(("made from", series.name), ("by", "section of its surface")), kind="made")
    )


def grid_table(series: Series, sites: Sites, surface: Surface) -> Table:
    """Return the even grid as a table of x, y, z; places outside the sites are blank."""
    x, y, z = sites.columns
    across, along = np.meshgrid(surface.grid.x, surface.grid.y)
    columns = [
        RawColumn(x.name, x.unit, across.ravel()),
        RawColumn(y.name, y.unit, along.ravel()),
        RawColumn(z.name, z.unit, surface.grid.z.ravel()),
    ]
    if surface.knows_error:
        columns.append(RawColumn(f"± {z.name}", z.unit, surface.grid.standard_error.ravel()))
    return Table(
        tuple(columns), Source("", how=(("made from", series.name), ("by", "even grid of its surface")), kind="made")
    )


def matrix_of(table: Table) -> Table | None:
    """Return a table that is an even or uneven grid, x along the top and y down the side, as columns of x, y, z; or None.

    The x stand in the headings or in the first row, beside a blank corner; x and y each rise or fall throughout.
    """
    columns = table.columns
    if len(columns) < 4 or table.rows < 3 or any(column.texts is not None for column in columns):
        return None
    side, name = columns[0].values, columns[0].name
    top = _numbers([column.name for column in columns[1:]])
    # Most tables are told by their headings, before anything is copied.
    if top is None and not np.isnan(side[0]):
        return None
    body = np.column_stack([column.values for column in columns[1:]])
    if top is None:
        top, body, side, name = body[0], body[1:], side[1:], ""
    if not (_runs_on(top) and _runs_on(side)):
        return None
    across, along = np.meshgrid(top, side)
    result = (
        RawColumn("x", "", across.ravel()),
        RawColumn(name or "y", columns[0].unit, along.ravel()),
        RawColumn("z", "", body.ravel()),
    )
    how = (*table.source.how, ("taken as", f"a grid of {len(top)} × {len(side)}, x along the top"))
    return Table(result, Source(table.source.name, how=how, kind="made"))


def _numbers(names: list[str]) -> Array | None:
    try:
        return np.array([float(name.replace("−", "-").replace(",", ".")) for name in names])
    except ValueError:
        return None


def _runs_on(values: Array) -> bool:
    steps = np.diff(values)
    return bool(len(values) >= 2 and np.isfinite(values).all() and ((steps > 0).all() or (steps < 0).all()))
