"""The surfaces of a study: map and relief, what the sites show, hills and hollows, numbers."""

from __future__ import annotations

from vettore.core.errors import VettoreError
from vettore.core.surface.surface import Surface
from vettore.report.blocks import Block, Heading, Pairs, Paragraph, Table
from vettore.report.sections.entry import Entry, Subject
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Series
from vettore.study.surfaces import Sites, derive_fitted, derive_surface, fit_of, sites_of
from vettore.words.lines import Line
from vettore.words.surfaces import (
    SHAPE_WORDS,
    covered_lines,
    looks_of,
    sentence_of,
    summit_height,
    summit_place,
    told_of,
    value_words,
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
    blocks: list[Block] = [
        Paragraph(sentence_of(surface, sites, summits, style)),
        subject.figure(recipe.id),
    ]
    answer = told_of(summits)
    if answer:
        rows = tuple(
            (SHAPE_WORDS[summit.shape], summit_place(summit, sites, style), summit_height(summit, sites, style))
            for summit in answer
        )
        blocks.append(Table(("", "at", sites.columns[2].name), rows, words=(0,)))
    looks = tuple(Line(look.what, look.more) for look in looks_of(surface, sites, summits, style))
    lines = (*_numbers(surface, recipe, sites, subject), *looks)
    return [*blocks, Pairs(lines)]


def _numbers(surface: Surface, recipe: SurfaceRecipe, sites: Sites, subject: Subject) -> list[Line]:
    style = subject.style
    lines = [*covered_lines(surface.covered(recipe.level), sites, recipe, style)]
    if surface.variogram is not None:
        lines.append(Line("variogram", variogram_words(surface.variogram, surface, sites, style)))
    for x, y in recipe.read_at:
        lines.append(Line(f"at {style.short(x, 6)}, {style.short(y, 6)}", value_words(surface, sites, x, y, style)))
    return lines


SURFACES = Entry("surfaces", "Surfaces", of_study=_blocks, whole=False)
