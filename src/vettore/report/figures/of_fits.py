"""The figure of a fit: data, curve and band over the residuals; other fits beside it."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from functools import partial

import numpy as np

from vettore.core.errors import VettoreError
from vettore.core.fitting.details import ErrorsInX
from vettore.core.rounding import NumberStyle
from vettore.report.figures.figure import ON_ANY_SHEET, StudyFigure
from vettore.report.figures.plot import Drawn, Filled, Flag, Layer, Marks, Missed, Plot, as_csv, line_table, spread
from vettore.report.figures.plotting import draw_plot, scales_of
from vettore.study.derive import derive_fit
from vettore.study.fitting.fits import DerivedFit, FitColumn, response_of
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.kinds.readings import read
from vettore.study.remembered import content_of
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.words.fits import weights_in_words
from vettore.words.readings import pennants

MARK_WORDS = {"disc": "discs", "square": "squares", "triangle": "triangles", "diamond": "diamonds", "plus": "crosses"}
# What the recipe can say of a plot over x and y, and of one of fits.
# What the file of a plot's rows holds, blank where the fit does not tell it.
COLUMNS = (FitColumn.X, FitColumn.Y, FitColumn.FITTED, FitColumn.RESIDUAL, FitColumn.SIGMA)
# Places at which peaks are drawn, and the share of its height below which one is not seen.
PEAK_POINTS, SEEN = 1_200, 1e-3
LOOK_OF_PLOTS = frozenset({"error_bars", "grid", "palette", "points_colour", "mark", "mark_size"}) | ON_ANY_SHEET
WORDS_OF_PLOTS = frozenset({"title", "x_title", "y_title", "panel", "notes", "x_limits", "y_limits"})
OF_PLOTS = LOOK_OF_PLOTS | WORDS_OF_PLOTS | {"x_scale", "y_scale", "x_every", "y_every", "legend", "inset"}
OF_FITS = OF_PLOTS | {"residuals", "band", "readings", "curve_colour", "line_width", "beside"}


def figure_of_fit(study: Study, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of a fit and of those beside it. Raises VettoreError when the fit has no answer."""
    fits = fits_of_figure(study, recipe)
    plot = Plot(
        tuple(layer_of(study, fit, style, len(fits) > 1, recipe.parts) for fit in fits),
        fits[0].series.label(Role.X),
        response_of(fits[0].series, fits[0].recipe)[1],
        Missed(fits[0].x, fits[0].missed, fits[0].missed_called),
    )
    return StudyFigure(
        recipe,
        style,
        (content_of_fits(fits), tuple(study.readings_of(fit.recipe.id) for fit in fits)),
        _caption(fits, plot, recipe),
        lambda figure: draw_plot(figure, plot, recipe, style),
        partial(_tables, fits, plot, recipe),
        OF_FITS if fits[0].peaks is None else OF_FITS | {"parts"},
    )


def content_of_fits(fits: tuple[DerivedFit, ...]) -> Hashable:
    """Return all that a picture of fits depends on: results are remembered, and so are the same objects again."""
    return tuple((fit.result, labels_of(fit.series), fit.name, fit.recipe.use_errors) for fit in fits)


def labels_of(series: Series) -> Hashable:
    """Return what is drawn of a series beside results: its rows and their words."""
    words = tuple((column.name, column.unit, column.role) for column in series.columns)
    return content_of(series), series.name, words, series.label(Role.X), series.label(Role.Y)


def fits_of_figure(study: Study, recipe: FigureRecipe) -> tuple[DerivedFit, ...]:
    """Return the fits that a figure shows, its own first; one beside it that is gone, or fails, is left out."""
    there = {curve.id for curve in study.curves} - {recipe.of}
    beside = answered(study, [identity for identity in recipe.beside if identity in there])
    return derive_fit(study, recipe.of), *beside


def answered(study: Study, fits: Iterable[str]) -> tuple[DerivedFit, ...]:
    """Return those of some fits that have an answer."""
    result = []
    for identity in fits:
        try:
            result.append(derive_fit(study, identity))
        except VettoreError:
            continue
    return tuple(result)


def layer_of(study: Study, fit: DerivedFit, style: NumberStyle, several: bool, parts: bool = False) -> Layer:
    """Return what is drawn of a fit; where there are several, its names say of which series it is.

    With ``parts`` each of its peaks is drawn, too.
    """
    series, y = fit.series, fit.response
    x = series.values(Role.X)
    assert x is not None
    aside = series.measured & ~series.kept
    # Those of the left side: of ln(y), not of y, where that was fitted.
    shown, details = fit.recipe.use_errors, fit.result.details
    marks = Marks(
        series.name if several else (series.column(Role.Y) or series).name,
        x[fit.rows],
        y[fit.rows],
        fit.result.error_of_y if shown else None,
        details.sigma_x if shown and isinstance(details, ErrorsInX) else None,
        x[aside],
        y[aside],
        fit.taken_to_be if shown else None,
    )
    name = f"{fit.name} ({series.name})" if several else fit.name
    if fit.curve is None:
        return Layer(marks, places=(fit.x, fit.result.fitted), places_name=name)
    curve, level = fit.curve, fit.result.level
    drawn = Drawn(name, curve, curve.span, lambda at: curve.band(at, level))
    filled = _peaks_of(fit) if parts else ()
    return Layer(marks, drawn, filled=filled, flags=_flags(study, fit, style))


