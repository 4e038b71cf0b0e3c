"""The figure of a surface: its map, with contours and sites, beside its relief, as vectors."""

from __future__ import annotations

from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.core.surface.edges import coloured_from, ends_of, outline_of, spread_out
from vettore.core.surface.surface import Surface
from vettore.look.theme import PAPER
from vettore.report.figures.figure import ON_ANY_SHEET, OnPaper, StudyFigure
from vettore.report.figures.layout import Constrained, fit_titles
from vettore.report.figures.of_fits import WORDS_OF_PLOTS, labels_of
from vettore.report.figures.paper import MOST_VECTOR_POINTS, dress_axes
from vettore.report.figures.plot import as_csv
from vettore.report.figures.plotting import MARKS, dress
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.study import Study
from vettore.study.surfaces import Sites, derive_fitted, derive_surface, fit_of, sites_of
from vettore.words.surfaces import method_words

OF_SURFACES = WORDS_OF_PLOTS | ON_ANY_SHEET | {"relief", "grid", "mark", "mark_size", "line_width"}
SHADES = 24
# Room around the sites, as a share of their span.
MARGIN = 0.04
# The relief's places across and along, from where it is seen, and how high it stands; as the window first shows it.
PLACES = 36
TURN, TILT, RISE = np.radians(-32.0), np.radians(32.0), 0.5


