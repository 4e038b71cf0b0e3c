"""Map and relief of a surface on paper, side by side, as vectors."""

from __future__ import annotations

from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.rounding import NumberStyle
from vettore.core.surface.edges import coloured_from, ends_of, outline_of, spread_out
from vettore.core.surface.surface import Surface
from vettore.look.theme import PAPER
from vettore.report.figures import MOST_VECTOR_POINTS, Kind, Sheet, drawn, dress_axes, fit_titles
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.surfaces import Sites

HEIGHT_MM = 84.0
SHADES = 24
# Room around the sites, as a share of their span.
MARGIN = 0.04
# The relief's places across and along, from where it is seen, and how high it stands; as the window first shows it.
PLACES = 46
TURN, TILT, RISE = np.radians(-32.0), np.radians(32.0), 0.5


def surface_figure(
    surface: Surface,
    recipe: SurfaceRecipe,
    sites: Sites,
    style: NumberStyle,
    kind: Kind = "svg",
    letters: bool = False,
) -> bytes:
    """Return a figure of the map, with contours and sites, beside the relief."""

    def draw(figure: Any) -> None:
        from matplotlib.colors import LinearSegmentedColormap, Normalize

        left, right = figure.subplots(1, 2, width_ratios=[1.15, 1])
        stops = PAPER.heights if recipe.parted_at is None else PAPER.parted
        colours = LinearSegmentedColormap.from_list("heights", stops)
        low, high = ends_of(*coloured_from(surface, recipe.clip), recipe.parted_at)
        scale = Normalize(low, high)
        _draw_map(left, surface, colours, scale)
        titles = [f"{column.name} ({column.unit})" if column.unit else column.name for column in sites.columns]
        left.set_xlabel(titles[0])
        left.set_ylabel(titles[1])
        dress_axes(left, style)
        left.grid(False)
        _draw_relief(right, surface, colours, scale)
        bar = right.inset_axes((0.08, -0.16, 0.84, 0.05))
        _draw_bar(bar, colours, scale)
        bar.set_xlabel(titles[2])
        dress_axes(bar, style)
        bar.grid(False)
        bar.set_yticks([])
        bar.spines[["left", "bottom"]].set_visible(False)
        fit_titles(figure, (left.xaxis, left.yaxis))

    return drawn(draw, Sheet(height=HEIGHT_MM, letters=letters), kind)


def _draw_map(axes: Any, surface: Surface, colours: Any, scale: Any) -> None:
    from matplotlib.patches import Polygon

    grid = surface.grid
    edge = Polygon(outline_of(surface), closed=True, facecolor="none", edgecolor=PAPER.muted, linewidth=0.6)
    axes.add_patch(edge)
    heights = np.ma.masked_invalid(spread_out(grid.z))
    levels = np.linspace(scale.vmin, scale.vmax, SHADES + 1)
    filled = axes.contourf(grid.x, grid.y, heights, levels, cmap=colours, norm=scale, extend="both", zorder=1)
    filled.set_clip_path(edge)
    lines = axes.contour(grid.x, grid.y, heights, levels[::3], colors=PAPER.ink, linewidths=0.35, alpha=0.6, zorder=2)
    lines.set_clip_path(edge)
    many = len(surface.x) > MOST_VECTOR_POINTS
    look = {"s": 2 if many else 9, "linewidths": 0 if many else 0.4, "rasterized": many}
    for values, limit in ((surface.x, axes.set_xlim), (surface.y, axes.set_ylim)):
        room = MARGIN * float(np.ptp(values))
        limit(float(values.min()) - room, float(values.max()) + room)
    axes.scatter(surface.x, surface.y, c=surface.z, cmap=colours, norm=scale, edgecolors=PAPER.ink, zorder=3, **look)


def _draw_bar(axes: Any, colours: Any, scale: Any) -> None:
    """Draw the scale of colours as shapes: a picture in it would not be a vector, and not every reader shows it."""
    along = np.linspace(scale.vmin, scale.vmax, 4 * SHADES)
    levels = np.linspace(scale.vmin, scale.vmax, SHADES + 1)
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
