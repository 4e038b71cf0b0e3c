"""What the Fit page shows of points, curve and coefficients: pure functions, without a window."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from vettore.app.pages.fit.peak_chips import peak_chips
from vettore.app.pages.fit.shaping import step_of
from vettore.app.strip.chip import Chip
from vettore.core.arrays import Array, Mask, at_rows
from vettore.core.rounding import NumberStyle
from vettore.core.typesetting.typeset import Box, Row, renamed
from vettore.study.fitting.fits import DerivedFit, response_of
from vettore.study.fitting.line_up import Key
from vettore.study.fitting.pulls import formula_of
from vettore.study.fitting.quantities import coefficient_units
from vettore.study.kinds.fits import AnyFit
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import Role, Series

# Columns with longer names have a symbol in the strip.
LONGEST_NAME = 16


@dataclass(frozen=True)
class FitState:
    """What the page knows beside the study: by series and content, the model that is shown while none has been chosen."""

    suggested: Mapping[tuple[str, str], tuple[Key, AnyFit]] = field(default_factory=dict)

    def key_for(self, series: Series) -> Key:
        """Return what the line-up marks for a series without a curve; −1 for nothing of it."""
        return self.suggested.get((series.id, series.key), (-1, None))[0]

    def recipe_for(self, series: Series, curve: AnyFit | None) -> AnyFit:
        """Return what is shown: the chosen curve, or the model that suggests itself, or a line."""
        _key, suggested = self.suggested.get((series.id, series.key), (-1, None))
        return curve or suggested or PolynomialFit(series=series.id, degree=1)


@dataclass(frozen=True, eq=False)
class Points:
    """The rows that are drawn (n,): places in the series, x, y, which are set aside, their ± in y and in x.

    ``called`` is what y is called, ``span`` that of the rows in use, ``shown`` what must be the same for the view to stay.
    """

    rows: np.ndarray
    x: Array
    y: Array
    aside: Mask
    bars: Array | None
    across: Array | None
    called: str
    span: tuple[float, float] | None
    shown: tuple[object, ...]


def slants_of(fit: DerivedFit) -> tuple[Array, Array, Array, Array] | None:
    """Return rows at x, y (n,) and where on the curve each is taken to lie; None unless x has errors, too."""
    there = fit.taken_to_be
    return None if there is None else (fit.x, fit.response[fit.rows], *there)


def points_of(series: Series, recipe: AnyFit) -> Points | None:
    """Return the rows as they are drawn for a fit; None for a series without x or y."""
    x = series.values(Role.X)
    if x is None or series.values(Role.Y) is None:
        return None
    # A formula of ln(y) is drawn, and missed, on the axis of ln(y).
    y, called = response_of(series, recipe)
    rows = np.flatnonzero(series.measured & np.isfinite(y))
    sigma = series.sigma if recipe.use_errors else None
    in_x = series.values(Role.X_ERROR) if sigma is not None and recipe.use_x_errors else None
    aside = ~series.kept[rows]
    used = rows[~aside]
    if recipe.span is not None:
        used = used[(x[used] >= recipe.span[0]) & (x[used] <= recipe.span[1])]
    return Points(
        rows,
        at_rows(x, rows),
        at_rows(y, rows),
        aside,
        None if sigma is None or called != series.label(Role.Y) else sigma[rows],
        None if in_x is None else in_x[rows],
        called,
        (float(x[used].min()), float(x[used].max())) if len(used) else None,
        (series.key, series.place(Role.X), series.place(Role.Y), called),
    )


@dataclass(frozen=True)
class Equation:
    """The equation of a fit for the strip: both sides, a chip for each coefficient, symbols of long names, plain text."""

    left: Box
    terms: list[Row]
    chips: dict[str, Chip]
    legend: str
    plain_text: str


def equation_of(fit: DerivedFit, shaped: Mapping[str, float] | None, style: NumberStyle, peak: int = 0) -> Equation:
    """Return the equation with fitted values, or with those ``shaped`` by hand, which have no ±; of peaks one by its number."""
    left, terms = fit.equation
    if fit.peaks is not None:
        chips = peak_chips(fit, fit.peaks, peak, shaped, style)
        return Equation(renamed(left, short_names(fit)), terms, chips, "", formula_of(fit))
    short = short_names(fit)
    # The spread of y is asked for only where a value of 0 tells nothing.
    at_zero = any(coefficient.value == 0.0 for coefficient in fit.result.coefficients.values())
    spread = float(np.ptp(fit.result.y)) if at_zero and fit.result.n else 1.0
    chips = {}
    for (name, item), unit in zip(fit.result.coefficients.items(), coefficient_units(fit), strict=True):
        value, error = style.with_error(item.value, item.standard_error)
        number = item.value
        if shaped is not None and shaped[name] != item.value:
            number = shaped[name]
            value, error = style.number(number, 5), ""
        known = error if item.standard_error is not None else ""
        spoken = f"{name} is {value} {unit}, {'held' if item.held else f'± {error}'}"
        chips[name] = Chip(
            f"{value} {unit}".strip(), known, number, step_of(item, spread), item.held, item.at_limit, spoken
        )
    return Equation(
        renamed(left, short),
        [Row((renamed(term, short),)) for term in terms],
        chips,
        "; ".join(f"{symbol}: {name}" for name, symbol in short.items()),
        formula_of(fit),
    )


def short_names(fit: DerivedFit) -> dict[str, str]:
    """Return symbols for the columns whose names are too long for the strip; the axes have the names."""
    x_name, y_name = fit.series.name_and_unit(Role.X)[0], fit.y_called[0]
    others = [column.name for column in fit.series.columns if column.name not in (x_name, y_name)]
    taken = {*fit.result.coefficients, *(column.name for column in fit.series.columns)}
    out = {}
    for name, letters in ((x_name, "xXuU"), (y_name, "yYvV"), *((other, "zwpqst") for other in others)):
        free = [letter for letter in letters if letter not in taken]
        if len(name) > LONGEST_NAME and free:
            out[name] = free[0]
            taken.add(free[0])
    return out


def values_of(fit: DerivedFit) -> dict[str, float]:
    """Return the fitted values by name."""
    return {name: coefficient.value for name, coefficient in fit.result.coefficients.items()}