def figure_of_surface(study: Study, kept: SurfaceRecipe, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of a surface. Raises VettoreError when it has no answer."""
    series = study.find_series(kept.series)
    fit = fit_of(study, series, kept)
    surface = derive_surface(series, kept) if fit is None else derive_fitted(series, kept, fit)
    sites = sites_of(series, kept)
    words = (
        f"{method_words(kept.method, fit)} over {len(surface.sites)} sites, on a grid of {kept.shape[0]} × "
        f"{kept.shape[1]}; sites in the colour of their own height."
    )
    return StudyFigure(
        recipe,
        style,
        (labels_of(series), kept, fit),
        words,
        lambda figure: _draw(figure, surface, kept, sites, recipe, style),
        lambda: _tables(surface),
        OF_SURFACES,
    )


def _draw(
    figure: Any, surface: Surface, kept: SurfaceRecipe, sites: Sites, recipe: FigureRecipe, style: NumberStyle
) -> OnPaper:
    from matplotlib.colors import LinearSegmentedColormap, Normalize

    if recipe.relief:
        left, right = figure.subplots(1, 2, width_ratios=[1.15, 1])
    else:
        left, right = figure.subplots(1, 2, width_ratios=[1, 0.22])
    stops = PAPER.heights if kept.parted_at is None else PAPER.parted
    colours = LinearSegmentedColormap.from_list("heights", stops)
    low, high = ends_of(*coloured_from(surface, kept.clip), kept.parted_at)
    scale = Normalize(low, high)
    _draw_map(left, surface, colours, scale, recipe)
    titles = [f"{column.name} ({column.unit})" if column.unit else column.name for column in sites.columns]
    left.set_xlabel(recipe.x_title or titles[0])
    left.set_ylabel(recipe.y_title or titles[1])
    dress_axes(left, style, recipe.grid)
    if recipe.relief:
        _draw_relief(right, surface, colours, scale)
    else:
        right.set_axis_off()
    bar = right.inset_axes((0.08, -0.16, 0.84, 0.05) if recipe.relief else (0.3, 0.1, 0.16, 0.8))
    _draw_bar(bar, colours, scale, upright=not recipe.relief)
    along, across = (bar.set_xlabel, bar.set_yticks) if recipe.relief else (bar.set_ylabel, bar.set_xticks)
    along(titles[2])
    dress_axes(bar, style, grid=False)
    across([])
    bar.spines[["left", "bottom"]].set_visible(False)
    dress(left, recipe)
    fit_titles(figure, (left.xaxis, left.yaxis), Constrained(figure))
    return OnPaper(left, ("linear", "linear"))


def _tables(surface: Surface) -> dict[str, str]:
    """Return the sites, and the grid that is drawn."""
    grid = surface.grid
    x, y = np.meshgrid(grid.x, grid.y)
    return {
        "-sites.csv": as_csv(("x", "y", "z"), (surface.x, surface.y, surface.z)),
        "-grid.csv": as_csv(("x", "y", "z"), (x.ravel(), y.ravel(), np.asarray(grid.z).ravel())),
    }


def _draw_map(axes: Any, surface: Surface, colours: Any, scale: Any, recipe: FigureRecipe) -> None:
    from matplotlib.patches import Polygon

    grid = surface.grid
    edge = Polygon(outline_of(surface), closed=True, facecolor="none", edgecolor=PAPER.muted, linewidth=0.6)
    axes.add_patch(edge)
    heights = np.ma.masked_invalid(spread_out(grid.z))
    levels = np.linspace(scale.vmin, scale.vmax, SHADES + 1)
    filled = axes.contourf(grid.x, grid.y, heights, levels, cmap=colours, norm=scale, extend="both", zorder=1)
    filled.set_clip_path(edge)
    lines = axes.contour(
        grid.x,
        grid.y,
        heights,
        levels[::3],
        colors=PAPER.ink,
        linewidths=0.35 * recipe.line_width,
        alpha=0.6,
        zorder=2,
    )
    lines.set_clip_path(edge)
    many = len(surface.x) > MOST_VECTOR_POINTS
    size = (2 if many else 9) * recipe.mark_size**2
    look = {"s": size, "linewidths": 0 if many else 0.4, "rasterized": many, "marker": MARKS[recipe.mark]}
    ends = ((surface.x, recipe.x_limits, axes.set_xlim), (surface.y, recipe.y_limits, axes.set_ylim))
    for values, (low, high), limit in ends:
        room = MARGIN * float(np.ptp(values))
        start = float(values.min()) - room if low is None else low
        end = float(values.max()) + room if high is None else high
        if start < end:
            limit(start, end)
    axes.scatter(surface.x, surface.y, c=surface.z, cmap=colours, norm=scale, edgecolors=PAPER.ink, zorder=3, **look)


def _draw_bar(axes: Any, colours: Any, scale: Any, upright: bool) -> None:
    """Draw the scale of colours as shapes: a picture in it would not be a vector, and not every reader shows it."""
    along = np.linspace(scale.vmin, scale.vmax, 4 * SHADES)
    levels = np.linspace(scale.vmin, scale.vmax, SHADES + 1)
    if upright:
        axes.contourf([0.0, 1.0], along, np.column_stack([along, along]), levels, cmap=colours, norm=scale)
    else:
        axes.contourf(along, [0.0, 1.0], np.vstack([along, along]), levels, cmap=colours, norm=scale)


def _draw_relief(axes: Any, surface: Surface, colours: Any, scale: Any) -> None:
    from matplotlib.collections import PolyCollection

    x = np.linspace(float(surface.x.min()), float(surface.x.max()), PLACES)
    y = np.linspace(float(surface.y.min()), float(surface.y.max()), PLACES)
    z = surface(*np.meshgrid(x, y))
    known = z[np.isfinite(z)]
    span = (float(known.max() - known.min()) if len(known) else 0.0) or 1.0
    corners, middles, depth = _quads(z, (z - (known.min() if len(known) else 0.0)) / span)
    far_first = np.argsort(-depth)
    faces = colours(scale(middles[far_first]))
    # Edges in the colour of their faces leave no gaps between them.
    axes.add_collection(PolyCollection(list(corners[far_first]), facecolors=faces, edgecolors=faces, linewidths=0.25))
    axes.autoscale_view()
    axes.set_aspect("equal")
    axes.set_axis_off()


def _quads(z: Array, h: Array) -> tuple[Array, Array, Array]:
    """Return the corners (k, 4, 2) of the relief's faces on paper, their heights and their depths."""
    across, along = np.meshgrid(np.linspace(-0.5, 0.5, PLACES), np.linspace(-0.5, 0.5, PLACES))
    p = across * np.cos(TURN) - along * np.sin(TURN)
    q = across * np.sin(TURN) + along * np.cos(TURN)
    line = q * np.sin(TILT) + h * RISE * np.cos(TILT)
    around = (
        (slice(None, -1), slice(None, -1)),
        (slice(None, -1), slice(1, None)),
        (slice(1, None), slice(1, None)),
        (slice(1, None), slice(None, -1)),
    )
    corners = np.stack([np.stack([p[at], line[at]], axis=-1) for at in around], axis=2)
    middles, depth = (np.mean([part[at] for at in around], axis=0) for part in (z, q))
    whole = np.isfinite(middles)
    return corners[whole], middles[whole], depth[whole]
