"""The surfaces of a study: map and relief, what the sites show, hills and hollows, numbers."""

from __future__ import annotations

import numpy as np

from vettore.core.errors import VettoreError
from vettore.core.surface.surface import Surface
from vettore.report.blocks import Block, Drawing, Heading, Pairs, Paragraph, Table
from vettore.report.sections.entry import Entry, Subject
from vettore.report.surface_figure import surface_figure
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Series
from vettore.study.surfaces import Sites, area_unit, derive_fitted, derive_surface, fit_of, sites_of, volume_unit
from vettore.words.lines import Line
from vettore.words.surfaces import (
    SHAPE_WORDS,
    looks_of,
    method_words,
    number_with,
    sentence_of,
    summit_height,
    summit_place,
    told_of,
    variogram_words,
)


def _blocks(subject: Subject) -> tuple[Block, ...]:
    blocks: list[Block] = []
    for recipe in subject.study.all(SurfaceRecipe):
        series = subject.study.find_series(recipe.series)
        blocks.append(Heading(series.name))
        try:
            blocks += _surface(subject, series, recipe)
        except VettoreError as error:
            blocks.append(Paragraph(str(error)))
    return tuple(blocks)


def _surface(subject: Subject, series: Series, recipe: SurfaceRecipe) -> list[Block]:
    fit = fit_of(subject.study, series, recipe)
    surface = derive_surface(series, recipe) if fit is None else derive_fitted(series, recipe, fit)
    sites, style = sites_of(series, recipe), subject.style
    summits = surface.summits()
    caption = (
        f"{method_words(recipe.method, fit)} over {len(surface.sites)} sites, on a grid of {recipe.shape[0]} × "
        f"{recipe.shape[1]}; sites in the colour of their own height."
    )
    blocks: list[Block] = [
        Paragraph(sentence_of(surface, sites, summits, style)),
        Drawing(lambda kind: surface_figure(surface, recipe, sites, style, kind), caption),
    ]
    told = told_of(summits)
    if told:
        rows = tuple(
            (SHAPE_WORDS[summit.shape], summit_place(summit, sites, style), summit_height(summit, sites, style))
            for summit in told
        )
        blocks.append(Table(("", "at", sites.columns[2].name), rows, words=(0,)))
    looks = tuple(Line(look.what, look.more) for look in looks_of(surface, sites, summits, style))
    lines = (*_numbers(surface, recipe, sites, subject), *looks)
    return [*blocks, Pairs(lines)]


def _numbers(surface: Surface, recipe: SurfaceRecipe, sites: Sites, subject: Subject) -> list[Line]:
    style, unit = subject.style, sites.units[2]
    whole = surface.covered(recipe.level)
    lines = [
        Line("mean", number_with(style, whole.mean, 4, unit)),
        Line("area", number_with(style, whole.area, 4, area_unit(sites))),
        Line("volume under the surface", number_with(style, whole.volume, 4, volume_unit(sites))),
    ]
    if recipe.level is not None:
        level = style.short(recipe.level, 6)
        lines += [
            Line(f"area above {level}", number_with(style, whole.area_above, 4, area_unit(sites))),
            Line(f"volume above {level}", number_with(style, whole.above, 4, volume_unit(sites))),
        ]
    if surface.variogram is not None:
        lines.append(Line("variogram", variogram_words(surface.variogram, surface, sites, style)))
    for x, y in recipe.read_at:
        z, error = float(surface(x, y)), float(surface.standard_error(x, y))
        told = style.pair(z, error, unit) if np.isfinite(error) else number_with(style, z, 4, unit)
        lines.append(
            Line(f"at {style.short(x, 6)}, {style.short(y, 6)}", told if np.isfinite(z) else "outside the sites")
        )
    return lines


SURFACES = Entry("surfaces", "Surfaces", _blocks, whole=False)
