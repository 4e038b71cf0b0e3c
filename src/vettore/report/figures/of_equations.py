"""The figure of a system: each measured column with its curve, one under the other, and the states that nobody measured."""

from __future__ import annotations

from vettore.core.rounding import NumberStyle
from vettore.report.figures.figure import StudyFigure
from vettore.report.figures.multiples import FIELDS, SmallPlot, draw_small_plots
from vettore.report.figures.of_fits import labels_of
from vettore.report.figures.plot import Drawn, Layer, Marks, Plot, as_csv, line_table
from vettore.report.figures.plotting import scales_of
from vettore.study.fitting.systems import DerivedSystem, derive_system, name_of
from vettore.study.kinds.equations import EquationsRecipe
from vettore.study.kinds.figure import FigureRecipe
from vettore.study.study import Study

# So many plots stand one under the other; of more there are two in a row.
STACKED = 4


def figure_of_equations(study: Study, kept: EquationsRecipe, recipe: FigureRecipe, style: NumberStyle) -> StudyFigure:
    """Return the figure of a system. Raises VettoreError when it has no answer."""
    system = derive_system(study.find_series(kept.series), kept)
    names = [*system.measured, *(system.unseen if kept.shows_states else ())]
    plots = [_plot(system, name, style) for name in names]
    scales = [scales_of(recipe, plot) for plot in plots]
    small = [
        SmallPlot(name, plot, place, scale)
        for place, (name, plot, scale) in enumerate(zip(names, plots, scales, strict=True))
    ]
    words = f"{name_of(kept)} over {system.over}: measured (marks) and what the equations say (line"
    words += f"{', band' if recipe.band else ''}), each with a scale of its own."
    across = 1 if len(plots) <= STACKED else 2

    def tables() -> dict[str, str]:
        files = {}
        for number, (name, plot, (scale, _)) in enumerate(zip(names, plots, scales, strict=True), 1):
            if name in system.measured:
                time, y, _ = system.rows_of(name)
                files[f"-{number}-rows.csv"] = as_csv(
                    (system.over, name, "residual"), (time, y, system.result.residuals[name])
                )
            drawn = plot.layers[0].drawn
            if drawn is not None:
                files[f"-{number}-curve.csv"] = line_table(drawn, scale)
        return files

    return StudyFigure(
        recipe,
        style,
        (system.result, labels_of(system.series), kept),
        words,
        lambda figure: draw_small_plots(figure, small, recipe, style, across),
        tables,
        FIELDS - {"common"},
    )


def _plot(system: DerivedSystem, name: str, style: NumberStyle) -> Plot:
    marks = None
    if name in system.measured:
        time, y, _ = system.rows_of(name)
        marks = Marks(name, time, y)
    curve, level = system.result.curves[name], system.result.level
    drawn = Drawn(name, curve, curve.span, lambda at: curve.band(at, level))
    return Plot((Layer(marks, drawn),), _title(system, system.over, style), _title(system, name, style))


def _title(system: DerivedSystem, name: str, style: NumberStyle) -> str:
    unit = style.unit(system.unit_of(name))
    return f"{name} ({unit})" if unit else name
