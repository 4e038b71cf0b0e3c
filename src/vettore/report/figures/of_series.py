"""The figure of a series itself: its rows, how they are joined, what was read between them, and the areas under them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import VettoreError, name_rows
from vettore.core.integration.sampled import between_edges
from vettore.core.rounding import NumberStyle
from vettore.report.figures.figure import StudyFigure
from vettore.report.figures.of_fits import OF_PLOTS, labels_of, marks_of, scales_in_words
from vettore.report.figures.plot import Drawn, Filled, Flag, Layer, Marks, Plot, as_csv, line_table
from vettore.report.figures.plotting import draw_plot, scales_of
from vettore.study.areas import derive_area, rests_on, shape_of_area
from vettore.study.derive_curves import derive_interpolant, read_between
from vettore.study.figures import is_joined
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.kinds.interpolant import InterpolantRecipe
from vettore.study.series import Role, Series
from vettore.study.study import Study

# Places at which the shape over an area is drawn.
FILLED = 300


def figure_of_series(study: Study, series: Series, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of a series; an area or a curve that has no answer is left out of it and of its words."""
    joined = study.interpolant_of(series.id) if is_joined(study, series.id) else None
    areas = study.areas_of(series.id)
    plot = Plot(
        (
            Layer(
                _marks(series),
                None if joined is None else _joined(series, joined),
                filled=_filled(study, series),
                flags=_flags(study, series, style),
            ),
        ),
        series.label(Role.X) or "row",
        series.label(Role.Y),
    )
    fields = OF_PLOTS | ({"curve_colour", "line_width"} if joined or areas else set())
    return StudyFigure(
        recipe,
        style,
        (labels_of(series), joined, areas, tuple(rests_on(study, area) for area in areas)),
        _caption(series, plot, recipe),
        lambda figure: draw_plot(figure, plot, recipe, style),
        partial(_tables, plot, recipe),
        fields | ({"readings"} if plot.layers[0].flags else set()),
    )


def _marks(series: Series) -> Marks:
    x, y = series.values(Role.X), series.values(Role.Y)
    if x is None:
        x = np.arange(1.0, series.rows + 1)
    if y is None:
        y = np.full(series.rows, np.nan)
    used, aside = series.in_use, series.measured & ~series.kept
    error = None if series.sigma is None else series.sigma[used]
    return Marks((series.column(Role.Y) or series).name, x[used], y[used], error, None, x[aside], y[aside])


def _joined(series: Series, recipe: InterpolantRecipe) -> Drawn | None:
    try:
        curve = derive_interpolant(series, recipe)
    except VettoreError:
        return None
    x = series.values(Role.X)
    assert x is not None
    used = x[series.in_use]
    return Drawn(curve.method.name, curve, (float(np.min(used)), float(np.max(used))))


def _filled(study: Study, series: Series) -> tuple[Filled, ...]:
    return tuple(
        filled
        for number, area in enumerate(study.areas_of(series.id), 1)
        if (filled := _one_filled(study, series, area, number)) is not None
    )


def _one_filled(study: Study, series: Series, recipe: AreaRecipe, number: int) -> Filled | None:
    try:
        area = derive_area(study, series, recipe)
        shape = shape_of_area(study, series, recipe)
    except VettoreError:
        return None
    edges = area.edges
    x: Array = np.linspace(area.a, area.b, FILLED)
    if len(edges) <= FILLED:
        x = np.union1d(x, np.clip(edges, area.a, area.b))
    return Filled(
        recipe.name or f"area {number}",
        x,
        shape(x),
        between_edges(edges, area.floor_at_edges, np.clip(x, *_ends(edges))),
    )


def _ends(edges: Array) -> tuple[float, float]:
    return float(edges[0]), float(edges[-1])


def _flags(study: Study, series: Series, style: NumberStyle) -> tuple[Flag, ...]:
    if not study.interpolant_of(series.id).read_at:
        return ()
    try:
        curve, at = read_between(study, series)
        values = curve(np.array(at, dtype=np.float64)).tolist()
    except VettoreError:
        return ()
    return tuple(Flag(style.number(y, 4), x, y) for x, y in zip(at, values, strict=True))


def _caption(series: Series, plot: Plot, recipe: FigureRecipe) -> str:
    layer = plot.layers[0]
    words = f"{series.name}, as measured"
    words += f", joined by {layer.drawn.name.lower()} (line)" if layer.drawn is not None else ""
    words += f"; shaded: {', '.join(filled.name for filled in layer.filled)}" if layer.filled else ""
    words += "."
    if recipe.error_bars and layer.marks is not None and layer.marks.error is not None:
        words += " Bars are ± of y."
    if recipe.readings and layer.flags:
        words += " Diamonds are values read between the points."
    words += scales_in_words(plot, recipe)
    if series.set_aside:
        rows = name_rows([aside.row + 1 for aside in series.set_aside], most=12)
        words += f" Open {marks_of(recipe)} are set aside: {rows}."
    return words


def _tables(plot: Plot, recipe: FigureRecipe) -> Mapping[str, str]:
    """Return the rows, the curve through them, and each area with its floor."""
    layer = plot.layers[0]
    assert layer.marks is not None
    none = np.full(len(layer.marks.x), np.nan)
    error = none if layer.marks.error is None else layer.marks.error
    files = {"-rows.csv": as_csv(("x", "y", "sigma"), (layer.marks.x, layer.marks.y, error))}
    if layer.drawn is not None:
        files["-curve.csv"] = line_table(layer.drawn, scales_of(recipe, plot)[0])
    for number, filled in enumerate(layer.filled, 1):
        files[f"-area-{number}.csv"] = as_csv(("x", "curve", "floor"), (filled.x, filled.top, filled.floor))
    return files
