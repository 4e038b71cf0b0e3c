"""What is said of a surface: methods, sentence, summits, what deserves a look; for window, report and command line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.core.surface.summits import Shape, Summit
from vettore.core.surface.surface import Method, Surface
from vettore.core.surface.variogram import Variogram
from vettore.core.surface.volumes import Covered
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.surfaces import Sites, area_unit, length_unit, volume_unit
from vettore.words.lines import Line

# The words of each method, and what it does.
METHOD_WORDS: dict[Method, tuple[str, str]] = {
    "nearest": ("Nearest site", "Every place has the value of the site nearest to it"),
    "linear": ("Planes", "A plane over each triangle of neighbouring sites"),
    "natural": ("Natural neighbour", "Sites count by the area a new one would take from them"),
    "cubic": ("Cubic triangles", "Smooth cubic pieces over triangles, through every site"),
    "thin_plate": ("Thin plate", "The surface through every site that bends least"),
    "smoothing": ("Smoothed plate", "A thin plate near noisy sites, as smooth as left-out sites ask for; with its ±"),
    "kriging": ("Kriging", "The best estimate by how alike sites are by distance; with its ±"),
}
VARIOGRAM_WORDS = {"spherical": "spherical", "exponential": "exponential", "gaussian": "Gaussian"}
SHAPE_WORDS = {Shape.HILL: "hill", Shape.HOLLOW: "hollow", Shape.SADDLE: "saddle"}
# Sites that stand on a hill by itself.
ALONE, MOST_ALONE = 1, 3
# A share of the covered area that is a guess and worth a word.
WORTH_A_WORD = 0.02
# An error below this share of the heights is none.
ROUNDING = 1e-12


@dataclass(frozen=True)
class Look:
    """Something that deserves a look: what, and more about it; ``rows`` are those of the series it is about."""

    what: str
    more: str
    rows: tuple[int, ...] = ()


def method_words(method: Method, fit: FormulaFit | None) -> str:
    """Return how a surface came about: the way between sites, or the fit."""
    return METHOD_WORDS[method][0] if fit is None else f"Fit: {fit.name}"


def number_with(style: NumberStyle, value: float, digits: int, unit: str) -> str:
    """Return a number with its unit."""
    return f"{style.number(value, digits)} {style.unit(unit)}".rstrip()


def value_words(surface: Surface, sites: Sites, x: float, y: float, style: NumberStyle) -> str:
    """Return z at a place, with its ± where it is known."""
    z, error = float(surface(x, y)), float(surface.standard_error(x, y))
    if np.isnan(z):
        return "outside the sites"
    unit = sites.units[2]
    return style.pair(z, error, unit) if np.isfinite(error) else number_with(style, z, 4, unit)


def covered_lines(covered: Covered, sites: Sites, recipe: SurfaceRecipe, style: NumberStyle) -> tuple[Line, ...]:
    """Return mean, area and volume, and what lies above and below the level that is asked for."""
    of_area, of_volume = area_unit(sites), volume_unit(sites)
    lines = [
        ("mean", covered.mean, sites.units[2]),
        ("area", covered.area, of_area),
        ("volume under the surface", covered.volume, of_volume),
    ]
    if recipe.level is not None:
        level = style.short(recipe.level, 6)
        lines += [
            (f"area above {level}", covered.area_above, of_area),
            (f"volume above {level}", covered.above, of_volume),
            (f"volume below {level}", -covered.below, of_volume),
        ]
    return tuple(Line(label, number_with(style, value, 4, unit)) for label, value, unit in lines)


def told_of(summits: tuple[Summit, ...]) -> tuple[Summit, ...]:
    """Return the summits that more than one site tells of."""
    return tuple(summit for summit in summits if summit.shape is Shape.SADDLE or summit.sites > ALONE)


def sentence_of(surface: Surface, sites: Sites, summits: tuple[Summit, ...], style: NumberStyle) -> str:
    """Return what the sites show, in two sentences."""
    counts = [sum(summit.shape is shape for summit in told_of(summits)) for shape in (Shape.HILL, Shape.HOLLOW)]
    texts = [
        counted(count, word) if count > 1 else f"one {word}"
        for count, word in zip(counts, ("hill", "hollow"), strict=True)
        if count
    ]
    first = " and ".join(texts) if texts else "no hill or hollow stands out"
    error = surface.left_out_error
    if error <= ROUNDING * float(np.abs(surface.z).max(initial=0)):
        error = 0.0
    unit = sites.columns[2].unit
    if np.isnan(error):
        return f"{first.capitalize()}. There are too few sites to leave one out."
    return (
        f"{first.capitalize()}. Sites that are left out are missed by {number_with(style, error, 2, unit)} "
        "(root mean square); nothing is drawn outside the sites."
    )


def summit_place(summit: Summit, sites: Sites, style: NumberStyle) -> str:
    """Return where a summit is."""
    x, y = (f"{style.short(value, 3)}" for value in (summit.x, summit.y))
    unit = length_unit(sites)
    return f"{x}, {y} {unit}".rstrip()


def summit_height(summit: Summit, sites: Sites, style: NumberStyle) -> str:
    """Return how high a summit is, with its ± where it is known."""
    unit = sites.columns[2].unit
    if np.isfinite(summit.standard_error):
        return style.pair(summit.z, summit.standard_error, unit)
    return number_with(style, summit.z, 3, unit)


def looks_of(surface: Surface, sites: Sites, summits: tuple[Summit, ...], style: NumberStyle) -> list[Look]:
    """Return what deserves a look: gaps, sites measured more than once or without numbers, hills of a single site."""
    looks = [*_gaps(surface, sites, style)]
    many = np.flatnonzero(surface.sites.count > 1)
    if len(many):
        rows = sites.rows[np.flatnonzero(np.isin(surface.sites.site_of_row, many))]
        words = (
            "One site was measured more than once"
            if len(many) == 1
            else f"{len(many)} sites were measured more than once"
        )
        looks.append(Look(words, "their means are used", tuple(rows.tolist())))
    blank = sites.rows[np.flatnonzero(surface.sites.site_of_row < 0)]
    if len(blank):
        looks.append(
            Look(f"{counted(len(blank), 'row')} without a number", "left out of the surface", tuple(blank.tolist()))
        )
    return [*looks, *_alone(surface, sites, summits, style)]


def _alone(surface: Surface, sites: Sites, summits: tuple[Summit, ...], style: NumberStyle) -> list[Look]:
    """Return a word on sites that make a hill or hollow by themselves; on many of them one word."""
    answer = told_of(summits)
    alone = [summit for summit in summits if summit not in answer]
    rows = []
    for summit in alone:
        _, site = surface.nearest(summit.x, summit.y)
        rows.append(int(sites.rows[int(surface.sites.rows[int(site)])]))
    if len(alone) > MOST_ALONE:
        advice = "noise, it seems: a smoothed plate or kriging does not run through each site"
        return [Look(f"{len(alone)} sites make a hill or hollow by themselves", advice, tuple(rows))]
    return [
        Look(
            f"One site makes a {SHAPE_WORDS[summit.shape]} by itself",
            f"at {summit_place(summit, sites, style)}: row {row + 1}",
            (row,),
        )
        for summit, row in zip(alone, rows, strict=True)
    ]


def _gaps(surface: Surface, sites: Sites, style: NumberStyle) -> list[Look]:
    grid = surface.grid
    covered = np.isfinite(grid.z)
    guessed = grid.guess & covered
    share = float(guessed.sum()) / max(int(covered.sum()), 1)
    if share < WORTH_A_WORD:
        return []
    across, along = np.meshgrid(grid.x, grid.y)
    distance, _ = surface.nearest(across[guessed], along[guessed])
    worst = int(np.argmax(distance))
    x, y = (style.short(float(values[guessed][worst]), 3) for values in (across, along))
    unit = length_unit(sites)
    far = f"no site for {style.short(float(distance[worst]), 2)} {unit}".rstrip() if unit else "far from every site"
    return [
        Look(
            f"{100 * share:.0f} % of the area is a guess",
            f"farthest at {x}, {y}: {far} (hatched on the map)",
        )
    ]


def variogram_words(variogram: Variogram, surface: Surface, sites: Sites, style: NumberStyle) -> str:
    """Return the variogram in one line."""
    unit, across = length_unit(sites), surface.sites.across.unit
    texts = [
        VARIOGRAM_WORDS[variogram.shape],
        f"nugget {style.short(variogram.nugget, 2)}",
        f"sill {style.short(variogram.sill, 3)}",
    ]
    # On one scale for both axes a range is a length.
    if unit and across == surface.sites.along.unit:
        texts.append(f"range {style.short(variogram.range * across, 3)} {unit}")
    return ", ".join(texts)
