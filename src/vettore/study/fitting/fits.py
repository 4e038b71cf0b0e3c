"""Fits of series: from a series and a recipe to the result, cached by content. Knows no study."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import cached_property
from typing import TYPE_CHECKING, Any
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from vettore.core.arrays import Array, at_rows
from vettore.core.curve import Curve
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.fitting.details import Counts, ErrorsInX
from vettore.core.fitting.noises.listed import NOISES
from vettore.core.fitting.request import SQUARES, Progress
from vettore.core.fitting.result import FitResult
from vettore.core.formula.coefficient_units import CoefficientUnits
from vettore.core.formula.coefficient_units import coefficient_units as units_of_formula
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import Name
from vettore.core.formula.write import to_text
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.typesetting.typeset import Box, Row, TextBox, formula_terms, polynomial_terms
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.peaks_fit import PeaksRecipe
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.remembered import MEMORY, content_of
from vettore.study.series import Role, Series

if TYPE_CHECKING:
    from vettore.core.fitting.after.checks import Check
    from vettore.core.peaks.result import PeaksFit

# Rows of a first look, drawn with this seed.
FIRST_LOOK, FIRST_LOOK_SEED = 1_500, 17
# What was tested of results, and the rows that it names, as long as something holds them: each view of a fit asks.
_checked: WeakKeyDictionary[FitResult, tuple[NDArray[np.intp], tuple[Check, ...]]] = WeakKeyDictionary()


class FitColumn(StrEnum):
    """What a fit says of its rows, by the names of columns in files."""

    ROW = "row"
    X = "x"
    Y = "y"
    FITTED = "fitted"
    RESIDUAL = "residual"
    SIGMA = "sigma"
    SIGMA_X = "sigma of x"
    TRUE_X = "true x"
    CORRELATION = "correlation of x and y"


@dataclass(frozen=True, eq=False)
class DerivedFit:
    """A fit's result; ``rows`` are the rows of the series it used (counted from 0), in order."""

    recipe: AnyFit
    series: Series
    result: FitResult
    rows: NDArray[np.intp]
    peaks: PeaksFit | None = None

    @property
    def name(self) -> str:
        """What it is called, with the number of peaks that were found."""
        return (
            self.recipe.name
            if not isinstance(self.recipe, PeaksRecipe) or self.peaks is None
            else self.recipe.name_of(self.peaks.count)
        )

    @property
    def formula(self) -> str:
        """The formula over the columns of the series; empty for a polynomial."""
        return self.recipe.formula if self.peaks is None else self.result.formula

    @cached_property
    def checks(self) -> tuple[Check, ...]:
        """What was tested about the fit, rows named by their numbers in the series."""
        from vettore.core.fitting.after.checks import checks
        from vettore.core.fitting.after.x_errors import x_error_check

        known = _checked.get(self.result)
        if known is not None and np.array_equal(known[0], self.rows):
            result = known[1]
        else:
            result = checks(self.result, self.rows + 1)
            _checked[self.result] = self.rows, result
        sigma_x, x = self.series.values(Role.X_ERROR), self.series.values(Role.X)
        if sigma_x is None or x is None or self.curve is None or isinstance(self.result.details, ErrorsInX):
            return result
        of_x = x_error_check(self.result, self.series.name_and_unit(Role.X)[0], x[self.rows], sigma_x[self.rows])
        return result if of_x is None else (*result, of_x)

    def table_of_rows(self) -> dict[FitColumn, Array]:
        """Return what the fit says of each of its rows: the columns that it has, (n,) each."""
        result, details = self.result, self.result.details
        columns: dict[FitColumn, Array | None] = {
            FitColumn.ROW: self.rows.astype(np.float64) + 1,
            FitColumn.X: self.x,
            FitColumn.Y: self.response[self.rows],
            FitColumn.FITTED: result.fitted,
            FitColumn.RESIDUAL: result.residuals,
            FitColumn.SIGMA: result.error_of_y,
        }
        if isinstance(details, ErrorsInX):
            columns[FitColumn.SIGMA_X] = details.sigma_x
            columns[FitColumn.TRUE_X] = details.true_x
            columns[FitColumn.CORRELATION] = details.correlation
        return {column: values for column, values in columns.items() if values is not None}

    @property
    def taken_to_be(self) -> tuple[Array, Array] | None:
        """Where on the curve each row is taken to lie, (n,) in x and in y; None unless x has errors, too."""
        details = self.result.details
        if not isinstance(details, ErrorsInX) or self.curve is None:
            return None
        return details.true_x, self.curve(details.true_x)

    @property
    def missed(self) -> Array:
        """What is shown of how far the rows lie from the curve (n,): residuals, of counts those of the deviance."""
        details = self.result.details
        return details.signed_deviance if isinstance(details, Counts) else self.result.residuals

    @property
    def missed_called(self) -> str:
        """How that is called, with its unit."""
        if isinstance(self.result.details, Counts):
            return "Deviance residual"
        unit = self.y_called[1]
        return f"Residual ({unit})" if unit else "Residual"

    @cached_property
    def curve(self) -> Curve | None:
        """The fitted curve over the series' x; None for a model over other or several columns."""
        if self.formula:
            columns = [column.name for column in self.series.columns]
            data = read_formula(self.formula, columns).data
            if data not in ((), (self.series.name_and_unit(Role.X)[0],)):
                return None
        return None if self.result.given_curve is None else self.result.curve

    @cached_property
    def x(self) -> Array:
        """The series' x at the rows that were used, whatever the model is over."""
        x = self.series.values(Role.X)
        return self.result.x if x is None else at_rows(x, self.rows)

    @cached_property
    def y_called(self) -> tuple[str, str]:
        """Name and unit of what was fitted: those of y, or a transform such as ``ln(y)``, which has no unit."""
        called = self._response[1]
        plain = called == self.series.label(Role.Y) or not called
        return self.series.name_and_unit(Role.Y) if plain else (called, "")

    @cached_property
    def _response(self) -> tuple[Array, str]:
        return response_of(self.series, self.recipe)

    @cached_property
    def response(self) -> Array:
        """What was fitted, in every row of the series: y, or its transform on the left of a formula."""
        return self._response[0]

    # Asked for at every frame while a coefficient is dragged.

    @cached_property
    def formula_units(self) -> CoefficientUnits | None:
        """What a formula says of units, contradictions among them; None for a polynomial."""
        if not self.formula:
            return None
        columns = {column.name: column.unit for column in self.series.columns}
        return units_of_formula(read_formula(self.formula, columns), columns)

    @cached_property
    def equation(self) -> tuple[Box, list[Row]]:
        """The left side and the terms of the equation."""
        x, y = self.series.column(Role.X), self.series.column(Role.Y)
        if isinstance(self.recipe, PolynomialFit):
            terms = polynomial_terms(x.name if x else "x", self.recipe.degree, self.recipe.intercept)
            return TextBox(y.name if y else "y"), terms
        if self.peaks is not None:
            count = f"{self.peaks.count} peak{'' if self.peaks.count == 1 else 's'}"
            ground = "background + " if self.peaks.background_names else ""
            return TextBox(y.name if y else "y"), [Row((TextBox(f"{ground}{count}"),))]
        read = read_formula(self.recipe.formula, [column.name for column in self.series.columns])
        left = formula_terms(read.left, ())[0] if read.left is not None else TextBox("y")
        return left, formula_terms(read.right, read.coefficients)

    def get_ready(self) -> DerivedFit:
        """Work out what will be asked for as soon as the fit is shown, and return it."""
        _ = self.result.warnings, self.checks, self.equation, self.formula_units, self.result.total_sum_of_squares
        if self.peaks is not None:
            # With the ranges of all, and what is to be said of them.
            _ = self.peaks.remarks
        curve = self.curve
        if curve is not None:
            # The derivatives for its band.
            curve.standard_error(np.array(curve.span[:1]))
        return self


