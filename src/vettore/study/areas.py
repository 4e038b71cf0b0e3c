"""Areas of a study: under points or under a fitted curve, above a floor of any kind."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.curve import Curve
from vettore.core.errors import DataError
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.integration.sampled import Floor, SampledArea, integrate
from vettore.core.remarks import Remark, RemarkKind
from vettore.core.rounding import NumberStyle, read_number
from vettore.core.typed import limits_in
from vettore.study.derive import derive_fit
from vettore.study.derive_curves import derive_interpolant, points_in_use
from vettore.study.kinds.area import AreaRecipe
from vettore.study.series import Series
from vettore.study.study import Study

# The rule of an area under a fitted curve, and how floors that are curves are written in a recipe.
UNDER_FIT = "fit"
POINTS, FIT, SPANS, FORMULA = "points:", "fit:", "spans:", "formula:"
# Strips of an area under a fitted curve.
STRIPS = 64


def derive_area(study: Study, series: Series, recipe: AreaRecipe) -> SampledArea:
    """Return an area of a series. Raises DataError."""
    x, y, sigma = points_in_use(series)
    floor = floor_of(study, recipe.floor)
    if recipe.rule == UNDER_FIT:
        curve = curve_of(study, recipe.curve)
        a = float(x.min()) if recipe.start is None else recipe.start
        b = float(x.max()) if recipe.end is None else recipe.end
        return under_curve(curve, a, b, floor)
    return integrate(x, y, recipe.rule, a=recipe.start, b=recipe.end, floor=floor, sigma=sigma)


def curve_of(study: Study, identity: str) -> Curve:
    """Return a fitted curve over x. Raises DataError for a model over other or several columns."""
    fit = derive_fit(study, identity)
    if fit.curve is None:
        raise DataError(f"{fit.recipe.name} is a model over other or several columns; it has no area over x.")
    return fit.curve


def floor_of(study: Study, text: str) -> Floor:
    """Return the floor that a recipe names. Raises DataError when what it names is gone."""
    if text == "ends":
        return "ends"
    kind, sign, rest = text.partition(":")
    if kind + sign == POINTS:
        series = study.find_series(rest)
        return _inside(derive_interpolant(series, study.interpolant_of(rest)), series.name)
    if kind + sign == FIT:
        return curve_of(study, rest)
    if kind + sign == SPANS:
        return _spans(rest)
    return formula_of_x(rest) if kind + sign == FORMULA else float(text)


def _spans(text: str) -> list[tuple[float, float]]:
    return [limits_in(part) for part in text.split(",")]


def _inside(curve: Curve, name: str) -> Callable[[Array], Array]:
    def value(x: Array) -> Array:
        try:
            return curve(x)
        except DataError as error:
            raise DataError(f"The baseline, {name}, does not reach so far. {error}") from None

    return value


def formula_of_x(text: str) -> Callable[[Array], Array]:
    """Return a formula in x as a function. Raises FormulaError, or DataError for another name in it."""
    read = read_formula(text, ("x",))
    if read.coefficients:
        raise DataError(f"{read.coefficients[0]} has no value here. A formula curve is a function of x alone.")
    program = Program(read.right)

    def value(x: Array) -> Array:
        at = np.asarray(x, dtype=np.float64)
        with np.errstate(all="ignore"):
            found = program({"x": at} if "x" in program.inputs else {})
        return np.broadcast_to(np.asarray(found, dtype=np.float64), at.shape).copy()

    return value


def floor_typed(text: str) -> str:
    """Return the floor that a person typed: a level, spans of base as ``10 … 20; 80 … 90``, or a formula of x.

    Raises VettoreError when it is none of these.
    """
    number = read_number(text)
    if number is not None:
        return repr(number)
    plain = text.replace("...", "…").replace("..", "…").replace(" to ", "…")
    if "…" in plain:
        spans = [limits_in(part) for part in plain.split(";") if part.strip()]
        return SPANS + ",".join(f"{low!r}..{high!r}" for low, high in spans)
    formula_of_x(text)
    return FORMULA + text.strip()


def floor_words(study: Study, text: str, style: NumberStyle) -> str:
    """Return a floor in words."""
    kind, sign, rest = text.partition(":")
    if not sign:
        return {"0": "zero", "ends": "line between the ends"}.get(text) or style.short(float(text))
    if kind + sign == POINTS:
        return f"points of {study.find_series(rest).name}"
    if kind + sign == FIT:
        curve = study.find_curve(rest)
        return f"{curve.name.lower()} of {study.find_series(curve.series).name}"
    if kind + sign == SPANS:
        return "line through " + "; ".join(f"{style.short(low)} … {style.short(high)}" for low, high in _spans(rest))
    return rest


def under_curve(curve: Curve, a: float, b: float, floor: Floor) -> SampledArea:
    """Return the area under a fitted curve above a floor, in even strips; its ± is that of the coefficients."""
    edges = np.linspace(a, b, STRIPS + 1)
    heights = curve(edges)
    if not np.isfinite(heights).all():
        raise DataError(f"The curve has no finite value everywhere from {a:g} to {b:g}. Move the limits.")
    base = _base(floor, curve, a, b)
    strips = np.array([curve.area(low, high) for low, high in itertools.pairwise(edges)])
    levels = base(edges)
    middles = base((edges[:-1] + edges[1:]) / 2)
    # Simpson on every strip: exact for levels and lines.
    under = (levels[:-1] + 4 * middles + levels[1:]) / 6 * np.diff(edges)
    net = strips - under
    total = float(np.sum(net))
    positive = float(np.sum(net[net > 0]))
    return SampledArea(
        total,
        curve.area_error(a, b),
        "coefficients",
        positive,
        min(total - positive, 0.0),
        edges,
        heights,
        net,
        np.concatenate([[0.0], np.cumsum(net)]),
        UNDER_FIT,
        a,
        b,
        levels,
        (Remark(RemarkKind.BASELINE_LEFT_OUT),) if callable(floor) else (),
    )


def _base(floor: Floor, curve: Curve, a: float, b: float) -> Callable[[Array], Array]:
    if callable(floor):
        return floor
    if isinstance(floor, (int, float)):
        level = float(floor)
        return lambda x: np.full(np.shape(x), level)
    if floor == "ends":
        low, high = float(curve(a)), float(curve(b))
        return lambda x: low + (high - low) * (np.asarray(x) - a) / ((b - a) or 1.0)
    raise DataError("A line through spans of base needs points; choose another baseline for a fitted curve.")
