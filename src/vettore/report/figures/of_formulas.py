"""Figures of what is kept without data: polynomials with their roots and turns, functions with the area under them."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.polynomials.words import polynomial_text
from vettore.core.rounding import NumberStyle
from vettore.report.figures.figure import StudyFigure
from vettore.report.figures.of_fits import OF_PLOTS, scales_in_words
from vettore.report.figures.plot import Drawn, Filled, Flag, Layer, Marks, Plot, line_table
from vettore.report.figures.plotting import draw_plot, scales_of
from vettore.study.derive_curves import (
    derive_polynomial,
    function_curve,
    function_span,
    limits_of_function,
    polynomial_span,
)
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.kinds.function import FunctionRecipe
from vettore.study.kinds.polynomial import PolynomialRecipe
from vettore.study.study import Study

FILLED = 400
OF_CURVES = (OF_PLOTS | {"curve_colour", "line_width", "readings"}) - {"error_bars"}


def figure_of_polynomial(
    study: Study, kept: PolynomialRecipe, recipe: FigureRecipe, style: NumberStyle
) -> StudyFigure:
    """Return the figure of a polynomial over the x that show its real roots and turning points."""
    p = derive_polynomial(study, kept)
    roots, turns = [] if p.is_zero else [*p.real_roots()], p.turns()
    span = polynomial_span(p)
    flags = [Flag(f"({style.number(turn.x, 4)}, {style.number(turn.y, 4)})", turn.x, turn.y) for turn in turns]
    # A root at a turning point is told there.
    flags += [Flag(style.number(root, 4), root, 0.0) for root in roots if all(turn.x != root for turn in turns)]
    marks = Marks("real roots", np.array(roots, dtype=np.float64), np.zeros(len(roots)))
    layer = Layer(marks if roots else None, Drawn(kept.name, p, span), flags=tuple(flags))
    text = polynomial_text(p, style, digits=4).replace("\u00a0", " ")
    words = f"{kept.name}: {text}" + (" (line); marks are its real roots." if roots else "; it has no real root.")
    return _figure(Plot((layer,), "x", kept.name), words, (p.coefficients, kept.name), recipe, style)


def figure_of_function(kept: FunctionRecipe, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of a function over its range, the area under it shaded. Raises DataError for wrong limits."""
    limits = limits_of_function(kept)
    span = function_span(*limits)
    curve = function_curve(kept.formula, span)
    x = np.linspace(*span, FILLED)
    y = curve(x)
    good = np.isfinite(y)
    filled = Filled("area", x[good], y[good], np.zeros(int(good.sum())))
    layer = Layer(drawn=Drawn(kept.formula, _blank_where_unknown(curve), span), filled=(filled,))
    words = f"{kept.formula} (line) and the area under it from {kept.start} to {kept.end} (shaded)"
    words += ", drawn in part." if any(map(math.isinf, limits)) else "."
    return _figure(Plot((layer,), "x", kept.formula), words, (kept.formula, *limits), recipe, style)


def _blank_where_unknown(curve: Callable[[Array], Array]) -> Callable[[Array], Array]:
    def line(x: Array) -> Array:
        y = curve(x)
        return np.where(np.isfinite(y), y, np.nan)

    return line


def _figure(
    plot: Plot, words: str, made_from: tuple[object, ...], recipe: FigureRecipe, style: NumberStyle
) -> StudyFigure:
    drawn = plot.layers[0].drawn
    assert drawn is not None
    if recipe.readings and plot.layers[0].flags:
        words += " Diamonds are roots and turning points."
    return StudyFigure(
        recipe,
        style,
        made_from,
        words + scales_in_words(plot, recipe),
        lambda figure: draw_plot(figure, plot, recipe, style),
        lambda: {"-curve.csv": line_table(drawn, scales_of(recipe, plot)[0])},
        OF_CURVES,
    )
