"""Figures of a study: what was decided of the figure of a fit."""

from __future__ import annotations

from vettore.study import parts
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.study import Study


def figure_of(study: Study, fit: str) -> FigureRecipe:
    """Return the look of the figure of a fit; the usual one when nothing was decided."""
    return next((part for part in study.all(FigureRecipe) if part.of == fit), FigureRecipe(of=fit))


def set_figure(study: Study, recipe: FigureRecipe) -> Study:
    """Keep what was decided on the figure of a fit; one that is as usual is none."""
    known = figure_of(study, recipe.of)
    if not known.id:
        return study if recipe == known else parts.add(study, recipe)
    return parts.change(study, recipe.changed(id=known.id))


LOOKS = (
    "residuals",
    "band",
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


def with_look(study: Study, like: FigureRecipe) -> Study:
    """Give the figures of all fits the look of one: sizes, colours, marks and what is drawn, not words and limits."""
    look = {name: getattr(like, name) for name in LOOKS}
    for fit in study.curves:
        study = set_figure(study, figure_of(study, fit.id).changed(**look))
    return study
