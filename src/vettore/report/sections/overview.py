"""The series of a study, and a figure of each that no fit shows."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np

from vettore.core.errors import name_rows
from vettore.core.rounding import NumberStyle
from vettore.look.theme import PAPER
from vettore.report.blocks import Block, Figure, Number, Table
from vettore.report.figures import MOST_VECTOR_POINTS, Kind, Sheet, drawn, dress_axes, fit_titles
from vettore.report.sections.entry import Entry, Subject
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Role, Series

# Two stand side by side on a page.
WIDTH_MM, HEIGHT_MM = 80.0, 56.0
TYPE_SIZE = 7.5


def _blocks(subject: Subject) -> tuple[Block, ...]:
    rows = []
    for series in subject.series:
        used = int(series.in_use.sum())
        cells = (series.name, Number(str(used), used), series.label(Role.X) or "—", series.label(Role.Y) or "—")
        rows.append((*cells, series.table.full_source.name or "typed in"))
    if not rows:
        return ()
    table = Table(("Series", "Rows in use", "x", "y", "From"), tuple(rows), words=(0, 2, 3, 4))
    fitted = {curve.series for curve in subject.study.curves}
    fitted |= {recipe.series for recipe in subject.study.all(SurfaceRecipe)}
    bare = [series for series in subject.series if series.id not in fitted and series.in_use.any()]
    return (table, *(_figure(series, subject.style) for series in bare))


def _figure(series: Series, style: NumberStyle) -> Figure:
    words = f"{series.name}, as measured."
    if series.set_aside:
        aside = [entry.row + 1 for entry in series.set_aside]
        words += f" Open discs are set aside: {name_rows(aside, most=12)}."
    return Figure(partial(series_figure, series, style), words, WIDTH_MM)


def series_figure(series: Series, style: NumberStyle, kind: Kind = "svg", letters: bool = False) -> bytes:
    """Return a figure of the rows of a series."""

    def draw(figure: Any) -> None:
        axes = figure.subplots()
        x, y = series.values(Role.X), series.values(Role.Y)
        if x is None:
            x = np.arange(1.0, series.rows + 1)
        assert y is not None
        used, aside = series.in_use, series.measured & ~series.kept
        many = int(used.sum()) > MOST_VECTOR_POINTS
        edges = {"edgecolors": PAPER.plot_ground, "linewidths": 0 if many else 0.5}
        axes.scatter(x[used], y[used], s=3 if many else 12, color=PAPER.data, rasterized=many, **edges)
        axes.scatter(x[aside], y[aside], s=12, facecolors="none", edgecolors=PAPER.muted, linewidths=0.9)
        sigma = series.sigma
        if sigma is not None and not many:
            axes.errorbar(x[used], y[used], sigma[used], fmt="none", ecolor=PAPER.muted, elinewidth=0.7, zorder=0)
        axes.set_xlabel(series.label(Role.X) or "row")
        axes.set_ylabel(series.label(Role.Y))
        dress_axes(axes, style)
        fit_titles(figure, (axes.xaxis, axes.yaxis))

    return drawn(draw, Sheet(WIDTH_MM, HEIGHT_MM, TYPE_SIZE, letters=letters), kind)


OVERVIEW = Entry("series", "Series", of_study=_blocks, whole=False, overview=True)
