"""All fits of a study in small plots beside each other, each with its own scales."""

from __future__ import annotations

import math
import re
from collections.abc import Hashable, Sequence
from typing import Any, NamedTuple

from vettore.core.errors import DataError, Fault
from vettore.core.rounding import NumberStyle
from vettore.look.theme import PAPER
from vettore.report.figures.figure import OnPaper, StudyFigure
from vettore.report.figures.layout import InRows, fit_titles, shorten
from vettore.report.figures.of_fits import (
    LOOK_OF_PLOTS,
    WORDS_OF_PLOTS,
    answered,
    content_of_fits,
    layer_of,
    without_place,
)
from vettore.report.figures.paper import dress_axes
from vettore.report.figures.plot import Plot, as_csv, line_table
from vettore.report.figures.plotting import (
    colours_of,
    draw_line,
    draw_marks,
    letter_panel,
    limit,
    part,
    scales_of,
    span_of,
    take_logarithms,
)
from vettore.study.figures import ACROSS, MOST_PLOTS
from vettore.study.fitting.fits import response_of
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.series import Role
from vettore.study.study import Study

# A small plot has this much of the sheet's width at least, or fewer stand in a row.
NARROWEST_MM = 34.0
FIELDS = LOOK_OF_PLOTS | (WORDS_OF_PLOTS - {"notes"})
FIELDS |= {"band", "curve_colour", "line_width", "x_scale", "y_scale", "x_every", "y_every", "common"}
# Figures on an axis, at most, unless their distance was decided.
MOST_FIGURES = 4
LETTER = re.compile("[a-zA-Z]")


