"""Figures of a study: what can have one, and what was decided of its look."""

from __future__ import annotations

import math

from vettore.study import parts
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.kinds.figure import ALL_FITS, FigureRecipe
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Series
from vettore.study.study import Study

# Two stand side by side on a page.
SMALL = {"width": 80.0, "height": 56.0, "type_size": 7.5}
# Plots of several columns stand one under the other.
STACKED = {"width": 120.0, "height": 128.0, "type_size": 7.5}
# Small plots beside each other: how many in a row, how high a row is in mm, and how many there are at most.
ACROSS, ROW_MM, MOST_PLOTS = 3, 46.0, 24
# From so many fits on they are worth a look side by side.
FEWEST_PLOTS = 4


def figure_of(study: Study, of: str) -> FigureRecipe:
    """Return the look of the figure of a part of the study; the usual one when nothing was decided."""
    return next((part for part in study.all(FigureRecipe) if part.of == of), None) or usual_figure(study, of)


def usual_figure(study: Study, of: str) -> FigureRecipe:
    """Return the look that the figure of a part has when nothing was decided."""
    usual = FigureRecipe(of=of)
    if of == ALL_FITS:
        rows = math.ceil(min(len(study.curves), MOST_PLOTS) / ACROSS)
        return usual.changed(height=12 + ROW_MM * max(rows, 1), type_size=7.5, residuals=False)
    part = next((part for part in study.parts if part.id == of), None)
    if isinstance(part, EquationsRecipe):
        return usual.changed(**STACKED, residuals=False)
    if isinstance(part, SurfaceRecipe):
        return usual.changed(height=84.0, grid=False)
    if isinstance(part, Series) and (is_joined(study, of) or study.areas_of(of)):
        return usual.changed(height=84.0)
    if isinstance(part, (Series, PolynomialRecipe, FunctionRecipe)):
        return usual.changed(**SMALL)
    return usual


def is_joined(study: Study, series: str) -> bool:
    """Whether it was decided how the points of a series are joined."""
    return any(recipe.series == series for recipe in study.interpolants)


def set_figure(study: Study, recipe: FigureRecipe) -> Study:
    """Keep what was decided on a figure; one that is as usual is none."""
    known = figure_of(study, recipe.of)
    if not known.id:
        return study if recipe == known else parts.add(study, recipe.changed(id=""))
    if recipe.changed(id="") == usual_figure(study, recipe.of):
        return parts.remove(study, known.id)
    return parts.change(study, recipe.changed(id=known.id))


LOOKS = (
    "residuals",
    "band",
    "parts",
    "error_bars",
    "grid",
    "palette",
    "points_colour",
    "curve_colour",
    "mark",
    "mark_size",
    "line_width",
    "type_size",
    "serif",
    "width",
    "height",
)


# What figures that show something else do not take over.
OWN_TO_KINDS = ("width", "height", "residuals", "grid")


def with_look(study: Study, like: FigureRecipe) -> Study:
    """Give all figures the look of one: colours, marks and type, and to those of the same kind sizes and what is drawn.

    Words and limits stay what they are.
    """
    look = {name: getattr(like, name) for name in LOOKS}
    less = {name: value for name, value in look.items() if name not in OWN_TO_KINDS}
    alike = type(study.find(like.of)) if like.of != ALL_FITS else None
    fits = {type(fit) for fit in study.curves}
    for of in with_figures(study):
        kind = type(study.find(of)) if of != ALL_FITS else None
        same = kind is alike or {kind, alike} <= fits
        study = set_figure(study, figure_of(study, of).changed(**(look if same else less)))
    return study


def with_figures(study: Study) -> tuple[str, ...]:
    """Return what of a study has a figure, in the order in which its parts were made."""
    kinds = (SurfaceRecipe, EquationsRecipe, PolynomialRecipe, FunctionRecipe)
    fits = {fit.id for fit in study.curves}
    texts = [
        part.id
        for part in study.parts
        if part.id in fits or isinstance(part, kinds) or (isinstance(part, Series) and _is_seen(study, part))
    ]
    return (*texts, *([ALL_FITS] if len(study.curves) >= FEWEST_PLOTS else []))


def _is_seen(study: Study, series: Series) -> bool:
    """Whether a figure of a series itself shows what no other does."""
    if study.areas_of(series.id) or is_joined(study, series.id):
        return True
    shown = {part.series for part in (*study.curves, *study.equations, *study.all(SurfaceRecipe))}
    return series.id not in shown and bool(series.in_use.any())