def _peaks_of(fit: DerivedFit) -> tuple[Filled, ...]:
    """Return the background of fitted peaks, and each peak over it as far as it is seen."""
    if fit.peaks is None or fit.curve is None:
        return ()
    x = np.linspace(*fit.curve.span, PEAK_POINTS)
    ground = fit.peaks.background(x)
    filled = [Filled("background", x, ground, ground)]
    for peak, above in zip(fit.peaks.peaks, fit.peaks.components(x), strict=True):
        seen = np.abs(above) > SEEN * np.abs(above).max(initial=0.0)
        if seen.any():
            number = str(peak.number)
            top = ground[seen] + above[seen]
            filled.append(Filled(f"peak {number}", x[seen], top, ground[seen], number, edged=False))
    return tuple(filled)


def _flags(study: Study, fit: DerivedFit, style: NumberStyle) -> tuple[Flag, ...]:
    kept = study.readings_of(fit.recipe.id) if fit.recipe.id else ()
    flags = []
    for reading in (read(fit, item, kept) for item in kept):
        words = pennants(fit, reading, style)
        flags += [Flag(text, x, y) for (x, y), text in zip(reading.places, words, strict=False)]
    return tuple(flags)


def _caption(fits: tuple[DerivedFit, ...], plot: Plot, recipe: FigureRecipe) -> str:
    """Say what the figure shows: rows, curve, band, ±, weights, axes and where the data are from."""
    fit = fits[0]
    level = f"{fit.result.level:.0%}".replace("%", " %")
    band = f", {level} band of the curve" if recipe.band and fit.result.residual_sd else ""
    y = fit.series.column(Role.Y)
    words = f"Measured {y.name if y else 'y'} ({MARK_WORDS[recipe.mark]}) and fitted {fit.name.lower()} (line{band})"
    words += f" of {fit.series.name}" if len(fits) > 1 else ""
    beside = [f"{other.name.lower()} of {other.series.name}" for other in fits[1:]]
    words += f", beside {', '.join(beside)}" if beside else ""
    source = fit.series.table.full_source.name
    words += f", from {source}" if source else ""
    if fit.peaks is not None and recipe.parts:
        words += "; each peak a light area over the background (dashed)"
    words += "; residuals below." if recipe.residuals else "."
    if recipe.error_bars and fit.result.error_of_y is not None and fit.recipe.use_errors:
        bars = "± of x and of y" if isinstance(fit.result.details, ErrorsInX) else "± of y"
        words += f" Bars are {bars}; {weights_in_words(fit.result)}."
        words += " Slanted lines lead to where each row is taken to be." if fit.taken_to_be is not None else ""
    if recipe.readings and any(layer.flags for layer in plot.layers):
        words += " Diamonds are kept readings."
    words += scales_in_words(plot, recipe)
    return words + (f" Open {marks_of(recipe)} are set aside." if fit.series.set_aside else "")


def marks_of(recipe: FigureRecipe) -> str:
    """Return how the marks of rows that are set aside are called."""
    return "discs" if recipe.mark == "disc" else "marks"


def without_place(plots: Iterable[tuple[Plot, tuple[str, str]]]) -> str:
    """Say how many rows have no place on scales that end above 0."""
    count = 0
    for plot, scales in plots:
        axes = [name for name, scale in zip("xy", scales, strict=True) if scale != "linear"]
        count += sum(layer.marks.not_above_zero(axes) for layer in plot.layers if layer.marks is not None)
    if not count:
        return ""
    rows, have = ("row", "has") if count == 1 else ("rows", "have")
    return f" On axes that are not straight {count} {rows} not above 0 {have} no place."


def scales_in_words(plot: Plot, recipe: FigureRecipe) -> str:
    """Say which axes are not straight, and what an inset shows."""
    words = ""
    scales = scales_of(recipe, plot)
    for scale, text in (("log", "is logarithmic"), ("reciprocal", "is reciprocal")):
        names = [name for name, known in zip("xy", scales, strict=True) if known == scale]
        if names:
            words += f" The axis of {' and '.join(names)} {text}."
    words += without_place([(plot, scales)])
    return words + (" The inset shows a part of x larger." if recipe.inset is not None else "")


def _tables(fits: tuple[DerivedFit, ...], plot: Plot, recipe: FigureRecipe) -> Mapping[str, str]:
    """Return the rows, and each curve with its band."""
    files = {}
    scale, _ = scales_of(recipe, plot)
    for number, (fit, layer) in enumerate(zip(fits, plot.layers, strict=True), 1):
        ending = "" if len(fits) == 1 else f"-{number}"
        table = fit.table_of_rows()
        unknown = np.full(len(fit.rows), np.nan)
        files[f"{ending}-rows.csv"] = as_csv(COLUMNS, [table.get(column, unknown) for column in COLUMNS])
        if layer.drawn is not None:
            files[f"{ending}-curve.csv"] = line_table(layer.drawn, scale)
        if fit.peaks is not None and layer.drawn is not None:
            x = spread(layer.drawn.span, scale)
            names = ("x", "background", *(f"peak {peak.number}" for peak in fit.peaks.peaks))
            files[f"{ending}-peaks.csv"] = as_csv(names, (x, fit.peaks.background(x), *fit.peaks.components(x)))
    return files
