"""A plot drawn on paper in the look that the recipe of its figure gives it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from vettore.core.rounding import NumberStyle
from vettore.look.theme import PAPER
from vettore.report.figures.figure import OnPaper
from vettore.report.figures.layout import InRows, fit_titles
from vettore.report.figures.paper import MOST_VECTOR_POINTS, dress_axes
from vettore.report.figures.places import FLAG, PANEL
from vettore.report.figures.plot import Layer, Marks, Missed, Plot, spread
from vettore.study.kinds.figure import FigureRecipe

MARKS = {"disc": "o", "square": "s", "triangle": "^", "diamond": "D", "plus": "P"}
GREYS = ("#222222", "#777777", "#AAAAAA", "#4A4A4A", "#909090")
LINES = ("-", "--", "-.", ":")
# An inset's width and height, in shares of the plot.
INSET = (0.36, 0.36)
# Heights of the plot and of what the rows miss it by.
SHARES = (3.2, 1.0)
# Ticks at own distances are no more than these.
MOST_TICKS = 60
# What has no place on a reciprocal axis stands where this share of its lower end does.
FAR_BELOW = 0.02


def draw_plot(figure: Any, plot: Plot, recipe: FigureRecipe, style: NumberStyle) -> OnPaper:
    """Draw a plot and, where it has them and they are asked for, what the rows miss the curve by."""
    with_missed = recipe.residuals and plot.missed is not None
    if with_missed:
        above, below = figure.subplots(2, 1, sharex=True, height_ratios=SHARES)
    else:
        above, below = figure.subplots(), None
    scales = scales_of(recipe, plot)
    take_logarithms(above, scales)
    _draw_layers(above, plot, recipe, scales[0])
    above.set_ylabel(recipe.y_title or plot.y_title)
    lowest = above if below is None else below
    if below is not None and plot.missed is not None:
        _draw_missed(below, plot.missed, recipe)
        above.tick_params(axis="x", which="both", length=0)
    lowest.set_xlabel(recipe.x_title or plot.x_title)
    limit(above, recipe, scales)
    part(above, recipe, scales)
    all_axes = [above] if below is None else [above, below]
    for axes in all_axes:
        dress_axes(axes, style, recipe.grid)
    if below is not None:
        figure.align_ylabels(all_axes)
    dress(above, recipe)
    _draw_inset(above, plot, recipe, style)
    _draw_legend(above, recipe)
    titles = (*(axes.yaxis for axes in all_axes), lowest.xaxis)
    fit_titles(figure, titles, InRows(figure, [[axes] for axes in all_axes], SHARES[: len(all_axes)]))
    return OnPaper(above, scales)


def dress(axes: Any, recipe: FigureRecipe) -> None:
    """Put title, letter of the panel and notes on a plot."""
    if recipe.title:
        axes.set_title(recipe.title, fontsize=recipe.type_size * 1.15, loc="left")
    if recipe.panel:
        letter_panel(axes, recipe.panel)
    for note in recipe.notes:
        arrow = {"arrowstyle": "-|>", "color": PAPER.ink, "linewidth": 0.8, "shrinkB": 3}
        words = axes.annotate(
            note.text, (note.x, note.y), note.at, "data", "axes fraction", arrowprops=arrow, ha="center", va="center"
        )
        words.set_in_layout(False)
        words.set_bbox({"facecolor": PAPER.plot_ground, "edgecolor": "none", "pad": 1.5, "alpha": 0.85})


def letter_panel(axes: Any, letter: str) -> None:
    """Put the letter of a panel at the upper left of a plot."""
    axes.annotate(letter, (0, 1), (-4, 6), "axes fraction", "offset points", weight="semibold", ha="right", gid=PANEL)


def scales_of(recipe: FigureRecipe, plot: Plot) -> tuple[str, str]:
    """Return the scales of the axes: as asked for; else x is logarithmic where most rows would crowd at one end."""
    x = recipe.x_scale
    if x == "auto":
        x = "log" if plot.crowded else "linear"
    y = "linear" if recipe.y_scale == "auto" else recipe.y_scale
    # Where nothing is above 0, a reciprocal axis would be empty.
    first, second = (
        "linear" if scale == "reciprocal" and not plot.reaches_above_zero(axis) else scale
        for axis, scale in enumerate((x, y))
    )
    return first, second


def _reciprocals(low: float) -> tuple[Callable[[Any], Any], Callable[[Any], Any]]:
    """Return −1/x, which rises with x above 0, and its inverse, for an axis that begins at ``low``.

    All that is far below, or not above 0, is put far outside: curves and bands leave the plot where they come down to 0.
    """
    least = low * FAR_BELOW

    def turn(value: Any) -> Any:
        return -1.0 / np.maximum(np.asarray(value, dtype=float), least)

    def back(value: Any) -> Any:
        turned = np.asarray(value, dtype=float)
        return np.where(turned < 0, -1.0 / np.where(turned < 0, turned, -1.0), np.nan)

    return turn, back


def take_logarithms(axes: Any, scales: tuple[str, str]) -> None:
    """Make those axes logarithmic that are to be; before anything is drawn, so that lines have points where they bend."""
    for axis, scale in zip("xy", scales, strict=True):
        if scale == "log":
            axes.set(**{f"{axis}scale": "log"})


def limit(axes: Any, recipe: FigureRecipe, scales: tuple[str, str]) -> None:
    """Set the limits that were decided, and what is left to the data; then turn reciprocal axes."""
    for name, scale, limits in (("x", scales[0], recipe.x_limits), ("y", scales[1], recipe.y_limits)):
        # A logarithm has no place for 0; such an end is left to the data.
        low, high = (None if end is not None and scale != "linear" and end <= 0 else end for end in limits)
        now = span_of(axes, name, scale)
        ends = (now[0] if low is None else low, now[1] if high is None else high)
        if ends[0] < ends[1]:
            axes.set(**{f"{name}lim": ends})
        if scale == "reciprocal":
            # Equal lengths are equal differences of 1/x, and x still rises to the right. Only now, above 0.
            low = getattr(axes, f"get_{name}lim")()[0]
            getattr(axes, f"set_{name}scale")("function", functions=_reciprocals(low))


def span_of(axes: Any, name: str, scale: str) -> tuple[float, float]:
    """Return the span of what is drawn, with a little room; above 0 for a reciprocal scale, which has no place for 0."""
    if scale != "reciprocal":
        low, high = getattr(axes, f"get_{name}lim")()
        return float(low), float(high)
    interval = getattr(axes.dataLim, f"interval{name}")
    least = getattr(axes.dataLim, f"minpos{name}")
    low, high = max(float(interval[0]), float(least)), float(interval[1])
    room = 0.04 * (1 / low - 1 / high) if high > low else 0.0
    return 1 / (1 / low + room), 1 / max(1 / high - room, 0.2 / high)


def part(axes: Any, recipe: FigureRecipe, scales: tuple[str, str]) -> None:
    """Set ticks at the distances that were asked for, on straight axes."""
    from matplotlib.ticker import MultipleLocator

    for name, scale, step in (("x", scales[0], recipe.x_every), ("y", scales[1], recipe.y_every)):
        low, high = getattr(axes, f"get_{name}lim")()
        if step and scale == "linear" and (high - low) / step <= MOST_TICKS:
            getattr(axes, f"{name}axis").set_major_locator(MultipleLocator(step))


def colours_of(recipe: FigureRecipe, number: int, several: bool) -> tuple[str, str]:
    """Return the colours of marks and line of the layer at a place."""
    if recipe.palette == "grey":
        points = curve = GREYS[number % len(GREYS)] if several else GREYS[0]
    elif several:
        points = curve = PAPER.series[(number + (number >= len(PAPER.series))) % len(PAPER.series)]
    else:
        points, curve = PAPER.data, PAPER.fit
    return (recipe.points_colour or points, recipe.curve_colour or curve) if number == 0 else (points, curve)


def _draw_layers(axes: Any, plot: Plot, recipe: FigureRecipe, scale: str) -> None:
    several = len(plot.layers) > 1
    for number, layer in enumerate(plot.layers):
        if layer.marks is not None:
            draw_marks(axes, layer.marks, recipe, colours_of(recipe, number, several)[0])
    for number, layer in enumerate(plot.layers):
        dashes = LINES[number % len(LINES)] if recipe.palette == "grey" and several else "-"
        draw_line(axes, layer, recipe, colours_of(recipe, number, several)[1], scale, dashes)
    if recipe.readings:
        for layer in plot.layers:
            _draw_flags(axes, layer, recipe)


def draw_marks(axes: Any, marks: Marks, recipe: FigureRecipe, colour: str) -> None:
    """Draw rows; many of them as a picture inside the figure."""
    many = len(marks.x) > MOST_VECTOR_POINTS
    if recipe.error_bars and marks.error is not None:
        axes.errorbar(
            marks.x, marks.y, marks.error, marks.error_x, fmt="none", ecolor=PAPER.muted, elinewidth=0.7, zorder=2
        )
    if recipe.error_bars and marks.leads is not None and not many:
        ends = [np.column_stack(pair) for pair in zip((marks.x, marks.y), marks.leads, strict=True)]
        across, up = (np.column_stack([pair, np.full(len(pair), np.nan)]).ravel() for pair in ends)
        axes.plot(across, up, color=PAPER.fit, linewidth=0.9, zorder=2)
    size = (4 if many else 24) * recipe.mark_size**2
    look = {"zorder": 3, "rasterized": many, "marker": MARKS[recipe.mark]}
    edges = {"linewidths": 0 if many else 0.5, "edgecolors": PAPER.plot_ground}
    axes.scatter(marks.x, marks.y, s=size, color=colour, label=marks.name, **look, **edges)
    if len(marks.aside_x):
        open_marks = {"facecolors": "none", "edgecolors": PAPER.muted, "linewidths": 0.9, "marker": look["marker"]}
        axes.scatter(marks.aside_x, marks.aside_y, s=20 * recipe.mark_size**2, zorder=3, **open_marks)


def draw_line(axes: Any, layer: Layer, recipe: FigureRecipe, colour: str, scale: str, dashes: str = "-") -> None:
    """Draw the line of a layer with its band, or its fitted values, and its areas, over an x of a scale."""
    for filled in layer.filled:
        axes.fill_between(filled.x, filled.floor, filled.top, color=colour, alpha=0.22, linewidth=0, zorder=1)
        if filled.edged:
            axes.plot(filled.x, filled.floor, color=PAPER.muted, linewidth=0.8, linestyle="--", zorder=2)
        if filled.number:
            at = int(np.argmax(np.abs(filled.top - filled.floor)))
            place, look = (filled.x[at], filled.top[at]), {"color": colour, "weight": "semibold", "zorder": 7}
            words = axes.annotate(
                filled.number, place, (0, -5), textcoords="offset points", ha="center", va="top", **look
            )
            words.set_in_layout(False)
    if layer.places is not None:
        axes.scatter(*layer.places, s=16, marker="_", color=colour, zorder=4, label=layer.places_name)
    if layer.drawn is None:
        return
    x = spread(layer.drawn.span, scale)
    if recipe.band and layer.drawn.band is not None:
        bottom, top = layer.drawn.band(x)
        if np.isfinite(bottom).all():
            axes.fill_between(x, bottom, top, color=colour, alpha=0.16, linewidth=0, zorder=1)
    look = {"color": colour, "linewidth": 1.5 * recipe.line_width, "linestyle": dashes, "zorder": 4}
    axes.plot(x, layer.drawn.line(x), label=layer.drawn.name, **look)


def _draw_flags(axes: Any, layer: Layer, recipe: FigureRecipe) -> None:
    """Draw numbers that were read: a diamond at the place, its words beside it, towards the middle."""
    left, right = axes.get_xlim()
    for flag in layer.flags:
        axes.scatter(flag.x, flag.y, s=30, marker="D", facecolors=PAPER.plot_ground, edgecolors=PAPER.ink, zorder=6)
        beyond = flag.x > (left + right) / 2
        axes.annotate(
            flag.words,
            (flag.x, flag.y),
            (-7 if beyond else 7, 7),
            textcoords="offset points",
            ha="right" if beyond else "left",
            fontsize=recipe.type_size * 0.95,
            gid=FLAG,
            zorder=7,
            bbox={"facecolor": PAPER.plot_ground, "edgecolor": "none", "pad": 1.0, "alpha": 0.8},
        )


def _draw_missed(axes: Any, missed: Missed, recipe: FigureRecipe) -> None:
    points, curve = colours_of(recipe, 0, several=False)
    many = len(missed.x) > MOST_VECTOR_POINTS
    axes.axhline(0, color=curve, linewidth=1)
    if not many:
        # One line with gaps: a shape for each stem is slow to print.
        gap = np.full(len(missed.x), np.nan)
        stems = (np.column_stack([missed.x, missed.x, gap]), np.column_stack([np.zeros_like(gap), missed.by, gap]))
        axes.plot(*(part.ravel() for part in stems), color=PAPER.muted, linewidth=0.6, solid_capstyle="butt")
    size = (3 if many else 9) * recipe.mark_size**2
    axes.scatter(missed.x, missed.by, s=size, color=points, zorder=3, rasterized=many)
    reach = float(np.max(np.abs(missed.by))) * 1.15 or 1.0
    axes.set_ylim(-reach, reach)
    axes.set_ylabel(missed.called)


def _draw_inset(axes: Any, plot: Plot, recipe: FigureRecipe, style: NumberStyle) -> None:
    """Draw a part of x once more, larger, in a plot inside the plot."""
    if recipe.inset is None:
        return
    low, high = recipe.inset
    inset = axes.inset_axes((*recipe.inset_at, *INSET))
    inset.set_gid("inset")
    inset.set_in_layout(False)
    _draw_layers(inset, plot, recipe.changed(readings=False), "linear")
    inset.set_xlim(low, high)
    heights = [line.get_ydata()[(line.get_xdata() >= low) & (line.get_xdata() <= high)] for line in inset.get_lines()]
    for layer in plot.layers:
        if layer.marks is not None:
            heights.append(layer.marks.y[(layer.marks.x >= low) & (layer.marks.x <= high)])
    seen = np.concatenate([np.asarray(part, dtype=float) for part in heights]) if heights else np.empty(0)
    seen = seen[np.isfinite(seen)]
    if len(seen) and float(np.ptp(seen)) > 0:
        room = 0.08 * float(np.ptp(seen))
        inset.set_ylim(float(seen.min()) - room, float(seen.max()) + room)
    inset.tick_params(labelsize=recipe.type_size * 0.85)
    inset.locator_params(nbins=4)
    dress_axes(inset, style, grid=False)
    inset.spines[["top", "right"]].set_visible(True)


def _draw_legend(axes: Any, recipe: FigureRecipe) -> None:
    """Put the legend where it was dragged to, or into its corner."""
    if recipe.legend == "none":
        return
    options: dict[str, Any] = {"loc": recipe.legend, "borderaxespad": 0.6}
    if recipe.legend_at is not None:
        options = {"loc": "lower left", "bbox_to_anchor": recipe.legend_at, "borderaxespad": 0.0}
    legend = axes.legend(**options, frameon=True, edgecolor=PAPER.rule, framealpha=0.9)
    # Where it was dragged to is where it stays: the plot does not give way to it.
    legend.set_in_layout(False)