# A polynomial of so many rows is fitted within a frame or two.
SOON_DONE = 3_000


def _x_and_y(series: Series) -> tuple[Array, Array]:
    """Return the columns that are fitted. Raises DataError."""
    x, y = series.values(Role.X), series.values(Role.Y)
    if x is None or y is None:
        missing = "x" if x is None else "y"
        raise DataError(
            f"{series.name} has no column for {missing}. Choose one in the table's header.", Fault.MISSING
        )
    return x, y


def fit_series(series: Series, recipe: AnyFit, progress: Progress | None = None, thorough: bool = True) -> DerivedFit:
    """Fit a recipe to a series that is at hand; ``progress`` may stop a search, see core.fit.

    Without ``thorough`` no more than FIRST_LOOK rows are used, drawn at random: for a first look at many models.
    """
    x, _ = _x_and_y(series)
    kind = NOISES[recipe.noise]
    sigma = series.sigma if recipe.use_errors and kind.takes_errors else None
    trials = _trials_of(series) if kind.column == "trials" else None
    errors_of_x = {} if sigma is None else _errors_of_x(series, recipe)
    mask = series.in_use
    for needed in (sigma, trials, *errors_of_x.values()):
        mask = mask if needed is None else mask & np.isfinite(needed)
    if recipe.span is not None:
        mask = mask & (x >= recipe.span[0]) & (x <= recipe.span[1])
    rows = np.flatnonzero(mask)
    if not thorough and len(rows) > FIRST_LOOK:
        rows = np.sort(np.random.default_rng(FIRST_LOOK_SEED).choice(rows, FIRST_LOOK, replace=False))
    noise = _noise_of(series, recipe, trials, rows) | {name: values[rows] for name, values in errors_of_x.items()}

    answer = MEMORY.derive(
        _key(series, recipe, thorough),
        lambda: _answer(series, recipe, rows, (sigma, noise), progress, thorough),
        wait=progress is None,
        # One that was stopped is no answer to keep.
        whole=lambda _: progress is None or not progress(0, 0.0),
    )
    if isinstance(answer, FitResult):
        return DerivedFit(recipe, series, answer, rows[answer.rows_in_use])
    return DerivedFit(recipe, series, answer.fit, rows[answer.fit.rows_in_use], answer)


