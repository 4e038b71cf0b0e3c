"""The figure of a fit: data, curve and band over the residuals, in the look that its recipe gives it.

One model for screen and paper: the page of the window shows the picture that is drawn here, and ``places`` tells where
on it everything stands, so that what is dragged there is what is printed.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast, get_args
from weakref import WeakKeyDictionary

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.files.whole import write_whole
from vettore.look.theme import PAPER
from vettore.report.figures import DPI, MOST_VECTOR_POINTS, Kind, Sheet, drawn, dress_axes, fit_titles
from vettore.study.fits import DerivedFit, response_of
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.series import Role

CURVE_POINTS = 400
# x runs over at least so many times its smallest, and half of the rows crowd in this share of the axis: logarithmic.
DECADES, CROWDED = 1000.0, 0.05
# How the letter of a panel is known among the texts of the plot.
PANEL = "panel"
# How finely a screen shows a figure, and how many pixels wide it is at most.
SCREEN_DPI, SCREEN_PIXELS = 200, 2600
# The strip beside an axis that stands for it, as a share of the figure.
EDGE = 0.05
MARKS = {"disc": "o", "square": "s", "triangle": "^", "diamond": "D", "plus": "P"}
GREYS = ("#222222", "#777777", "#AAAAAA", "#4A4A4A", "#909090")
LINES = ("-", "--", "-.", ":")

# Drawings by the fit that they show, as long as it is there; of each fit the last few.
MOST_KNOWN = 4
_known: WeakKeyDictionary[DerivedFit, dict[tuple[FigureRecipe, NumberStyle, Kind, bool], bytes]] = WeakKeyDictionary()


@dataclass(frozen=True)
class Place:
    """Where something stands on a figure, in shares of its width and height from the upper left: x, y, width, height."""

    what: str
    x: float
    y: float
    width: float
    height: float


@dataclass(frozen=True)
class Plotted:
    """The plot's own scale: where it stands, its limits, and which of its axes are logarithmic."""

    frame: Place
    x_limits: tuple[float, float]
    y_limits: tuple[float, float]
    x_log: bool
    y_log: bool

    def data_at(self, x: float, y: float) -> tuple[float, float]:
        """Return the data at a place of the figure, given in shares of its sides from the upper left."""
        across = (x - self.frame.x) / self.frame.width
        up = 1 - (y - self.frame.y) / self.frame.height
        return _between(self.x_limits, across, self.x_log), _between(self.y_limits, up, self.y_log)

    def share_at(self, x: float, y: float) -> tuple[float, float]:
        """Return the share of the plot, from its lower left, at a place of the figure."""
        return (x - self.frame.x) / self.frame.width, 1 - (y - self.frame.y) / self.frame.height


def _between(limits: tuple[float, float], share: float, log: bool) -> float:
    low, high = limits
    return float(low * (high / low) ** share) if log else low + share * (high - low)


def sheet_of(recipe: FigureRecipe, letters: bool = False, dpi: int = DPI) -> Sheet:
    """Return what the figure is drawn on."""
    return Sheet(recipe.width, recipe.height, recipe.type_size, recipe.serif, letters, dpi)


def fit_figure(
    fits: Sequence[DerivedFit], recipe: FigureRecipe, style: NumberStyle, kind: Kind = "svg", letters: bool = False
) -> bytes:
    """Return the figure of the first of ``fits``, the others drawn beside it."""

    def draw() -> bytes:
        return drawn(lambda figure: _draw(figure, fits, recipe, style), sheet_of(recipe, letters), kind)

    if len(fits) > 1:
        return draw()
    # While a report's words are typed its figures stay what they are.
    known = _known.setdefault(fits[0], {})
    key = (recipe, style, kind, letters)
    if key not in known:
        if len(known) >= MOST_KNOWN:
            known.clear()
        known[key] = draw()
    return known[key]


def figure_with_places(
    fits: Sequence[DerivedFit], recipe: FigureRecipe, style: NumberStyle
) -> tuple[bytes, tuple[Place, ...], Plotted]:
    """Return the figure as a picture (PNG), where its parts stand on it, and the scale of its plot."""
    found: list[Any] = []

    def draw(figure: Any) -> None:
        axes = _draw(figure, fits, recipe, style)
        figure.draw_without_rendering()
        found.extend(_places(figure, axes))

    picture = drawn(draw, sheet_of(recipe, dpi=_fine_enough(recipe)), "png")
    return picture, tuple(found[:-1]), found[-1]


