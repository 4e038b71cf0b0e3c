"""What a reading says: numbers asked of a fitted curve, and numbers made from these and its coefficients.

Readings of one fit rest on the same coefficients, so their errors go together. Each therefore carries its spread, the
vector v with var = ‖v‖² and covariances as dot products (see core.curve); a number F of several has

    var F = ‖Σᵢ ∂F/∂rᵢ vᵢ‖² + Σᵢ (∂F/∂rᵢ)² uᵢ²,   uᵢ what rᵢ has of its own: scatter of signals, a typed ±.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vettore.core import units
from vettore.core.arrays import Array
from vettore.core.curve import Crossing, TurningPoint
from vettore.core.errors import DataError, VettoreError
from vettore.core.formula.coefficient_units import CoefficientUnits
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Node, names
from vettore.core.formula.write import name_text, rename_in
from vettore.core.typed import measured_in
from vettore.study.derive import DerivedFit, derive_fit
from vettore.study.recipes import Asked, Reading
from vettore.study.series import Role
from vettore.study.study import Study

# A crossing, or a turn, is looked for as far beyond the data as the data are wide.
SEARCH_BEYOND = 1.0


@dataclass(frozen=True)
class Neighbour:
    """A measured row beside a reading."""

    row: int
    x: float
    y: float


@dataclass(frozen=True, eq=False)
class Spread:
    """How a number varies: with the coefficients (m,), None where that is not known, and by itself (a variance)."""

    shared: Array | None
    own: float = 0.0

    @property
    def standard_error(self) -> float | None:
        """The standard error, None where it is not known."""
        if self.shared is None:
            return None
        size = math.sqrt(float(self.shared @ self.shared) + self.own)
        return size if math.isfinite(size) else None


@dataclass(frozen=True)
class DerivedReading:
    """What a reading says: a value with its errors and neighbours, crossings, or turns. Beyond the data is said.

    ``single`` is the standard error of a crossing when its y is one measured signal. ``problem`` says why there is no
    answer.
    """

    recipe: Reading
    value: float | None = None
    standard_error: float | None = None
    slope: float | None = None
    slope_error: float | None = None
    neighbours: tuple[Neighbour, ...] = ()
    crossings: tuple[Crossing, ...] = ()
    turns: tuple[TurningPoint, ...] = ()
    beyond: bool = False
    unit: str = ""
    single: float | None = None
    problem: str = ""


def derive_reading(study: Study, reading: Reading) -> DerivedReading:
    """Return what a reading says now."""
    return read(derive_fit(study, reading.curve), reading, study.readings_of(reading.curve))


def read(fit: DerivedFit, reading: Reading, kept: Sequence[Reading] = ()) -> DerivedReading:
    """Ask a fit; ``kept`` are the readings that a formula may name."""
    if fit.curve is None and reading.asked is not Asked.FORMULA:
        return DerivedReading(reading, problem="a model over other or several columns cannot be read at x alone")
    match reading.asked:
        case Asked.WHERE:
            return _where(fit, reading)
        case Asked.AREA:
            return _area(fit, reading)
        case Asked.TURNS:
            low, high = fit.result.curve.span
            turns = fit.result.curve.turning_points(low, high)
            return DerivedReading(reading, turns=turns, unit=fit.y_called[1])
        case Asked.FORMULA:
            return _formula(fit, reading, kept)
        case _:
            return _at(fit, reading)


def _at(fit: DerivedFit, reading: Reading) -> DerivedReading:
    """Read the value, or the slope, at x."""
    curve, at = fit.result.curve, reading.at
    x_unit, y_unit = fit.series.name_and_unit(Role.X)[1], fit.y_called[1]
    slope, slope_error = float(curve.slope(at)), _known(float(curve.slope_error(at)))
    value, error, unit = float(curve(at)), _known(float(curve.standard_error(at))), y_unit
    if reading.asked is Asked.SLOPE:
        value, error, unit = slope, slope_error, units.quotient(y_unit, x_unit)
    problem = "" if math.isfinite(value) else "the curve has no value there"
    return DerivedReading(
        reading,
        value if not problem else None,
        error,
        slope,
        slope_error,
        _neighbours(fit, at),
        beyond=curve.is_beyond(at),
        unit=unit,
        problem=problem,
    )


def _where(fit: DerivedFit, reading: Reading) -> DerivedReading:
    """Find every x where y is a level, or where it is the mean of measured signals."""
    curve = fit.result.curve
    low, high = curve.span
    reach = SEARCH_BEYOND * (high - low)
    level = float(np.mean(reading.signals)) if reading.signals else reading.at
    found = curve.crossings_with_error(level, low - reach, high + reach)
    scatter = _scatter_of(fit)
    single = _with_scatter(fit, found[0], scatter, 1) if len(found) == 1 else None
    if reading.signals:
        found = tuple(
            replace(one, standard_error=_with_scatter(fit, one, scatter, len(reading.signals))) for one in found
        )
    return DerivedReading(
        reading,
        crossings=found,
        beyond=bool(found) and all(curve.is_beyond(one.x) for one in found),
        unit=fit.series.name_and_unit(Role.X)[1],
        single=None if reading.signals else single,
    )


def _scatter_of(fit: DerivedFit) -> float | None:
    """Return the standard deviation of one new measurement; None where it differs from row to row, or is not known."""
    curve = fit.result.curve
    if curve.row_sigma is None or curve.residual_sd is None:
        return None
    return curve.residual_sd * curve.row_sigma


def _with_scatter(fit: DerivedFit, one: Crossing, scatter: float | None, signals: int) -> float | None:
    """Add the scatter of the mean of measured signals: var x = (s²/m + var f(x)) / f′(x)² (inverse prediction)."""
    slope = float(fit.result.curve.slope(one.x))
    if one.standard_error is None or scatter is None or slope == 0:
        return None
    return math.hypot(one.standard_error, scatter / math.sqrt(signals) / slope)


def _area(fit: DerivedFit, reading: Reading) -> DerivedReading:
    curve = fit.result.curve
    a, b = reading.at, reading.at if reading.to is None else reading.to
    with np.errstate(all="ignore"):
        value, error = curve.area(a, b), curve.area_error(a, b)
    problem = "" if math.isfinite(value) else "the curve has no finite area there"
    beyond = curve.is_beyond(a) or curve.is_beyond(b)
    return DerivedReading(
        reading, None if problem else value, error, beyond=beyond, unit=_area_unit(fit), problem=problem
    )


def _area_unit(fit: DerivedFit) -> str:
    return units.product(fit.y_called[1], fit.series.name_and_unit(Role.X)[1])


# Numbers made from others


@dataclass(frozen=True, eq=False)
class Given:
    """A number that a formula may name, with its spread and the powers of units that it has."""

    value: float
    spread: Spread
    powers: Mapping[str, float] | None


def split_formula(text: str) -> tuple[str, str, dict[str, tuple[float, float | None, str]]]:
    """Return name, formula and given numbers of ``Q = M/area where M = 500 ± 2 mg``. Raises DataError."""
    main, _, tail = text.partition(" where ")
    name, sign, formula = main.partition("=")
    if not sign:
        name, formula = "", main
    given = {}
    for part in filter(str.strip, tail.split(";")):
        of, equals, number = part.partition("=")
        if not equals or not of.strip():
            raise DataError(f"After “where” write what is given, as in M = 500 ± 2 mg, not “{part.strip()}”.")
        given[of.strip()] = measured_in(number)
    return name.strip(), formula.strip(), given


def _formula(fit: DerivedFit, reading: Reading, kept: Sequence[Reading]) -> DerivedReading:
    try:
        value, spread, unit = _worked_out(fit, reading, kept)
    except VettoreError as error:
        return DerivedReading(reading, problem=str(error))
    return DerivedReading(reading, value, spread.standard_error, unit=unit)


def _worked_out(fit: DerivedFit, reading: Reading, kept: Sequence[Reading]) -> tuple[float, Spread, str]:
    _, text, typed = split_formula(reading.formula)
    known = {
        **_coefficients(fit),
        **{n: Given(v, _of_error(e), _powers({u: 1.0})) for n, (v, e, u) in typed.items()},
    }
    others = {one.name: one for one in kept if one.name and one.id != reading.id}
    tree = Reader(text, frozenset({*known, *others})).read_all()
    for name in names(tree):
        if name not in known:
            if name not in others:
                listed = ", ".join(name_text(one) for one in (*known, *others))
                raise DataError(
                    f"There is no value for {name}. Known are {listed}; or say it: … where {name} = 500 ± 2"
                )
            known[name] = _named(fit, others[name], [one for one in kept if one.id != reading.id])
    used = {name: known[name] for name in names(tree)}
    values = {name: np.float64(one.value) for name, one in used.items()}
    with np.errstate(all="ignore"):
        value = float(Program(tree)(values))
        slopes = {name: _slope(tree, name, values) for name in used}
    if not math.isfinite(value):
        raise DataError(f"{text} has no value with these numbers.")
    shared = [one.spread.shared for one in used.values()]
    total: Array | None = None
    if all(one is not None for one in shared):
        sizes = [len(one) for one in shared if one is not None and len(one)]
        total = np.zeros(max(sizes, default=0))
        for name, one in used.items():
            if one.spread.shared is not None and len(one.spread.shared):
                total = total + slopes[name] * one.spread.shared
    own = sum(slopes[name] ** 2 * one.spread.own for name, one in used.items())
    powers = {name: one.powers for name, one in used.items()}
    return value, Spread(total, own), CoefficientUnits({}, (), powers).of(tree)


def _slope(tree: Node, name: str, values: Mapping[str, np.float64]) -> float:
    program = Program(derivative(tree, name))
    return float(program({one: values[one] for one in program.inputs}))


def _of_error(error: float | None) -> Spread:
    return Spread(np.empty(0), (error or 0.0) ** 2)


def _coefficients(fit: DerivedFit) -> dict[str, Given]:
    told, out = fit.formula_units, {}
    (_, x_unit), (_, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
    for name, one in fit.result.coefficients.items():
        if told is not None:
            known = told.exponents.get(name)
            powers = None if known is None else _powers(known)
        else:
            powers = _powers({y_unit: 1.0}, {x_unit: -float(name[1:])})
        shared = np.empty(0) if one.held else _spread_of(fit, name)
        out[name] = Given(one.value, Spread(shared), powers)
    return out


def _spread_of(fit: DerivedFit, name: str) -> Array | None:
    """Return the spread of a coefficient, also of a model without a curve."""
    if fit.result.given_curve is not None:
        return fit.result.given_curve.coefficient_spread(name)
    table, names_fitted = fit.result.covariance, fit.result.fitted_names
    if table is None or name not in names_fitted:
        return None
    values, vectors = np.linalg.eigh(table)
    return np.asarray((vectors * np.sqrt(np.maximum(values, 0.0)))[names_fitted.index(name)], dtype=np.float64)


def _named(fit: DerivedFit, reading: Reading, kept: Sequence[Reading]) -> Given:
    """Return a kept reading as a number that a formula may use. Raises DataError when it is not one number."""
    said, curve = read(fit, reading, kept), fit.curve
    if curve is None:
        raise DataError(f"{reading.name} is not one number here, so a formula cannot use it.")
    (_, x_unit), (_, y_unit) = fit.series.name_and_unit(Role.X), fit.y_called
    match reading.asked:
        case Asked.FORMULA:
            # Each formula may use those before it; what they rest on is worked out again.
            before = list(kept)[: [one.id for one in kept].index(reading.id)]
            value, spread, unit = _worked_out(fit, reading, before)
            return Given(value, spread, _powers({unit: 1.0}))
        case Asked.WHERE if len(said.crossings) == 1:
            one = said.crossings[0]
            slope = float(curve.slope(one.x))
            shared = curve.value_spread(one.x)
            own, scatter = 0.0, _scatter_of(fit)
            if reading.signals and scatter is None:
                raise DataError(
                    f"The ± of the signals of {reading.name} is not known, since each row has a ± of its own."
                )
            if reading.signals and scatter is not None:
                own = scatter**2 / len(reading.signals) / slope**2
            return Given(one.x, Spread(None if shared is None else -shared / slope, own), _powers({x_unit: 1.0}))
        case Asked.VALUE if said.value is not None:
            return Given(said.value, Spread(curve.value_spread(reading.at)), _powers({y_unit: 1.0}))
        case Asked.SLOPE if said.value is not None:
            spread = Spread(curve.slope_spread(reading.at))
            return Given(said.value, spread, _powers({y_unit: 1.0}, {x_unit: -1.0}))
        case Asked.AREA if said.value is not None:
            ends = (reading.at, reading.at if reading.to is None else reading.to)
            return Given(said.value, Spread(curve.area_spread(*ends)), _powers({y_unit: 1.0}, {x_unit: 1.0}))
        case _:
            raise DataError(f"{reading.name} is not one number here, so a formula cannot use it.")


def _powers(*powers: Mapping[str, float]) -> dict[str, float]:
    """Return units to their powers, taken apart so that a mass over a concentration is a volume."""
    out: dict[str, float] = {}
    for one in powers:
        for unit, power in one.items():
            for part, times in units.parts(unit).items():
                out[part] = out.get(part, 0.0) + times * power
    return {part: power for part, power in out.items() if power}


def _neighbours(fit: DerivedFit, at: float) -> tuple[Neighbour, ...]:
    """Return the nearest measured row on each side, in order of x."""
    x, y = fit.result.x, fit.result.y
    found = []
    below, above = np.flatnonzero(x <= at), np.flatnonzero(x > at)
    if len(below):
        found.append(below[np.argmax(x[below])])
    if len(above):
        found.append(above[np.argmin(x[above])])
    return tuple(Neighbour(int(fit.rows[i]), float(x[i]), float(y[i])) for i in found)


def _known(value: float) -> float | None:
    return value if math.isfinite(value) else None


def rename_given(text: str, old: str, new: str) -> str:
    """Return the text of a formula reading after a reading that it names was renamed."""
    main, where, tail = text.partition(" where ")
    return f"{rename_in(main, old, new)}{where}{tail}"
