"""One model over several series of a study: each alone, or with some coefficients common to all."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.after.compare import Nested
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.fitting.linear.polynomial import polynomial_formula
from vettore.core.fitting.noises.listed import NOISES
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.shared import fit_shared
from vettore.core.formula.formula import read_formula
from vettore.core.formula.write import name_text
from vettore.study.derive_curves import points_in_use
from vettore.study.edits import with_model
from vettore.study.fitting.fits import fit_series
from vettore.study.kinds.fits import AnyFit, as_formula
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import Role, Series


@dataclass(frozen=True)
class SeveralRow:
    """One series of the table: its coefficients by name and its curve, or why it has none.

    ``formula`` is the model over the columns of the series.
    """

    series: str
    name: str
    coefficients: dict[str, Coefficient]
    residual_sd: float | None = None
    refusal: str = ""
    curve: Curve | None = None
    formula: str = ""


@dataclass(frozen=True)
class Several:
    """The table; ``shared`` are the coefficients common to all, ``residual_sd`` that of the fit together.

    ``against_apart`` tests the fits of each series alone against it, and its AICc lies by so much above theirs.
    """

    rows: tuple[SeveralRow, ...]
    shared: tuple[str, ...] = ()
    residual_sd: float | None = None
    against_apart: Nested | None = None
    aicc_above_apart: float | None = None


def recipe_for(series: Series, recipe: AnyFit) -> AnyFit:
    """Return a recipe for another series: a model of the catalogue over its own x and y. Raises DataError."""
    other = recipe.changed(id="", series=series.id)
    if recipe.model:
        changed = with_model(series, other, recipe.model)
        return as_formula(changed, changed.formula, hold=recipe.hold, limits=recipe.limits)
    return other


def fit_each(series: Sequence[Series], recipe: AnyFit) -> Several:
    """Fit a model to every series alone."""
    rows = []
    for each in series:
        try:
            own = recipe_for(each, recipe)
            derived = fit_series(each, own)
            result = derived.result
            rows.append(
                SeveralRow(
                    each.id,
                    each.name,
                    dict(result.coefficients),
                    result.residual_sd,
                    "",
                    derived.curve,
                    own.formula or derived.formula,
                )
            )
        except DataError as error:
            rows.append(SeveralRow(each.id, each.name, {}, refusal=str(error)))
    return Several(tuple(rows))


def fit_together(series: Sequence[Series], recipe: AnyFit, shared: Collection[str]) -> Several:
    """Fit a model to all series at once with some coefficients common. Raises DataError."""
    if not series:
        raise DataError("Choose the series to fit.", Fault.MISSING)
    x_name, y_name = series[0].name_and_unit(Role.X)[0], series[0].name_and_unit(Role.Y)[0]
    # All series speak of x and y here, whatever their columns are called.
    first = recipe_for(series[0], recipe)
    formula = _formula(first, x_name, y_name)
    data: list[dict[str, Array]] = []
    spreads: list[dict[str, Array]] = []
    for each in series:
        x, y, sigma = points_in_use(each)
        data.append({x_name: x, y_name: y})
        if recipe.use_errors and sigma is None:
            raise DataError(
                f"{each.name} has no ± of y, but the rows are to be weighed by it. Fit with equal weights.",
                Fault.NOT_TOLD,
            )
        if sigma is not None:
            spreads.append({y_name: sigma})
    if not NOISES[recipe.noise].takes_errors:
        raise DataError(
            "Fits with common coefficients are by least squares; take y for what scatters in an ordinary way.",
            Fault.UNAVAILABLE,
        )
    if recipe.loss != "squares":
        raise DataError(
            f"Fits with common coefficients are by least squares; take the {recipe.loss} loss away first.",
            Fault.CONFLICT,
        )
    shared_fit = fit_shared(
        formula,
        data,
        shared,
        hold=dict(recipe.hold),
        limits={name: (low, high) for name, low, high in recipe.limits},
        sigma=spreads if recipe.use_errors else None,
        absolute_sigma=recipe.use_errors and recipe.errors_known,
    )
    rows = tuple(
        _together(single_series, recipe, coefficients, shared_fit.result)
        for single_series, coefficients in zip(series, shared_fit.coefficients, strict=True)
    )
    try:
        test, gap = shared_fit.against_apart, shared_fit.result.aicc - shared_fit.apart.aicc
    except DataError:
        # Too few rows for every series alone, say; the fit together stands.
        test, gap = None, math.nan
    return Several(rows, shared_fit.shared, shared_fit.result.residual_sd, test, gap if math.isfinite(gap) else None)


def _formula(recipe: AnyFit, x_name: str, y_name: str) -> str:
    if isinstance(recipe, PeaksRecipe):
        raise DataError(
            "Peaks are sought in every series alone; none of their coefficients can be common to all.",
            Fault.UNAVAILABLE,
        )
    if isinstance(recipe, PolynomialFit):
        return polynomial_formula(recipe.degree, recipe.intercept, (x_name, y_name))
    return recipe.formula


def _together(
    series: Series, recipe: AnyFit, coefficients: Mapping[str, Coefficient], result: FitResult
) -> SeveralRow:
    """Return what a fit of all series together says of one; its curve is without a band."""
    x_name, y_name = (series.name_and_unit(role)[0] for role in (Role.X, Role.Y))
    own = recipe_for(series, recipe)
    formula = _formula(own, name_text(x_name), name_text(y_name))
    read = read_formula(formula, [column.name for column in series.columns])
    x, _, _ = points_in_use(series)
    # The model over this series may call its coefficients otherwise; their order is the same.
    values = {
        name: coefficient.value for name, coefficient in zip(read.coefficients, coefficients.values(), strict=True)
    }
    span = (float(x.min()), float(x.max()))
    curve = FormulaCurve(read.right, x_name, values, (), None, span, result.residual_sd, result.degrees_of_freedom)
    return SeveralRow(series.id, series.name, dict(coefficients), curve=curve, formula=formula)