def _fine_enough(recipe: FigureRecipe) -> int:
    """Return dots per inch that a screen shows: about its own for a figure of a report, no more pixels for a poster."""
    return int(min(SCREEN_DPI, SCREEN_PIXELS * 25.4 / max(recipe.width, recipe.height)))


def _draw(figure: Any, fits: Sequence[DerivedFit], recipe: FigureRecipe, style: NumberStyle) -> Any:
    with_residuals = recipe.residuals
    if with_residuals:
        above, below = figure.subplots(2, 1, sharex=True, height_ratios=[3.2, 1])
    else:
        above, below = figure.subplots(), None
    main = fits[0]
    if is_log(recipe, main):
        above.set_xscale("log")
    if recipe.y_scale == "log":
        above.set_yscale("log")
    for number, fit in enumerate(fits):
        _draw_data(above, fit, recipe, number, len(fits) > 1)
    for number, fit in enumerate(fits):
        _draw_curve(above, fit, recipe, number, len(fits) > 1)
    above.set_ylabel(recipe.y_title or response_of(main.series, main.recipe)[1])
    lowest = above if below is None else below
    if below is not None:
        _draw_residuals(below, main, recipe)
        above.tick_params(axis="x", which="both", length=0)
    lowest.set_xlabel(recipe.x_title or main.series.label(Role.X))
    _limit(above, recipe)
    all_axes = [above] if below is None else [above, below]
    for axes in all_axes:
        dress_axes(axes, style, recipe.grid)
    if below is not None:
        figure.align_ylabels(all_axes)
    if recipe.title:
        above.set_title(recipe.title, fontsize=recipe.type_size * 1.15, loc="left")
    if recipe.panel:
        above.annotate(
            recipe.panel, (0, 1), (-4, 6), "axes fraction", "offset points", weight="semibold", ha="right", gid=PANEL
        )
    _draw_legend(above, recipe)
    _draw_notes(above, recipe)
    fit_titles(figure, (*(axes.yaxis for axes in all_axes), lowest.xaxis))
    return above


def is_log(recipe: FigureRecipe, fit: DerivedFit) -> bool:
    """Whether x runs logarithmically: asked for, or where most rows would crowd at one end of a straight axis."""
    if recipe.x_scale != "auto":
        return recipe.x_scale == "log"
    x = fit.x
    low, high = float(np.min(x, initial=np.inf)), float(np.max(x, initial=0.0))
    if not 0 < low * DECADES <= high:
        return False
    return float(np.median((x - low) / (high - low))) < CROWDED


def _limit(axes: Any, recipe: FigureRecipe) -> None:
    for name, limits in (("x", recipe.x_limits), ("y", recipe.y_limits)):
        log = getattr(axes, f"get_{name}scale")() == "log"
        # A logarithm has no place for 0; such an end is left to the data.
        low, high = (None if end is not None and log and end <= 0 else end for end in limits)
        now = getattr(axes, f"get_{name}lim")()
        ends = (now[0] if low is None else low, now[1] if high is None else high)
        if ends[0] < ends[1]:
            axes.set(**{f"{name}lim": ends})


def _colours(recipe: FigureRecipe, number: int, several: bool) -> tuple[str, str]:
    """Return the colours of points and curve of the fit at a place."""
    if recipe.palette == "grey":
        points = curve = GREYS[number % len(GREYS)] if several else GREYS[0]
    elif several:
        points = curve = PAPER.series[(number + (number >= len(PAPER.series))) % len(PAPER.series)]
    else:
        points, curve = PAPER.data, PAPER.fit
    return (recipe.points_colour or points, recipe.curve_colour or curve) if number == 0 else (points, curve)