def _answer(
    series: Series,
    recipe: AnyFit,
    rows: NDArray[np.intp],
    scatter: tuple[Array | None, Mapping[str, Any]],
    progress: Progress | None,
    thorough: bool,
) -> FitResult | PeaksFit:
    """Fit rows; the solvers are loaded only now, so that the window is painted before."""
    sigma, noise = scatter
    names = series.name_and_unit(Role.X)[0], series.name_and_unit(Role.Y)[0]
    if isinstance(recipe, FormulaFit):
        spread = None if sigma is None else {names[1]: sigma[rows]}
        return _fit_formula(series, recipe, rows, spread, progress, thorough, noise)
    if isinstance(recipe, PeaksRecipe):
        from vettore.study.fitting.peaks_request import fit_recipe

        return fit_recipe(series, recipe, rows, sigma, progress, noise)
    from vettore.core.fitting.fit_polynomial import fit_polynomial

    x, y = _x_and_y(series)
    return fit_polynomial(
        at_rows(x, rows),
        at_rows(y, rows),
        recipe.degree,
        intercept=recipe.intercept,
        sigma=None if sigma is None else sigma[rows],
        names=names,
        thorough=thorough,
        **{"absolute_sigma": recipe.errors_known and sigma is not None, **noise},
    )


def _fit_formula(
    series: Series,
    recipe: FormulaFit,
    rows: NDArray[np.intp],
    sigma: dict[str, Array] | None,
    progress: Progress | None,
    thorough: bool,
    noise: Mapping[str, Any],
) -> FitResult:
    """Fit a formula to the columns that it names, on the rows that are in use."""
    from vettore.core.fitting.fit import fit

    columns = series.numbers(rows)
    estimate = None
    x, y = series.column(Role.X), series.column(Role.Y)
    if recipe.model in CATALOGUE and x is not None and y is not None:
        estimate = CATALOGUE[recipe.model].estimator(x.name, y.name, [column.name for column in series.columns])
    return fit(
        recipe.formula,
        columns,
        start=dict(recipe.start),
        hold=dict(recipe.hold),
        limits={name: (low, high) for name, low, high in recipe.limits},
        sigma=sigma,
        loss=recipe.loss if NOISES[recipe.noise].takes_errors else SQUARES,
        seed=recipe.seed,
        progress=progress,
        estimate=estimate,
        thorough=thorough,
        **{"absolute_sigma": recipe.errors_known and sigma is not None and recipe.loss == SQUARES, **noise},
    )


