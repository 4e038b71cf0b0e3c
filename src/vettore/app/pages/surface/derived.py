"""What is worked out for the Surface page, in the background. Knows no widget."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from vettore.app.search import Search
from vettore.core.arrays import Array
from vettore.core.errors import VettoreError
from vettore.core.surface.contours import Contour
from vettore.core.surface.edges import inside_of, outline_of, spread_out
from vettore.core.surface.models import SURFACE_MODELS
from vettore.core.surface.summits import Summit
from vettore.core.surface.surface import Method, Section, Surface
from vettore.core.surface.volumes import Covered
from vettore.study.fitting.fits import fit_series
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Series
from vettore.study.surfaces import Sites, derive_fitted, derive_surface, model_fit, sites_of

# About so many contours suit a map.
CONTOURS = 9
# Corners of all contours of a map.
MOST_CORNERS = 150_000
# Sites nearer to a section than this share of the spacing stand beside its profile.
NEAR = 0.75


@dataclass(frozen=True, eq=False)
class SurfaceRequest:
    """A series and how its sites are to be filled between."""

    series: Series
    recipe: SurfaceRecipe
    search: Search
    fit: FormulaFit | None = None

    def answer(self) -> Answer:
        """Work it out. Raises VettoreError."""
        if self.fit is not None:
            surface = derive_fitted(self.series, self.recipe, self.fit)
        else:
            surface = derive_surface(self.series, self.recipe, check=self.search.check)
        sites = sites_of(self.series, self.recipe)
        grid = surface.grid
        across, along = np.meshgrid(grid.x, grid.y)
        self.search.check()
        answer = Answer(
            self.series,
            self.recipe,
            self.fit,
            surface,
            sites,
            spread_out(grid.z),
            surface(surface.x, surface.y),
            inside_of(surface, across, along),
            outline_of(surface),
            _contours(surface, self.recipe),
            surface.summits(),
            surface.covered(self.recipe.level),
            _window(surface, self.recipe),
        )
        self.search.check()
        # Known from here on, so that showing it costs the window nothing.
        _ = surface.left_out_error, grid.guess
        return answer


@dataclass(frozen=True, eq=False)
class Answer:
    """The surface of a series and all that is told of it.

    ``at_sites`` is the surface at its sites (n,), ``window`` what the outline holds, or why it holds nothing.
    """

    series: Series
    recipe: SurfaceRecipe
    fit: FormulaFit | None
    surface: Surface
    sites: Sites
    heights: Array
    at_sites: Array
    inside: Array
    outline: Array
    contours: tuple[Contour, ...]
    summits: tuple[Summit, ...]
    covered: Covered
    window: Covered | str | None


def _contours(surface: Surface, recipe: SurfaceRecipe) -> tuple[Contour, ...]:
    z = surface.grid.z[np.isfinite(surface.grid.z)]
    if not len(z):
        return ()
    low, high = float(z.min()), float(z.max())
    step = recipe.step or even_step(high - low)
    # A step that is far too fine would paint the map over.
    if (high - low) / step > 30 * CONTOURS:
        step *= np.ceil((high - low) / step / (10 * CONTOURS))
    levels = step * np.arange(np.ceil(low / step), np.floor(high / step) + 1) if high > low else np.empty(0)
    special = {level for level in (recipe.level, recipe.parted_at) if level is not None}
    contours = surface.contours(np.unique([*levels, *special]))
    # Of lines that would cover the map, every other one is as good.
    while (
        len(contours) > len(special) + 2
        and sum(len(line) for contour in contours for line in contour.lines) > MOST_CORNERS
    ):
        kept = special | {item.level for item in [each for each in contours if each.level not in special][::2]}
        contours = tuple(entry for entry in contours if entry.level in kept)
    return contours


def even_step(span: float) -> float:
    """Return the 1, 2 or 5 of a power of ten that parts a span in about as many steps as a map has contours."""
    if not span > 0:
        return 1.0
    rough = span / CONTOURS
    power = 10.0 ** np.floor(np.log10(rough))
    return float(power * min((1, 2, 5, 10), key=lambda step: abs(np.log(step * power / rough))))


def _window(surface: Surface, recipe: SurfaceRecipe) -> Covered | str | None:
    if not recipe.outline:
        return None
    try:
        return surface.covered(recipe.level, list(recipe.outline))
    except VettoreError as error:
        return str(error)


@dataclass(frozen=True, eq=False)
class Cut:
    """A section and the sites beside it: their distance along it and their height."""

    section: Section
    near: tuple[Array, Array]


def cut(
    surface: Surface, ends: tuple[tuple[float, float], tuple[float, float]], as_length: bool = True
) -> Cut | None:
    """Return the surface along a line, None when it has no length; the way along it as a length, or as a share."""
    (x0, y0), (x1, y1) = ends
    if (x0, y0) == (x1, y1):
        return None
    section = surface.section(*ends)
    sites = surface.sites
    if not as_length:
        # Metres and hours make no length: shares of the way from A to B.
        section = replace(section, along=section.along / section.along[-1])
    start = np.array([float(sites.across.scaled(np.array(x0))), float(sites.along.scaled(np.array(y0)))])
    end = np.array([float(sites.across.scaled(np.array(x1))), float(sites.along.scaled(np.array(y1)))])
    line = end - start
    share = (sites.places - start) @ line / (line @ line)
    away = np.hypot(*(sites.places - start - share[:, None] * line).T)
    near = (share >= 0) & (share <= 1) & (away < NEAR * sites.spacing)
    return Cut(section, (share[near] * float(section.along[-1]), sites.z[near]))


def left_out_errors(request: SurfaceRequest, method: Method) -> tuple[Method, float]:
    """Return how well a method tells sites that are left out."""
    return method, derive_surface(request.series, request.recipe, method, request.search.check).left_out_error


def try_models(request: SurfaceRequest) -> dict[str, float]:
    """Return the left-out error of each surface model that can be fitted to the sites, by its key."""
    series, sites = request.series, sites_of(request.series, request.recipe)
    errors = {}
    for model in SURFACE_MODELS:
        request.search.check()
        fit = model_fit(series, sites, model)
        try:
            result = fit_series(series, fit).result
        except VettoreError:
            # Too few rows for this one.
            continue
        if result.converged and result.left_one_out_error is not None:
            errors[model.key] = float(result.left_one_out_error)
    return errors