def _draw_data(axes: Any, fit: DerivedFit, recipe: FigureRecipe, number: int, several: bool) -> None:
    series, colour = fit.series, _colours(recipe, number, several)[0]
    x, y = series.values(Role.X), fit.response
    assert x is not None
    aside = series.measured & ~series.kept
    many = len(fit.rows) > MOST_VECTOR_POINTS
    # Those of the left side: of ln(y), not of y, where that was fitted.
    sigma, sigma_x = fit.result.error_of_y, fit.result.sigma_x
    if recipe.error_bars and sigma is not None and fit.recipe.use_errors:
        axes.errorbar(
            x[fit.rows], y[fit.rows], sigma, sigma_x, fmt="none", ecolor=PAPER.muted, elinewidth=0.7, zorder=2
        )
    size = (4 if many else 24) * recipe.mark_size**2
    marks = {"zorder": 3, "rasterized": many, "marker": MARKS[recipe.mark]}
    name = series.name if several else (series.column(Role.Y) or series).name
    edges = {"linewidths": 0 if many else 0.5, "edgecolors": PAPER.plot_ground}
    axes.scatter(x[fit.rows], y[fit.rows], s=size, color=colour, label=name, **marks, **edges)
    if aside.any():
        open_marks = {"facecolors": "none", "edgecolors": PAPER.muted, "linewidths": 0.9}
        axes.scatter(x[aside], y[aside], s=20 * recipe.mark_size**2, zorder=3, marker=marks["marker"], **open_marks)


def _draw_curve(axes: Any, fit: DerivedFit, recipe: FigureRecipe, number: int, several: bool) -> None:
    curve, colour = fit.curve, _colours(recipe, number, several)[1]
    if curve is None:
        axes.scatter(fit.x, fit.result.fitted, s=16, marker="_", color=colour, zorder=4, label=fit.recipe.name)
        return
    low, high = curve.span
    x = _spread(low, high, axes.get_xscale() == "log")
    if recipe.band:
        bottom, top = curve.band(x, fit.result.level)
        if np.isfinite(bottom).all():
            axes.fill_between(x, bottom, top, color=colour, alpha=0.16, linewidth=0, zorder=1)
    dashes = LINES[number % len(LINES)] if recipe.palette == "grey" and several else "-"
    name = f"{fit.recipe.name} ({fit.series.name})" if several else fit.recipe.name
    axes.plot(x, curve(x), color=colour, linewidth=1.5 * recipe.line_width, linestyle=dashes, zorder=4, label=name)


def _spread(low: float, high: float, log: bool) -> Array:
    return np.geomspace(low, high, CURVE_POINTS) if log and low > 0 else np.linspace(low, high, CURVE_POINTS)


def _draw_residuals(axes: Any, fit: DerivedFit, recipe: FigureRecipe) -> None:
    points, curve = _colours(recipe, 0, several=False)
    many = len(fit.rows) > MOST_VECTOR_POINTS
    axes.axhline(0, color=curve, linewidth=1)
    if not many:
        # One line with gaps: a shape for each stem is slow to print.
        gap = np.full(len(fit.x), np.nan)
        stems = (
            np.column_stack([fit.x, fit.x, gap]),
            np.column_stack([np.zeros(len(fit.x)), fit.missed, gap]),
        )
        axes.plot(*(part.ravel() for part in stems), color=PAPER.muted, linewidth=0.6, solid_capstyle="butt")
    size = (3 if many else 9) * recipe.mark_size**2
    axes.scatter(fit.x, fit.missed, s=size, color=points, zorder=3, rasterized=many)
    reach = float(np.max(np.abs(fit.missed))) * 1.15 or 1.0
    axes.set_ylim(-reach, reach)
    axes.set_ylabel(fit.missed_called)


def _draw_legend(axes: Any, recipe: FigureRecipe) -> None:
    if recipe.legend == "none":
        return
    asked: dict[str, Any] = {"loc": recipe.legend, "borderaxespad": 0.6}
    if recipe.legend_at is not None:
        asked = {"loc": "lower left", "bbox_to_anchor": recipe.legend_at, "borderaxespad": 0.0}
    legend = axes.legend(**asked, frameon=True, edgecolor=PAPER.rule, framealpha=0.9)
    # Where it was dragged to is where it stays: the plot does not give way to it.
    legend.set_in_layout(False)


def _draw_notes(axes: Any, recipe: FigureRecipe) -> None:
    for note in recipe.notes:
        arrow = {"arrowstyle": "-|>", "color": PAPER.ink, "linewidth": 0.8, "shrinkB": 3}
        words = axes.annotate(
            note.text, (note.x, note.y), note.at, "data", "axes fraction", arrowprops=arrow, ha="center", va="center"
        )
        words.set_in_layout(False)
        words.set_bbox({"facecolor": PAPER.plot_ground, "edgecolor": "none", "pad": 1.5, "alpha": 0.85})


