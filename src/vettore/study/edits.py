"""The edits of a study: each takes a study and returns a new one. None changes raw values."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.formula.formula import read_expression, read_formula
from vettore.core.formula.write import rename_in
from vettore.core.models.catalogue import model
from vettore.core.models.model import Model
from vettore.core.systems.rename import rename_in_system
from vettore.study import parts
from vettore.study.columns import column_names
from vettore.study.kinds.fits import AnyFit, as_formula
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.kinds.readings import Reading
from vettore.study.kinds.report import ReportRecipe
from vettore.study.series import (
    CellEdit,
    ColumnSettings,
    ErrorKind,
    ErrorOfY,
    Role,
    Series,
    SetAside,
    guess_roles,
    new_series,
)
from vettore.study.study import Study
from vettore.study.table import RawColumn, Table

# A role that only one column of a series can have; giving it takes it from the column that had it.
SINGLE_ROLES = frozenset(Role) - {Role.COVARIANCE, Role.CARRIED, Role.TEXT}


def add_series(study: Study, table: Table, name: str) -> Study:
    """Add a table as a new series, at the end."""
    return parts.add(study, new_series("", name, table))


def remove_series(study: Study, series: str) -> Study:
    """Take a series out, with its curves, areas and all that rests on them."""
    study.find_series(series)
    return parts.remove(study, series)


def rename_series(study: Study, series: str, name: str) -> Study:
    """Give a series another name."""
    return _with_series(study, study.find_series(series).changed(name=name))


def set_column(study: Study, series: str, place: int, settings: ColumnSettings) -> Study:
    """Change what was decided about a column. Raises DataError when a text column is asked to be a number."""
    each = study.find_series(series)
    if each.data[place].texts is not None and settings.role is not Role.TEXT:
        raise DataError(
            f"Column {settings.name} holds text, so it cannot be {settings.role}.",
            Fault.BAD_ROWS,
            column=settings.name,
        )
    columns = list(each.columns)
    if settings.role in SINGLE_ROLES:
        columns = [replace(c, role=Role.CARRIED) if c.role is settings.role else c for c in columns]
    columns[place] = settings
    if settings.role is Role.COVARIANCE and each.columns[place].role is Role.CARRIED:
        # One column for each row: those that follow are meant, too.
        for k in range(place + 1, min(place + each.rows, len(columns))):
            if columns[k].role is Role.CARRIED:
                columns[k] = replace(columns[k], role=Role.COVARIANCE)
    renamed = each.columns[place].name
    if settings.name != renamed:
        _check_name(each, settings.name, place)
        columns = [replace(c, formula=rename_in(c.formula, renamed, settings.name)) for c in columns]
        names = [column.name for column in each.columns]
        for curve in study.curves_of(series):
            study = parts.change(study, _renamed(curve, names, renamed, settings.name))
        for recipe in study.equations_of(series):
            over = recipe.over or each.name_and_unit(Role.X)[0]
            text = rename_in_system(recipe.text, names, over, renamed, settings.name)
            follows = settings.name if recipe.over == renamed else recipe.over
            study = parts.change(study, recipe.changed(text=text, over=follows))
    return _with_series(study, each.changed(columns=tuple(columns)))


def _renamed(curve: AnyFit, columns: list[str], old: str, new: str) -> AnyFit:
    """Return a fit whose formula follows the new name of a column; a coefficient of that name steps aside."""
    if isinstance(curve, PolynomialFit):
        return curve
    if isinstance(curve, PeaksRecipe):
        return curve.changed(background=rename_in(curve.background, old, new))
    formula = curve.formula
    if new in read_formula(formula, columns).coefficients:
        formula = rename_in(formula, new, f"{new}_0")
        curve = curve.changed(hold=(), start=(), limits=())
    return curve.changed(formula=rename_in(formula, old, new))


def read_other_way(study: Study, series: str, place: int) -> Study:
    """Take a mark that may group digits or part decimals the other way. Raises DataError where there is no doubt."""
    each = study.find_series(series)
    settings = each.columns[place]
    if settings.raw is None or each.table.columns[settings.raw].doubt is None:
        raise DataError(
            f"The cells of {settings.name} can be read in one way only.", Fault.UNAVAILABLE, column=settings.name
        )
    columns = list(each.columns)
    columns[place] = replace(settings, other_reading=not settings.other_reading)
    return _with_series(study, each.changed(columns=tuple(columns)))


def add_worked_column(study: Study, series: str, name: str, unit: str, formula: str) -> Study:
    """Add a column worked out from others. Raises FormulaError or DataError."""
    each = study.find_series(series)
    _check_name(each, name, None)
    read_expression(formula, column_names(each.columns))
    column = ColumnSettings(name, unit, Role.CARRIED, None, formula)
    changed = each.changed(columns=(*each.columns, column))
    if changed.data[-1].problem:
        raise DataError(changed.data[-1].problem, Fault.NO_VALUE, column=name)
    return _with_series(study, changed)


def remove_column(study: Study, series: str, place: int) -> Study:
    """Take a column out of view (a raw one stays in the table, so that undo and saving keep it)."""
    each = study.find_series(series)
    columns = tuple(column for i, column in enumerate(each.columns) if i != place)
    sort = (
        None if each.sort is None or each.sort[0] == place else (each.sort[0] - (each.sort[0] > place), each.sort[1])
    )
    return _with_series(study, each.changed(columns=columns, sort=sort))


def move_column(study: Study, series: str, place: int, to: int) -> Study:
    """Show a column at another place."""
    each = study.find_series(series)
    columns = list(each.columns)
    sorted_by = columns[each.sort[0]] if each.sort else None
    columns.insert(to, columns.pop(place))
    sort = (columns.index(sorted_by), each.sort[1]) if sorted_by is not None and each.sort else None
    return _with_series(study, each.changed(columns=tuple(columns), sort=sort))


def set_cell(study: Study, series: str, row: int, place: int, text: str) -> Study:
    """Type over a cell of a column that came from a file; the original stays beside it.

    Raises DataError for a worked column, which follows its formula.
    """
    each = study.find_series(series)
    raw = each.columns[place].raw
    if raw is None:
        raise DataError(
            f"{each.columns[place].name} is worked out by a formula; change the formula instead.", Fault.UNAVAILABLE
        )
    kept = tuple(edit for edit in each.edits if (edit.row, edit.raw) != (row, raw))
    return _with_series(study, each.changed(edits=(*kept, CellEdit(row, raw, text))))


def revert_cell(study: Study, series: str, row: int, place: int) -> Study:
    """Give a cell its original back."""
    each = study.find_series(series)
    raw = each.columns[place].raw
    return _with_series(study, each.changed(edits=tuple(e for e in each.edits if (e.row, e.raw) != (row, raw))))


def set_error_of_y(study: Study, series: str, error: ErrorOfY) -> Study:
    """Say where the ± of y comes from. Raises DataError for a size that is not above zero."""
    if error.kind is not ErrorKind.COLUMN and not error.value > 0:
        raise DataError("A ± must be above zero.", Fault.OUT_OF_BOUNDS)
    return _with_series(study, study.find_series(series).changed(error_of_y=error))


def sort_rows(study: Study, series: str, place: int, falling: bool) -> Study:
    """Show the rows in the order of a column; rows keep their numbers."""
    return _with_series(study, study.find_series(series).changed(sort=(place, falling)))


def unsort_rows(study: Study, series: str) -> Study:
    """Show the rows as they came."""
    return _with_series(study, study.find_series(series).changed(sort=None))


def set_colour(study: Study, series: str, colour: int) -> Study:
    """Give a series another colour of the theme."""
    return _with_series(study, study.find_series(series).changed(colour=colour))


def duplicate_series(study: Study, series: str) -> Study:
    """Add a copy of a series, without its curves."""
    each = study.find_series(series)
    return parts.add(study, each.changed(name=f"{each.name} (copy)"))


def split_series(study: Study, series: str) -> Study:
    """Add one series for each further column of numbers, all with the x of this one. Raises DataError."""
    whole = study.find_series(series)
    y, x = whole.place(Role.Y), whole.place(Role.X)
    others = [i for i, c in enumerate(whole.columns) if c.role is Role.CARRIED and whole.data[i].texts is None]
    if x is None or y is None or not others:
        raise DataError(f"{whole.name} has no further columns of numbers to make series of.", Fault.TOO_FEW)
    for place in others:
        columns = tuple(
            replace(c, role=Role.Y if i == place else Role.CARRIED if c.role in (Role.Y, Role.Y_ERROR) else c.role)
            for i, c in enumerate(whole.columns)
        )
        name = f"{whole.name} · {whole.columns[place].name}"
        study = parts.add(study, whole.changed(name=name, columns=columns, set_aside=(), sort=None))
    return study


def move_series(study: Study, series: str, by: int) -> Study:
    """Move a series up (−1) or down (1) among the series; at the end it stays."""
    order = [each.id for each in study.series]
    place = order.index(study.find_series(series).id)
    other = place + by
    if not 0 <= other < len(order):
        return study
    swapped = {order[place]: study.series[other], order[other]: study.series[place]}
    return replace(study, parts=tuple(swapped.get(part.id, part) for part in study.parts))


def renew_series(study: Study, series: str, table: Table) -> Study:
    """Put new data under the same decisions, see Series.renewed. Raises DataError when a column in use is missing."""
    return _with_series(study, study.find_series(series).renewed(table))


def grow_series(study: Study, series: str, table: Table) -> Study:
    """Put a table with the same columns and more rows under a series; what was decided about the rows stays."""
    return _with_series(study, study.find_series(series).changed(table=table))


def set_table(study: Study, series: str, table: Table, rows: Callable[[int], int | None] | None = None) -> Study:
    """Put an edited table under a typed series; ``rows`` says where each old row went (None: it is gone)."""
    each = study.find_series(series)
    set_aside = each.set_aside
    if rows is not None:
        moved = ((rows(entry.row), entry.reason) for entry in set_aside)
        set_aside = tuple(SetAside(row, reason) for row, reason in moved if row is not None)
    known = {column.raw for column in each.columns}
    roles = guess_roles(table.columns)
    free = {role for role in SINGLE_ROLES if each.place(role) is None}
    added = tuple(
        ColumnSettings(
            column.name, column.unit, role if role in free or role not in SINGLE_ROLES else Role.CARRIED, raw
        )
        for raw, (column, role) in enumerate(zip(table.columns, roles, strict=True))
        if raw not in known and raw >= len(each.table.columns)
    )
    columns = tuple(
        replace(c, role=_role_for(c, table.columns[c.raw])) if c.raw is not None else c for c in each.columns
    )
    return _with_series(study, each.changed(table=table, columns=(*columns, *added), set_aside=set_aside))


def _role_for(settings: ColumnSettings, column: RawColumn) -> Role:
    """Return the role that a column can keep now that its cells may have changed from numbers to text or back."""
    if column.texts is not None:
        return Role.TEXT
    return Role.CARRIED if settings.role is Role.TEXT else settings.role


def _check_name(series: Series, name: str, place: int | None) -> None:
    if not name.strip():
        raise DataError("A column needs a name.", Fault.MISSING)
    if any(column.name == name for i, column in enumerate(series.columns) if i != place):
        raise DataError(f"There is a column “{name}” already. Give it another name.", Fault.EXISTS, column=name)


def set_rows_aside(study: Study, series: str, rows: Iterable[int], reason: str) -> Study:
    """Set rows (counted from 0) aside with a reason; a row already aside takes the new reason."""
    each = study.find_series(series)
    wanted = sorted(set(rows))
    if any(not 0 <= row < each.rows for row in wanted):
        shown = name_rows([row + 1 for row in wanted])
        raise DataError(f"{each.name} has {each.rows} rows; {shown} cannot be set aside.", Fault.NO_SUCH_NAME)
    kept = [entry for entry in each.set_aside if entry.row not in wanted]
    entries = sorted([*kept, *(SetAside(row, reason) for row in wanted)], key=lambda entry: entry.row)
    return _with_series(study, each.changed(set_aside=tuple(entries)))


def bring_rows_back(study: Study, series: str, rows: Iterable[int]) -> Study:
    """Use rows again that were set aside."""
    each = study.find_series(series)
    back = set(rows)
    return _with_series(
        study, each.changed(set_aside=tuple(entry for entry in each.set_aside if entry.row not in back))
    )


def add_fit(study: Study, series: str, degree: int) -> Study:
    """Add a polynomial fit of a series and make it the one reported."""
    study.find_series(series)
    return add_curve(study, PolynomialFit(series=series, degree=degree))


def add_curve(study: Study, fit: AnyFit) -> Study:
    """Add a fit of any kind and make it the one reported."""
    study = parts.add(study, fit)
    return set_report(study, study.report.changed(curve=study.parts[-1].id))


def add_formula(study: Study, series: str, formula: str) -> Study:
    """Add a fit of a formula over the columns of a series. Raises FormulaError when it cannot be read."""
    each = study.find_series(series)
    read_formula(formula, [column.name for column in each.columns])
    return add_curve(study, FormulaFit(series=series, formula=formula))


def with_model(series: Series, recipe: AnyFit, chosen: str | Model) -> AnyFit:
    """Return a recipe with a model over the series' x and y; what was decided of others is let go.

    ``chosen`` is the key of a model of the catalogue, or a model of the user's own. Raises DataError.
    """
    x, y = series.column(Role.X), series.column(Role.Y)
    if x is None or y is None:
        raise DataError(
            f"{series.name} has no column for {'x' if x is None else 'y'}. Choose one in the table's header.",
            Fault.MISSING,
        )
    own = isinstance(chosen, Model)
    item = chosen if isinstance(chosen, Model) else model(chosen)
    text = item.over(x.name, y.name, [column.name for column in series.columns])
    named = {"model": "" if own else item.key, "called": item.name if own else ""}
    return as_formula(recipe, text, hold=(), start=(), limits=(), **named)


def add_model(study: Study, series: str, chosen: str | Model) -> Study:
    """Add a fit of a model, see with_model. Raises DataError."""
    each = study.find_series(series)
    return add_curve(study, with_model(each, PolynomialFit(series=series, degree=1), chosen))


def add_peaks(study: Study, series: str, recipe: PeaksRecipe) -> Study:
    """Add a fit of peaks to a series and make it the one reported."""
    study.find_series(series)
    return add_curve(study, recipe.changed(id="", series=series))


def change_fit(study: Study, fit: AnyFit) -> Study:
    """Replace the recipe of a fit, found by its id; readings of it stay and follow."""
    study.find_curve(fit.id)
    return parts.change(study, fit)


def remove_fit(study: Study, curve: str) -> Study:
    """Take a fit out, with its readings and what else rests on it."""
    return parts.remove(study, curve)


def keep(study: Study, reading: Reading) -> Study:
    """Keep a reading; it gets an id, and a name that no other of its curve has when it has one."""
    study.find_curve(reading.curve)
    taken = {item.name for item in study.readings_of(reading.curve)}
    name, number = reading.name, 2
    while name and name in taken:
        name, number = f"{reading.name}{number}", number + 1
    return parts.add(study, reading.changed(name=name))


def rename_reading(study: Study, reading: str, name: str) -> Study:
    """Give a kept reading a name; formulas of other readings follow. Raises DataError for a name that is taken."""
    item = next(r for r in study.readings if r.id == reading)
    if name and any(r.name == name and r.id != reading for r in study.readings_of(item.curve)):
        raise DataError(f"Another reading is called {name} already.", Fault.EXISTS)

    for other in study.readings_of(item.curve):
        if other.id == reading:
            study = parts.change(study, other.changed(name=name))
        elif item.name and name:
            study = parts.change(study, other.renamed(item.name, name))
    return study


def drop_reading(study: Study, reading: str) -> Study:
    """Let go of a kept reading."""
    return parts.remove(study, reading)


def set_report(study: Study, report: ReportRecipe) -> Study:
    """Change what the report holds."""
    return parts.put(study, report)


def set_title(study: Study, title: str) -> Study:
    """Give the study another title."""
    return replace(study, title=title)


def _with_series(study: Study, series: Series) -> Study:
    return parts.change(study, series)
