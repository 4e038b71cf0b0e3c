"""Data, curve and residuals."""

from __future__ import annotations

from functools import partial

from vettore.core.errors import VettoreError
from vettore.report.blocks import Block, Figure
from vettore.report.fit_figure import fit_figure, is_log
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.derive import derive_fit
from vettore.study.figures import figure_of
from vettore.study.fits import DerivedFit
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.series import Role
from vettore.study.study import Study
from vettore.words.fits import weights_in_words

MARK_WORDS = {"disc": "discs", "square": "squares", "triangle": "triangles", "diamond": "diamonds", "plus": "crosses"}


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    recipe = figure_of(subject.study, subject.curve.id)
    fits = fits_of_figure(subject.study, recipe, subject.fit)
    words = figure_caption(fits, recipe)
    return (Figure(partial(fit_figure, fits, recipe, subject.style), words, recipe.width),)


def fits_of_figure(study: Study, recipe: FigureRecipe, fit: DerivedFit | None = None) -> tuple[DerivedFit, ...]:
    """Return the fits that a figure shows, its own first; one beside it that is gone, or fails, is left out."""
    shown = [derive_fit(study, recipe.of) if fit is None else fit]
    there = {curve.id for curve in study.curves}
    for identity in recipe.beside:
        if identity in there and identity != recipe.of:
            try:
                shown.append(derive_fit(study, identity))
            except VettoreError:
                continue
    return tuple(shown)


def figure_caption(fits: tuple[DerivedFit, ...], recipe: FigureRecipe) -> str:
    """Say what the figure shows: rows, curve, band, ±, weights, axes and where the data are from."""
    fit = fits[0]
    level = f"{fit.result.level:.0%}".replace("%", " %")
    band = f", {level} band of the curve" if recipe.band and fit.result.residual_sd else ""
    y = fit.series.column(Role.Y)
    words = f"Measured {y.name if y else 'y'} ({MARK_WORDS[recipe.mark]}) and fitted {fit.recipe.name.lower()} (line{band})"
    words += f" of {fit.series.name}" if len(fits) > 1 else ""
    beside = [f"{other.recipe.name.lower()} of {other.series.name}" for other in fits[1:]]
    words += f", beside {', '.join(beside)}" if beside else ""
    source = fit.series.table.full_source.name
    words += f", from {source}" if source else ""
    words += "; residuals below." if recipe.residuals else "."
    if recipe.error_bars and fit.result.error_of_y is not None and fit.recipe.use_errors:
        bars = "± of x and of y" if fit.result.sigma_x is not None else "± of y"
        words += f" Bars are {bars}; {weights_in_words(fit.result)}."
    logs = [name for name, log in (("x", is_log(recipe, fit)), ("y", recipe.y_scale == "log")) if log]
    if logs:
        words += f" The axis of {' and '.join(logs)} is logarithmic."
    marks = "marks" if recipe.mark != "disc" else "discs"
    return words + (f" Open {marks} are set aside." if fit.series.set_aside else "")


FIGURE = Entry("figure", "Figure", of_fit=_blocks, title="")
