"""Areas of a study: under points or under a fitted curve, above a floor of any kind."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Hashable

import numpy as np

from vettore.core.arrays import Array
from vettore.core.cells.typed import is_range, limits_in
from vettore.core.curve import Curve
from vettore.core.errors import DataError, Fault
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.integration.rules import pieces_of
from vettore.core.integration.sampled import Floor, SampledArea, integrate
from vettore.core.interpolation.points import sorted_points
from vettore.core.remarks import Remark, RemarkKind
from vettore.core.rounding import read_number
from vettore.study.derive import derive_fit
from vettore.study.derive_curves import derive_interpolant, points_in_use
from vettore.study.kinds.area import AreaRecipe
from vettore.study.kinds.baselines import AnyBaseline, BetweenEnds, CurveOf, FormulaOfX, Level, PointsOf, Spans
from vettore.study.remembered import MEMORY, content_of
from vettore.study.series import Series
from vettore.study.study import Study

# The rule of an area under a fitted curve.
UNDER_FIT = "fit"
# Strips of an area under a fitted curve.
STRIPS = 64


def derive_area(study: Study, series: Series, recipe: AreaRecipe) -> SampledArea:
    """Return an area of a series. Raises DataError."""
    key = ("area", content_of(series), recipe.changed(id="", name="", series=""), rests_on(study, recipe))
    return MEMORY.derive(key, lambda: _area(study, series, recipe))


def rests_on(study: Study, recipe: AreaRecipe) -> Hashable:
    """Return what an area is made from beside its series: a fit, and what its baseline follows."""
    return tuple(_content(study, identity) for identity in recipe.refers_to() if identity != recipe.series)


def shape_of_area(study: Study, series: Series, recipe: AreaRecipe) -> Callable[[Array], Array]:
    """Return what an area lies under: what its rule puts through the points, or the fitted curve. Raises DataError."""
    if recipe.rule == UNDER_FIT:
        return curve_of(study, recipe.curve)
    x, y, _ = points_in_use(series)
    x, y, _, _ = sorted_points(x, y, None)
    return pieces_of(recipe.rule, x, y).value


def _content(study: Study, identity: str) -> Hashable:
    """Return what a part that an area rests on is made from: a series joined in some way, or a fit."""
    part = study.find(identity)
    if isinstance(part, Series):
        return content_of(part), study.interpolant_of(identity).changed(read_at=())
    return part, content_of(study.find_series(study.find_curve(identity).series))


def _area(study: Study, series: Series, recipe: AreaRecipe) -> SampledArea:
    x, y, sigma = points_in_use(series)
    floor = floor_of(study, recipe.baseline)
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
        raise DataError(
            f"{fit.name} is a model over other or several columns; it has no area over x.", Fault.UNAVAILABLE
        )
    return fit.curve


def floor_of(study: Study, baseline: AnyBaseline) -> Floor:
    """Return a baseline as the core takes it. Raises DataError when what it is made from is gone."""
    match baseline:
        case Level(value):
            return value
        case BetweenEnds():
            return "ends"
        case PointsOf(identity):
            series = study.find_series(identity)
            return _inside(derive_interpolant(series, study.interpolant_of(identity)), series.name)
        case CurveOf(identity):
            return curve_of(study, identity)
        case Spans(spans):
            return list(spans)
        case FormulaOfX(formula):
            return formula_of_x(formula)


def _inside(curve: Curve, name: str) -> Callable[[Array], Array]:
    def value(x: Array) -> Array:
        try:
            return curve(x)
        except DataError as error:
            raise DataError(f"The baseline, {name}, does not reach so far. {error}", Fault.OUTSIDE_DATA) from None

    return value


def formula_of_x(text: str) -> Callable[[Array], Array]:
    """Return a formula in x as a function. Raises FormulaError, or DataError for another name in it."""
    read = read_formula(text, ("x",))
    if read.coefficients:
        raise DataError(
            f"{read.coefficients[0]} has no value here. A formula curve is a function of x alone.", Fault.MISSING
        )
    program = Program(read.right)

    def value(x: Array) -> Array:
        at = np.asarray(x, dtype=np.float64)
        with np.errstate(all="ignore"):
            result = program({"x": at} if "x" in program.inputs else {})
        return np.broadcast_to(np.asarray(result, dtype=np.float64), at.shape).copy()

    return value


def baseline_typed(text: str) -> AnyBaseline:
    """Return the baseline that a person typed: a level, ``ends``, spans as ``10 … 20; 80 … 90``, or a formula of x.

    Raises VettoreError when it is none of these.
    """
    number = read_number(text)
    if number is not None:
        return Level(number)
    if text.strip() == "ends":
        return BetweenEnds()
    if is_range(text):
        return Spans(tuple(limits_in(span) for span in text.split(";") if span.strip()))
    formula_of_x(text)
    return FormulaOfX(text.strip())


def under_curve(curve: Curve, a: float, b: float, floor: Floor) -> SampledArea:
    """Return the area under a fitted curve above a floor, in even strips; its ± is that of the coefficients."""
    edges = np.linspace(a, b, STRIPS + 1)
    heights = curve(edges)
    if not np.isfinite(heights).all():
        raise DataError(
            f"The curve has no finite value everywhere from {a:g} to {b:g}. Move the limits.", Fault.NO_VALUE
        )
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
    raise DataError(
        "A line through spans of base needs points; choose another baseline for a fitted curve.", Fault.UNAVAILABLE
    )
