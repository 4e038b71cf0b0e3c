"""The line-up: which models may suit a series, their fits on the same rows, and the order in which they are shown."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import TypeAlias

import numpy as np

from vettore.core.errors import VettoreError
from vettore.core.fitting.after.compare import EQUALLY_GOOD, akaike_weights
from vettore.core.fitting.result import FitResult
from vettore.core.models.catalogue import CATALOGUE
from vettore.core.models.model import Model
from vettore.study.edits import with_model
from vettore.study.fitting.fits import DerivedFit, fit_series
from vettore.study.fitting.peaks_tried import PEAKS, recipe_of, stand_out
from vettore.study.kinds.fits import AnyFit, as_polynomial, bare
from vettore.study.kinds.polynomial_fit import degree_name
from vettore.study.series import Role, Series

HIGHEST_DEGREE = 10
# The catalogue's polynomials are in the line-up by their degree.
BY_DEGREE = frozenset({"constant", "straight-line", "quadratic", "cubic", "quartic", "quintic", "proportional"})
# Models fitted before the next results are shown.
AT_ONCE = 6
# Sums of squares this near, with as many coefficients, are those of one curve.
TWINS = 1e-7
# Places between the points at which a curve is looked at, and how far it may leave their range, in heights of it.
LOOKED_AT, LEAVES = 1000, 0.7

# A polynomial by its degree, a model of the catalogue by its key, one of the user's own by OWN and its key.
Key: TypeAlias = int | str
OWN = "own:"


@dataclass(frozen=True, eq=False)
class Entry:
    """A model of the line-up: its fit, or why there is none."""

    key: Key
    name: str
    fit: DerivedFit | None = None
    refusal: str = ""


@dataclass(frozen=True, eq=False)
class Ranked:
    """An entry with its share of the evidence; ``equal`` says that it is as good as the best."""

    entry: Entry
    weight: float
    equal: bool


def degrees(recipe: AnyFit) -> tuple[int, ...]:
    """Return the degrees of the polynomials in the line-up."""
    return tuple(range(0 if recipe.intercept else 1, HIGHEST_DEGREE + 1))


def plausible(series: Series) -> tuple[str, ...]:
    """Return the models of the catalogue that the x of a series and its number of rows allow."""
    x, y = series.values(Role.X), series.values(Role.Y)
    if x is None or y is None:
        return ()
    used = x[series.in_use]
    if not len(used) or np.ptp(used) <= 0:
        return ()
    different = len(np.unique(used))
    return tuple(
        key
        for key, model in CATALOGUE.items()
        if key not in BY_DEGREE and model.suits(used) and different > len(model.coefficients) + 1
    )


def try_models(
    series: Series,
    recipe: AnyFit,
    keys: Iterable[Key],
    stopped: Callable[[], bool] = lambda: False,
    own: Mapping[str, Model] = MappingProxyType({}),
    thorough: bool = False,
) -> tuple[Entry, ...]:
    """Fit models to a series by least squares with the weights and the span of a recipe; ``own`` are further models.

    Not ``thorough``, a series of many rows is tried on some of them, see fit_series.
    """
    out = []
    for key in keys:
        if stopped():
            break
        model = None if isinstance(key, int) else own.get(key) or CATALOGUE.get(key)
        name = degree_name(key) if isinstance(key, int) else model.name if model else ""
        try:
            chosen = _chosen(series, recipe, key, own)
            fit = fit_series(series, chosen, lambda *_: stopped(), thorough=thorough)
            out.append(Entry(key, name or fit.name, fit))
        except VettoreError as error:
            out.append(Entry(key, name, refusal=str(error)))
    return tuple(out)


def _chosen(series: Series, recipe: AnyFit, key: Key, own: Mapping[str, Model]) -> AnyFit:
    if isinstance(key, int):
        return as_polynomial(recipe, key, recipe.intercept)
    if key.startswith(PEAKS):
        return recipe_of(key, recipe)
    return with_model(series, bare(recipe), own.get(key, key))


def ranked(entries: Sequence[Entry]) -> tuple[Ranked, ...]:
    """Return entries best first; of those as good as the best, the simplest first. What cannot be fitted comes last.

    Models of the catalogue that did not converge, or whose coefficients cannot be told apart here, are left out.
    """
    sound = [item for item in entries if item.fit is not None and _is_sound(item)]
    if sound:
        most = max(each.fit.result.n for each in sound if each.fit is not None)
        sound = [candidate for candidate in sound if candidate.fit is not None and candidate.fit.result.n == most]
    sound = _without_twins(sound)
    results = [candidate.fit.result for candidate in sound if candidate.fit is not None]
    weights = akaike_weights(results) if results else ()
    best = min((result.aicc for result in results), default=0.0)
    out = [
        Ranked(entry, weight, result.aicc == best or result.aicc - best < EQUALLY_GOOD)
        for entry, weight, result in zip(sound, weights, results, strict=True)
    ]

    def order(first: Ranked) -> tuple[int, int, float]:
        result = first.entry.fit.result if first.entry.fit else None
        assert result is not None
        fitted = result.n - result.degrees_of_freedom
        return (0, fitted, result.aicc) if first.equal else (1, 0, result.aicc)

    out.sort(key=order)
    # Of models that were not asked for by name, those without an answer here are left out.
    asked_for = [
        candidate for candidate in entries if isinstance(candidate.key, int) or candidate.key.startswith(OWN)
    ]
    refused = [
        Ranked(candidate, 0.0, False)
        for candidate in asked_for
        if candidate.fit is None or (candidate not in sound and is_own(candidate))
    ]
    return (*out, *refused)


def is_own(entry: Entry) -> bool:
    """Whether a model is one of the user's own."""
    return isinstance(entry.key, str) and entry.key.startswith(OWN)


def _without_twins(entries: Sequence[Entry]) -> list[Entry]:
    """Keep one of models that are the same curve: the one with fewer negative coefficients, so growth is no decay."""
    out: list[Entry] = []
    for entry in entries:
        twin = next((i for i, item in enumerate(out) if _are_twins(item, entry)), None)
        if twin is None:
            out.append(entry)
            continue
        stays = isinstance(out[twin].key, int) or is_own(out[twin])
        if not stays and (is_own(entry) or _negatives(entry) < _negatives(out[twin])):
            out[twin] = entry
    return out


def _are_twins(entry: Entry, other: Entry) -> bool:
    if entry.fit is None or other.fit is None:
        return False
    a, b = entry.fit.result, other.fit.result
    near = abs(a.sum_of_squares - b.sum_of_squares) <= TWINS * b.sum_of_squares
    return near and a.degrees_of_freedom == b.degrees_of_freedom and isinstance(other.key, str)


def _negatives(entry: Entry) -> int:
    assert entry.fit is not None
    return sum(value < 0 for value in entry.fit.result.values)


def _is_sound(entry: Entry) -> bool:
    assert entry.fit is not None
    result = entry.fit.result
    if isinstance(entry.key, int):
        return True
    if entry.fit.peaks is not None and not stand_out(entry.fit):
        return False
    return result.converged and result.covariance is not None and not _leaves(result)


def _leaves(result: FitResult) -> bool:
    """Whether the curve leaves the range of y by more than its height between points, as at a pole."""
    x = np.linspace(*result.curve.span, LOOKED_AT)
    with np.errstate(all="ignore"):
        y = result.curve(x)
    low, high = float(result.y.min()), float(result.y.max())
    room = (high - low) * LEAVES
    return not bool(np.all((y >= low - room) & (y <= high + room)))