def _places(figure: Any, axes: Any) -> list[Any]:
    """Return where title, words of the axes, legend, notes and figures stand, and the plot last."""
    from matplotlib.text import Text

    width, height = figure.bbox.width, figure.bbox.height

    def place(what: str, box: Any) -> Place:
        sides = box.x0 / width, 1 - box.y1 / height, box.width / width, box.height / height
        return Place(what, *map(float, sides))

    notes = [child for child in axes.texts if child.get_gid() != PANEL]
    found = [place(f"note {number}", Text.get_window_extent(note)) for number, note in enumerate(notes)]
    if axes.get_legend() is not None:
        found.append(place("legend", axes.get_legend().get_window_extent()))
    frame = place("plot", axes.get_window_extent())
    if axes.get_title(loc="left"):
        found.append(place("title", axes._left_title.get_window_extent()))
    else:
        # Where a title would begin.
        found.append(Place("title", frame.x, 0.0, frame.width, max(frame.y, EDGE)))
    lowest = figure.axes[-1]
    found.append(place("x title", lowest.xaxis.label.get_window_extent()))
    found.append(place("y title", axes.yaxis.label.get_window_extent()))
    below = lowest.get_window_extent()
    found.append(Place("x axis", frame.x, 1 - float(below.y0) / height, frame.width, EDGE))
    found.append(Place("y axis", frame.x - EDGE, frame.y, EDGE, frame.height))
    logs = axes.get_xscale() == "log", axes.get_yscale() == "log"
    (x_low, x_high), (y_low, y_high) = axes.get_xlim(), axes.get_ylim()
    return [*found, Plotted(frame, (float(x_low), float(x_high)), (float(y_low), float(y_high)), *logs)]


def curves_table(fits: Sequence[DerivedFit], recipe: FigureRecipe) -> dict[str, str]:
    """Return what the figure draws as CSV, by what follows the figure's name: the rows, and each curve with its band."""
    files = {}
    for number, fit in enumerate(fits, 1):
        ending = "" if len(fits) == 1 else f"-{number}"
        rows: list[tuple[str, ...]] = [("x", "y", "fitted", "residual", "sigma")]
        sigma = fit.result.error_of_y if fit.result.error_of_y is not None else np.full(len(fit.rows), np.nan)
        columns = (fit.x, fit.response[fit.rows], fit.result.fitted, fit.result.residuals, sigma)
        rows += [tuple(_full(value) for value in row) for row in zip(*columns, strict=True)]
        files[f"{ending}-rows.csv"] = _csv(rows)
        if fit.curve is None:
            continue
        x = _spread(*fit.curve.span, is_log(recipe, fits[0]))
        low, high = fit.curve.band(x, fit.result.level)
        drawn_curve: list[tuple[str, ...]] = [("x", "curve", "band from", "band to")]
        drawn_curve += [tuple(_full(value) for value in row) for row in zip(x, fit.curve(x), low, high, strict=True)]
        files[f"{ending}-curve.csv"] = _csv(drawn_curve)
    return files


def _full(value: float) -> str:
    return repr(float(value)) if np.isfinite(value) else ""


def _csv(rows: Sequence[Sequence[str]]) -> str:
    import csv

    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(rows)
    return out.getvalue()


def save_figure(
    fits: Sequence[DerivedFit], recipe: FigureRecipe, style: NumberStyle, path: Path, data: bool = False
) -> None:
    """Write a figure as its name's ending says, with what it draws as CSV beside it if asked. Raises VettoreError."""
    ending = path.suffix.casefold().removeprefix(".")
    kind = {"tif": "tiff"}.get(ending, ending)
    if kind not in get_args(Kind):
        raise VettoreError(f"“{path.name}”: a figure ends in .svg, .pdf, .png or .tiff.")
    # What stands beside it first, so that a figure is never without the data that it was asked to bring.
    if data:
        for name, text in curves_table(fits, recipe).items():
            write_whole(path.with_name(path.stem + name), text.encode("utf-8"))
    write_whole(path, fit_figure(fits, recipe, style, cast("Kind", kind), letters=True))
