"""How a state of the Surface page is shown: a pure function from study, state and what is worked out to a View."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from vettore.app.pages.surface.derived import Answer, Cut
from vettore.app.pages.surface.state import SurfaceState, Tool
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.core.surface.models import SURFACE_MODELS
from vettore.core.surface.summits import Shape, Summit
from vettore.core.surface.surface import METHODS, Method
from vettore.core.surface.volumes import Covered
from vettore.study.columns import ColumnSettings
from vettore.study.kinds.surface import SurfaceRecipe
from vettore.study.series import Role, Series
from vettore.study.study import Study
from vettore.study.surfaces import (
    columns_of,
    fits_of,
    length_unit,
    matrix_of,
    surface_of,
)
from vettore.words.lines import Line
from vettore.words.surfaces import (
    METHOD_WORDS,
    Look,
    covered_lines,
    looks_of,
    method_words,
    number_with,
    sentence_of,
    summit_height,
    summit_place,
    told_of,
    value_words,
    variogram_words,
)

NO_SERIES = "A surface needs sites with x, y and z. Bring in data first."
MOST_SUMMITS = 8
# An error below this share of the heights is none.
ROUNDING = 1e-12
ALIKE, SPANS = "as measured", "by their spans"


@dataclass(frozen=True)
class MethodChoice:
    """A way to fill between sites, with how well it tells left-out sites (empty while that is worked out)."""

    key: Method
    words: str
    tip: str
    error: str
    chosen: bool
    # Whether its left-out error is the smallest.
    best: bool


@dataclass(frozen=True)
class FitChoice:
    """A fitted surface: one of the study (``kept``, by its id), or a model that was tried (by its key)."""

    key: str
    words: str
    error: str
    chosen: bool
    kept: bool


@dataclass(frozen=True)
class Reading:
    """What is said of the place that is read."""

    words: str
    more: str
    can_keep: bool


@dataclass(frozen=True, eq=False)
class SurfaceView:
    """The page as it is to be drawn. While an answer is ``awaited`` what was shown stays."""

    invites: str
    series: Series | None
    recipe: SurfaceRecipe | None
    columns: tuple[str, ...]
    chosen: tuple[str, str, str]
    offers_matrix: bool
    methods: tuple[MethodChoice, ...]
    error_words: str
    fits: tuple[FitChoice, ...]
    tool: Tool
    titles: tuple[str, str, str]
    awaited: bool
    refusal: str
    answer: Answer | None
    ends: tuple[tuple[float, float], tuple[float, float]] | None
    cut: Cut | None
    along: str
    # Pennants: x, y, words, whether kept.
    flags: tuple[tuple[float, float, str, bool], ...]
    reading: Reading
    sentence: str
    summits: tuple[tuple[Summit, str, str], ...]
    looks: tuple[Look, ...]
    pairs: tuple[Line, ...]
    window: tuple[Line, ...]
    window_refusal: str
    kept: tuple[tuple[str, str], ...]
    status: tuple[str, ...]


@dataclass(frozen=True, eq=False)
class AnswerWords:
    """What is said of a surface, whatever is drawn or read on it."""

    sentence: str = ""
    summits: tuple[tuple[Summit, str, str], ...] = ()
    looks: tuple[Look, ...] = ()
    pairs: tuple[Line, ...] = ()
    window: tuple[Line, ...] = ()
    window_refusal: str = ""
    kept: tuple[tuple[str, str], ...] = ()
    status: tuple[str, ...] = ()


@lru_cache(maxsize=1)
def _answer_in_words(answer: Answer | None, style: NumberStyle) -> AnswerWords:
    """Return what is said of an answer; kept, since hands on the map ask for it at every move."""
    if answer is None:
        return AnswerWords()
    surface, sites = answer.surface, answer.sites
    columns, rows = answer.recipe.shape
    window = answer.window
    return AnswerWords(
        sentence_of(surface, sites, answer.summits, style),
        _summits(answer, style),
        tuple(looks_of(surface, sites, answer.summits, style)),
        _numbers(answer, style),
        covered_lines(window, sites, answer.recipe, style) if isinstance(window, Covered) else (),
        window if isinstance(window, str) else "",
        _kept(answer, style),
        (
            counted(len(surface.sites), "site"),
            method_words(answer.recipe.method, answer.fit).lower(),
            f"grid of {columns} × {rows}",
            "nothing beyond the sites",
        ),
    )


def present(
    study: Study,
    state: SurfaceState,
    answer: Answer | None,
    refusal: str,
    errors: Mapping[Method, float],
    cut: Cut | None,
    style: NumberStyle,
    tried: Mapping[str, float] | None = None,
) -> SurfaceView:
    """Return how a state is shown; ``errors`` are the left-out errors known by now, ``tried`` those of surface models."""
    series = next((series for series in study.series if series.id == state.series), None)
    recipe = None if series is None else surface_of(study, series.id)
    names = () if series is None else tuple(series.numbers())
    columns = _columns(series, recipe)
    titles = tuple(f"{column.name} ({column.unit})" if column.unit else column.name for column in columns)
    facts = _answer_in_words(answer, style)
    return SurfaceView(
        invites=NO_SERIES if series is None else "",
        series=series,
        recipe=recipe,
        columns=names,
        chosen=_chosen(series, recipe, columns),
        offers_matrix=series is not None and matrix_of(series.table) is not None,
        methods=_methods(recipe, errors, answer, style),
        error_words=f"left-out error ({columns[2].unit})" if columns and columns[2].unit else "left-out error",
        fits=_fits(study, series, recipe, tried, answer, style),
        tool=state.tool,
        titles=(titles[0], titles[1], titles[2]) if titles else ("", "", ""),
        awaited=answer is None and not refusal and series is not None,
        refusal=refusal,
        answer=answer,
        ends=None if recipe is None else state.drawn or recipe.section,
        cut=cut,
        along=_along(answer),
        flags=_flags(state, answer, style),
        reading=_reading(state, answer, style),
        sentence=facts.sentence,
        summits=facts.summits,
        looks=facts.looks,
        pairs=facts.pairs,
        window=facts.window,
        window_refusal=facts.window_refusal,
        kept=facts.kept,
        status=facts.status,
    )


def _columns(series: Series | None, recipe: SurfaceRecipe | None) -> tuple[ColumnSettings, ...]:
    """Return the columns x, y, z; none where a surface has none."""
    if series is None or recipe is None:
        return ()
    try:
        return tuple(series.columns[place] for place in columns_of(series, recipe))
    except ValueError:
        return ()


def _chosen(
    series: Series | None, recipe: SurfaceRecipe | None, columns: tuple[ColumnSettings, ...]
) -> tuple[str, str, str]:
    """Return the names of the columns, or what of them is known."""
    if columns:
        return (columns[0].name, columns[1].name, columns[2].name)
    if series is None or recipe is None:
        return ("", "", "")
    usual = [column.name if (column := series.column(role)) is not None else "" for role in (Role.X, Role.Y)]
    return (recipe.x or usual[0], recipe.y or usual[1], recipe.z)


def _methods(
    recipe: SurfaceRecipe | None, errors: Mapping[Method, float], answer: Answer | None, style: NumberStyle
) -> tuple[MethodChoice, ...]:
    if recipe is None:
        return ()
    known = {method: error for method, error in errors.items() if np.isfinite(error)}
    tiny = ROUNDING * (float(np.abs(answer.surface.z).max()) if answer is not None else 0.0)
    best = min(known, key=lambda method: known[method]) if len(known) == len(METHODS) else None
    return tuple(
        MethodChoice(
            method,
            words,
            tip,
            style.number(known[method] if known[method] > tiny else 0.0, 2) if method in known else "",
            method == recipe.method and (answer is None or answer.fit is None),
            method == best,
        )
        for method, (words, tip) in METHOD_WORDS.items()
    )


def _fits(
    study: Study,
    series: Series | None,
    recipe: SurfaceRecipe | None,
    tried: Mapping[str, float] | None,
    answer: Answer | None,
    style: NumberStyle,
) -> tuple[FitChoice, ...]:
    if series is None or recipe is None:
        return ()
    try:
        kept = fits_of(study, series, recipe)
    except ValueError:
        return ()
    choices = []
    for fit in kept:
        shown = answer is not None and answer.fit is not None and answer.fit.id == fit.id
        error = style.number(answer.surface.left_out_error, 2) if shown and answer is not None else ""
        choices.append(FitChoice(fit.id, fit.name, error, recipe.fit == fit.id, True))
    names = {fit.name for fit in kept}
    by_error = sorted((tried or {}).items(), key=lambda item: item[1])
    models = {model.key: model.name for model in SURFACE_MODELS}
    choices += [
        FitChoice(key, models[key], style.number(error, 2), False, False)
        for key, error in by_error
        if models[key] not in names
    ]
    return tuple(choices)


def _along(answer: Answer | None) -> str:
    if answer is None:
        return ""
    unit = length_unit(answer.sites)
    return f"along A → B ({unit})" if unit else "share of the way A → B"


def _flags(
    state: SurfaceState, answer: Answer | None, style: NumberStyle
) -> tuple[tuple[float, float, str, bool], ...]:
    if answer is None:
        return ()
    places = [(place, True) for place in answer.recipe.read_at]
    if state.place is not None and state.place not in answer.recipe.read_at:
        places.append((state.place, False))
    flags = []
    for (x, y), kept in places:
        z = float(answer.surface(x, y))
        flags.append((x, y, style.number(z, 3) if np.isfinite(z) else "outside", kept))
    return tuple(flags)


def _reading(state: SurfaceState, answer: Answer | None, style: NumberStyle) -> Reading:
    if state.place is None or answer is None:
        return Reading("", "Click on the map to read it", False)
    x, y = state.place
    distance, site = answer.surface.nearest(x, y)
    unit, place = length_unit(answer.sites), int(site)
    far = f"nearest site {number_with(style, float(distance), 2, unit)} away: " if unit else "nearest site: "
    more = f"{far}{style.short(float(answer.surface.z[place]), 5)}"
    if bool(answer.surface.inside(x, y)) and bool(answer.surface.guess(x, y)):
        more += " · a guess: no site near"
    name = answer.sites.columns[2].name
    return Reading(
        f"{name} {value_words(answer.surface, answer.sites, x, y, style)}", more, (x, y) not in answer.recipe.read_at
    )


def _summits(answer: Answer, style: NumberStyle) -> tuple[tuple[Summit, str, str], ...]:
    known = told_of(answer.summits)
    summits = [summit for summit in known if summit.shape is not Shape.SADDLE][:MOST_SUMMITS]
    saddles = [summit for summit in known if summit.shape is Shape.SADDLE][: MOST_SUMMITS - len(summits)]
    return tuple(
        (summit, summit_place(summit, answer.sites, style), summit_height(summit, answer.sites, style))
        for summit in (*summits, *saddles)
    )


def _numbers(answer: Answer, style: NumberStyle) -> tuple[Line, ...]:
    surface, sites = answer.surface, answer.sites
    lines = [Line("sites in use", str(len(surface.sites)))]
    lines += covered_lines(answer.covered, sites, answer.recipe, style)
    if surface.noise is not None:
        lines.append(Line("scatter of one reading", number_with(style, surface.noise, 2, sites.units[2])))
    if surface.variogram is not None:
        lines.append(Line("variogram", variogram_words(surface.variogram, surface, sites, style)))
    return tuple(lines)


def _kept(answer: Answer, style: NumberStyle) -> tuple[tuple[str, str], ...]:
    unit = length_unit(answer.sites)
    return tuple(
        (
            f"{style.short(x, 6)}, {style.short(y, 6)} {unit}".rstrip(),
            value_words(answer.surface, answer.sites, x, y, style),
        )
        for x, y in answer.recipe.read_at
    )