def figure_of_all_fits(study: Study, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of all fits that have an answer, up to MOST_PLOTS. Raises DataError when none has."""
    fits = answered(study, [curve.id for curve in study.curves])
    if not fits:
        raise DataError("No fit of the study has an answer that could be drawn.", Fault.NOTHING)
    shown = fits[:MOST_PLOTS]
    plots = [
        Plot((layer_of(study, fit, style, False),), fit.series.label(Role.X), response_of(fit.series, fit.recipe)[1])
        for fit in shown
    ]
    own = "those of the same quantities with the same axes" if recipe.common else "each with its own axes"
    words = f"{len(shown)} fits, {own}: measured (marks) and fitted (line{', band' if recipe.band else ''})."
    # Plots are alike by their quantities; unless axes are common, each by itself alone.
    kinds = [(plot.x_title, plot.y_title) if recipe.common else number for number, plot in enumerate(plots)]
    scales = _scales_of_all(recipe, plots, kinds)
    words += without_place(zip(plots, scales, strict=True))
    if len(fits) > len(shown):
        words += f" {len(fits) - len(shown)} more are not drawn here."

    def tables() -> dict[str, str]:
        files = {}
        for number, (fit, plot, (scale, _)) in enumerate(zip(shown, plots, scales, strict=True), 1):
            columns = (fit.x, fit.response[fit.rows], fit.result.fitted)
            files[f"-{number}-rows.csv"] = as_csv(("x", "y", "fitted"), columns)
            drawn = plot.layers[0].drawn
            if drawn is not None:
                files[f"-{number}-curve.csv"] = line_table(drawn, scale)
        return files

    names = [f"{fit.name} · {fit.series.name}" for fit in shown]
    made_from = content_of_fits(shown)
    return StudyFigure(
        recipe,
        style,
        made_from,
        words,
        lambda figure: draw_small_plots(figure, [*map(SmallPlot, names, plots, kinds, scales)], recipe, style),
        tables,
        FIELDS,
    )


class SmallPlot(NamedTuple):
    """A small plot with its name above it, what it is alike to others by, and its scales across and up."""

    name: str
    plot: Plot
    kind: Hashable
    scales: tuple[str, str]


def draw_small_plots(
    figure: Any, plots: Sequence[SmallPlot], recipe: FigureRecipe, style: NumberStyle, most_across: int = ACROSS
) -> OnPaper:
    """Draw small plots beside and under each other, so many in a row at most."""
    down = math.ceil(len(plots) / min(most_across, max(1, int(recipe.width // NARROWEST_MM))))
    # As many in each row as there can be alike.
    across = math.ceil(len(plots) / down)
    grid = figure.subplots(down, across, squeeze=False).ravel()
    used = list(grid[: len(plots)])
    for axes in grid[len(plots) :]:
        axes.set_visible(False)
    for number, (axes, small) in enumerate(zip(used, plots, strict=True)):
        take_logarithms(axes, small.scales)
        _draw_small(axes, small, recipe)
        if recipe.panel:
            letter_panel(axes, _panel_after(recipe.panel, number))
    decided = [
        _in_common(
            recipe, [axes for axes, other in zip(used, plots, strict=True) if other.kind == small.kind], small.scales
        )
        for small in plots
    ]
    for axes, figure_recipe, small in zip(used, decided, plots, strict=True):
        limit(axes, figure_recipe, small.scales)
        for axis, scale in zip("xy", small.scales, strict=True):
            if scale != "log":
                axes.locator_params(axis=axis, nbins=MOST_FIGURES)
        part(axes, figure_recipe, small.scales)
        dress_axes(axes, style, recipe.grid)
    if recipe.title:
        figure.suptitle(recipe.title, fontsize=recipe.type_size * 1.15, x=0.01, ha="left")
    rows = [used[start : start + across] for start in range(0, len(used), across)]
    titles = [axis for axes in used for axis in (axes.xaxis, axes.yaxis)]
    fit_titles(figure, titles, InRows(figure, rows, [1.0] * len(rows)))
    for axes in used:
        _shorten_title(axes)
    return OnPaper(grid[0], plots[0].scales, many=True)


def _scales_of_all(recipe: FigureRecipe, plots: Sequence[Plot], kinds: Sequence[Hashable]) -> list[tuple[str, str]]:
    """Return the scales of each plot. Equal limits are of use on equal scales: straight ones, unless all alike have another."""
    own = [scales_of(recipe, plot) for plot in plots]
    pairs = []
    for kind in kinds:
        x, y = ({scales[axis] for scales, other in zip(own, kinds, strict=True) if other == kind} for axis in (0, 1))
        pairs.append((x.pop() if len(x) == 1 else "linear", y.pop() if len(y) == 1 else "linear"))
    return pairs


def _draw_small(axes: Any, small: SmallPlot, recipe: FigureRecipe) -> None:
    finer = recipe.changed(mark_size=recipe.mark_size * 0.65, line_width=recipe.line_width * 0.8)
    points, line = colours_of(recipe, 0, several=False)
    layer = small.plot.layers[0]
    if layer.marks is not None:
        draw_marks(axes, layer.marks, finer, points)
    draw_line(axes, layer, finer, line, small.scales[0])
    axes.set_title(small.name, fontsize=recipe.type_size, loc="left", color=PAPER.ink)
    axes.set_xlabel(recipe.x_title or small.plot.x_title)
    axes.set_ylabel(recipe.y_title or small.plot.y_title)


def _in_common(recipe: FigureRecipe, alike: list[Any], scales: tuple[str, str]) -> FigureRecipe:
    """Return the recipe with limits that show what each of some plots has; those that were decided stay."""
    limits = {}
    for axis, scale in zip("xy", scales, strict=True):
        spans = [span_of(axes, axis, scale) for axes in alike]
        ends = min(low for low, _ in spans), max(high for _, high in spans)
        decided = getattr(recipe, f"{axis}_limits")
        limits[f"{axis}_limits"] = tuple(own if end is None else end for end, own in zip(decided, ends, strict=True))
    return recipe.changed(**limits)


def _shorten_title(axes: Any) -> None:
    """Leave out the middle of a name that is wider than its plot."""
    title = axes._left_title

    def write(name: str) -> float:
        title.set_text(name)
        return float(title.get_window_extent().width)

    shorten(title.get_text(), title.get_window_extent().width, axes.get_window_extent().width, write)


def _panel_after(panel: str, by: int) -> str:
    """Return the mark of the panel so many after one: (c) is two after (a). After z come two letters: aa, bb."""
    match = LETTER.search(panel)
    if match is None:
        return panel
    first = ord("a" if match.group().islower() else "A")
    times, place = divmod(ord(match.group()) - first + by, 26)
    return panel[: match.start()] + chr(first + place) * (times + 1) + panel[match.end() :]
