"""All fits of a study in small plots beside each other, each with its own scales."""

from __future__ import annotations

import math
from typing import Any

from vettore.core.errors import DataError
from vettore.core.rounding import NumberStyle
from vettore.look.theme import PAPER
from vettore.report.figures.figure import OnPaper, StudyFigure
from vettore.report.figures.layout import InRows, fit_titles, without_middle
from vettore.report.figures.of_fits import LOOK_OF_PLOTS, answered, content_of_fits, layer_of
from vettore.report.figures.paper import dress_axes
from vettore.report.figures.plot import Plot, as_csv, line_table
from vettore.report.figures.plotting import colours_of, draw_line, draw_marks
from vettore.study.figures import ACROSS, MOST_PLOTS
from vettore.study.fits import response_of
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.series import Role
from vettore.study.study import Study

# A small plot has this much of the sheet's width at least, or fewer stand in a row.
NARROWEST_MM = 25.0
FIELDS = LOOK_OF_PLOTS | {"title", "band", "curve_colour", "line_width"}


def figure_of_all_fits(study: Study, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of all fits that have an answer, up to MOST_PLOTS. Raises DataError when none has."""
    fits = answered(study, [curve.id for curve in study.curves])
    if not fits:
        raise DataError("No fit of the study has an answer that could be drawn.")
    shown = fits[:MOST_PLOTS]
    plots = [
        Plot((layer_of(study, fit, style, False),), fit.series.label(Role.X), response_of(fit.series, fit.recipe)[1])
        for fit in shown
    ]
    words = f"{len(shown)} fits, each with its own axes: measured (marks) and fitted (line{', band' if recipe.band else ''})."
    if len(fits) > len(shown):
        words += f" {len(fits) - len(shown)} more are not drawn here."

    def tables() -> dict[str, str]:
        files = {}
        for number, (fit, plot) in enumerate(zip(shown, plots, strict=True), 1):
            columns = (fit.x, fit.response[fit.rows], fit.result.fitted)
            files[f"-{number}-rows.csv"] = as_csv(("x", "y", "fitted"), columns)
            drawn = plot.layers[0].drawn
            if drawn is not None:
                files[f"-{number}-curve.csv"] = line_table(drawn, plot.crowded)
        return files

    names = [f"{fit.recipe.name} · {fit.series.name}" for fit in shown]
    made_from = content_of_fits(shown)
    return StudyFigure(
        recipe,
        style,
        made_from,
        words,
        lambda figure: _draw(figure, plots, names, recipe, style),
        tables,
        FIELDS,
    )


def _draw(figure: Any, plots: list[Plot], names: list[str], recipe: FigureRecipe, style: NumberStyle) -> OnPaper:
    across = min(ACROSS, len(plots), max(1, int(recipe.width // NARROWEST_MM)))
    grid = figure.subplots(math.ceil(len(plots) / across), across, squeeze=False).ravel()
    small = recipe.changed(mark_size=recipe.mark_size * 0.65, line_width=recipe.line_width * 0.8)
    points, line = colours_of(recipe, 0, several=False)
    for axes, plot, name in zip(grid, plots, names, strict=False):
        if plot.crowded:
            axes.set_xscale("log")
        layer = plot.layers[0]
        if layer.marks is not None:
            draw_marks(axes, layer.marks, small, points)
        draw_line(axes, layer, small, line)
        axes.set_title(_shortened(name, recipe, across), fontsize=recipe.type_size, loc="left", color=PAPER.ink)
        axes.set_xlabel(plot.x_title)
        axes.set_ylabel(plot.y_title)
        axes.locator_params(axis="y", nbins=4)
        if not plot.crowded:
            axes.locator_params(axis="x", nbins=4)
        dress_axes(axes, style, recipe.grid)
    for axes in grid[len(plots) :]:
        axes.set_visible(False)
    if recipe.title:
        figure.suptitle(recipe.title, fontsize=recipe.type_size * 1.15, x=0.01, ha="left")
    used = list(grid[: len(plots)])
    rows = [used[start : start + across] for start in range(0, len(used), across)]
    titles = [axis for axes in used for axis in (axes.xaxis, axes.yaxis)]
    fit_titles(figure, titles, InRows(figure, rows, [1.0] * len(rows)))
    return OnPaper(grid[0], None)


def _shortened(name: str, recipe: FigureRecipe, across: int) -> str:
    """Return a name that is about as wide as its plot."""
    room = int(recipe.width / across * 72 / 25.4 / (0.58 * recipe.type_size)) - 4
    return name if len(name) <= room else without_middle(name, room)
