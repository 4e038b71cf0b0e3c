"""One model over several series of a study: each alone, or with some coefficients common to all."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from vettore.core.errors import DataError
from vettore.core.fit.polynomial import polynomial_formula
from vettore.core.fit.result import Coefficient
from vettore.core.fit.shared import fit_shared
from vettore.study.derive import fit_series
from vettore.study.derive_curves import points_in_use
from vettore.study.edits import with_model
from vettore.study.recipes import FitRecipe
from vettore.study.series import Role, Series


@dataclass(frozen=True)
class SeveralRow:
    """One series of the table: its coefficients by name, or why it has none."""

    series: str
    name: str
    coefficients: dict[str, Coefficient]
    residual_sd: float | None = None
    refusal: str = ""


@dataclass(frozen=True)
class Several:
    """The table; ``shared`` are the coefficients common to all, ``residual_sd`` that of the fit together."""

    rows: tuple[SeveralRow, ...]
    shared: tuple[str, ...] = ()
    residual_sd: float | None = None


def recipe_for(series: Series, recipe: FitRecipe) -> FitRecipe:
    """Return a recipe for another series: a model of the catalogue over its own x and y. Raises DataError."""
    other = replace(recipe, id="", series=series.id)
    if recipe.model:
        changed = with_model(series, other, recipe.model)
        return replace(changed, hold=recipe.hold, limits=recipe.limits)
    return other


def fit_each(series: Sequence[Series], recipe: FitRecipe) -> Several:
    """Fit a model to every series alone."""
    rows = []
    for one in series:
        try:
            result = fit_series(one, recipe_for(one, recipe)).result
            rows.append(SeveralRow(one.id, one.name, dict(result.coefficients), result.residual_sd))
        except DataError as error:
            rows.append(SeveralRow(one.id, one.name, {}, refusal=str(error)))
    return Several(tuple(rows))


def fit_together(series: Sequence[Series], recipe: FitRecipe, shared: Collection[str]) -> Several:
    """Fit a model to all series at once with some coefficients common. Raises DataError."""
    if not series:
        raise DataError("Choose the series to fit.")
    x_name, y_name = series[0].name_and_unit(Role.X)[0], series[0].name_and_unit(Role.Y)[0]
    # All series speak of x and y here, whatever their columns are called.
    first = recipe_for(series[0], recipe)
    formula = first.formula or polynomial_formula(recipe.degree, recipe.intercept, (x_name, y_name))
    data = []
    for one in series:
        x, y, _ = points_in_use(one)
        data.append({x_name: x, y_name: y})
    told = fit_shared(formula, data, shared, dict(recipe.hold))
    rows = tuple(
        SeveralRow(one.id, one.name, dict(coefficients))
        for one, coefficients in zip(series, told.coefficients, strict=True)
    )
    return Several(rows, told.shared, told.result.residual_sd)