def _errors_of_x(series: Series, recipe: AnyFit) -> dict[str, Array]:
    """Return the ± of x and, where a column says so, how it goes with that of y, each (rows,), as far as they are used."""
    # A robust loss takes none; the check of the ± of x says that it is not used.
    if not recipe.use_x_errors or (isinstance(recipe, FormulaFit) and recipe.loss != SQUARES):
        return {}
    values = {"sigma_x": series.values(Role.X_ERROR), "correlation": series.values(Role.CORRELATION)}
    return {} if values["sigma_x"] is None else {name: array for name, array in values.items() if array is not None}


def _trials_of(series: Series) -> Array:
    """Return of how many each share is, (rows,). Raises DataError where no column says so."""
    trials = series.values(Role.TRIALS)
    if trials is None:
        raise DataError(
            "Binomial shares need the number of trials of each row. Choose its column in the table's header: number of trials.",
            Fault.MISSING,
        )
    return trials


def _noise_of(series: Series, recipe: AnyFit, trials: Array | None, rows: NDArray[np.intp]) -> dict[str, Any]:
    """Return what a fit is to know of the scatter of y; shares in % are of 100."""
    kind = NOISES[recipe.noise]
    if kind.takes_errors:
        return {}
    covariance = series.covariance if kind.column == "covariance" else None
    if covariance is not None:
        return {"covariance": covariance[np.ix_(rows, rows)], "absolute_sigma": recipe.errors_known}
    scatter: dict[str, Any] = {"noise": kind.key}
    if kind.size:
        scatter["noise_size"] = recipe.noise_size
    if trials is not None:
        scatter |= {"trials": trials[rows], "whole": 100.0 if series.name_and_unit(Role.Y)[1] == "%" else 1.0}
    return scatter


def response_of(series: Series, recipe: AnyFit) -> tuple[Array, str]:
    """Return what a recipe fits, in every row, and how to call it with its unit: y, or ``ln(y)`` and the like."""
    y, named = series.values(Role.Y), series.label(Role.Y)
    values = np.full(series.rows, np.nan) if y is None else y
    if not recipe.formula:
        return values, named
    try:
        read = read_formula(recipe.formula, [column.name for column in series.columns])
    except VettoreError:
        # It names a column that is gone: the fit says so, and the rows are shown as they are.
        return values, named
    if read.left is None or isinstance(read.left, Name):
        return values, named
    columns = series.numbers()
    with np.errstate(all="ignore"):
        return evaluate(read.left, columns, series.rows), to_text(read.left)


def is_at_hand(series: Series, recipe: AnyFit) -> bool:
    """Whether the result of a fit is at hand, so that deriving it takes no time to speak of."""
    # Of another scatter a polynomial is fitted again and again.
    soon = isinstance(recipe, PolynomialFit) and NOISES[recipe.noise].takes_errors and not recipe.use_x_errors
    return series.rows <= SOON_DONE if soon else MEMORY.recall(_key(series, recipe, True)) is not None


def _key(series: Series, recipe: AnyFit, thorough: bool) -> Hashable:
    """Return what the result of a fit depends on."""
    if isinstance(recipe, PeaksRecipe) and series.rows <= FIRST_LOOK:
        # The first look at peaks is the whole one.
        thorough = True
    return ("fit", content_of(series), recipe.changed(id="", series=""), thorough)
