"""What is read off a fitted system: values, places, turning points, areas, and numbers made from coefficients.

With ∇F the slopes of a number F by the coefficients and C their covariance, var F = ∇Fᵀ C ∇F. The place of a turning point
moves by δy′/|y″|, that of a level by δy/|y′|.
"""

from __future__ import annotations

import math
import re

import numpy as np

from vettore.core import units
from vettore.core.cells.typed import measured_in
from vettore.core.errors import DataError, Fault, VettoreError
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import number_of
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import names
from vettore.core.systems.curve import SystemCurve
from vettore.study.fitting.systems import DerivedSystem, SystemAnswer
from vettore.study.kinds.equations import AskedFor, SystemReading

_MAXIMUM = re.compile(r"(?P<what>maximum|minimum|max|min|top|bottom) of (?P<curve>.+)", re.IGNORECASE)
_AREA = re.compile(r"area of (?P<curve>.+?)(?: from (?P<at>.+?) to (?P<to>.+))?", re.IGNORECASE)
_VALUE = re.compile(r"(?P<curve>.+?) at (?P<at>.+)")
_PLACE = re.compile(r"(?:where )?(?P<curve>.+?) = (?P<at>.+)", re.IGNORECASE)
# What a second slope is taken over, as a share of the span.
STEP = 1e-4


def typed_reading(text: str, system: DerivedSystem) -> SystemReading:
    """Return the reading that a text asks for. Raises DataError."""
    text = text.strip()
    curves = system.result.curves
    for pattern, what in (
        (_MAXIMUM, AskedFor.MAXIMUM),
        (_AREA, AskedFor.AREA),
        (_VALUE, AskedFor.VALUE),
        (_PLACE, AskedFor.PLACE),
    ):
        match = pattern.fullmatch(text)
        if match is None or match["curve"].strip() not in curves:
            continue
        curve = match["curve"].strip()
        if what is AskedFor.MAXIMUM:
            low = match["what"].casefold() in ("minimum", "min", "bottom")
            return SystemReading(AskedFor.MINIMUM if low else AskedFor.MAXIMUM, curve)
        ends = [match[name] for name in ("at", "to") if name in match.groupdict()]
        at, to = ([None if end is None else measured_in(end)[0] for end in ends] + [None])[:2]
        return SystemReading(what, curve, at, to)
    try:
        tree = Reader(text, frozenset(system.result.values)).read_all()
        strange = [name for name in names(tree) if name not in system.result.values]
    except VettoreError:
        strange = [text]
    if strange:
        raise DataError(
            f"“{strange[0]}” is no coefficient here, nor a curve. Write, for one: {examples_of(system)}. "
            f"The curves are {', '.join(curves)}; the coefficients {', '.join(system.result.values)}.",
            Fault.NO_SUCH_NAME,
        )
    return SystemReading(AskedFor.NUMBER, formula=text)


def examples_of(system: DerivedSystem) -> str:
    """Return what may be asked of a system, by names of its own."""
    curve = system.measured[-1]
    name = next(iter(system.result.values), "k")
    return f"maximum of {curve} · {curve} at 5 · {curve} = 0.2 · area of {curve} · ln(2)/{name}"


def read_off(system: DerivedSystem, reading: SystemReading) -> tuple[SystemAnswer, ...]:
    """Return what a reading says: nothing where there is no such place; worked out once. Raises VettoreError."""
    if reading not in system.known_answers:
        system.known_answers[reading] = _answers(system, reading)
    return system.known_answers[reading]


def _answers(system: DerivedSystem, reading: SystemReading) -> tuple[SystemAnswer, ...]:
    if reading.what is AskedFor.NUMBER:
        return (_number(system, reading),)
    if reading.curve not in system.result.curves:
        raise DataError(f"There is no curve of “{reading.curve}” in these equations.", Fault.NO_SUCH_NAME)
    curve = system.result.curves[reading.curve]
    match reading.what:
        case AskedFor.VALUE:
            return (_value(system, reading, curve),)
        case AskedFor.PLACE:
            return _places(system, reading, curve)
        case AskedFor.AREA:
            return (_area(system, reading, curve),)
    return _extreme(system, reading, curve)


def words_of(reading: SystemReading) -> str:
    """Return a reading as it is typed."""
    match reading.what:
        case AskedFor.NUMBER:
            return reading.formula
        case AskedFor.VALUE:
            return f"{reading.curve} at {reading.at:.12g}"
        case AskedFor.PLACE:
            return f"{reading.curve} = {reading.at:.12g}"
        case AskedFor.AREA:
            ends = "" if reading.at is None else f" from {reading.at:.12g} to {reading.to:.12g}"
            return f"area of {reading.curve}{ends}"
    return f"{reading.what} of {reading.curve}"


def _value(system: DerivedSystem, reading: SystemReading, curve: SystemCurve) -> SystemAnswer:
    at = reading.at or 0.0
    x = np.array([at])
    y = float(curve(x)[0])
    if not math.isfinite(y):
        raise DataError(f"{reading.curve} has no value at {at:g}.", Fault.NO_VALUE)
    return SystemAnswer(
        words_of(reading),
        y,
        _known(float(curve.mean_error(x)[0])),
        system.unit_of(reading.curve),
        (at, y),
        curve.is_beyond(at),
    )


def _places(system: DerivedSystem, reading: SystemReading, curve: SystemCurve) -> tuple[SystemAnswer, ...]:
    level = reading.at or 0.0
    answer = []
    for x in curve.crossings(level, *curve.span).tolist():
        slope = abs(float(curve.slope(x)))
        error = _known(float(curve.mean_error(np.array([x]))[0]) / slope) if slope > 0 else None
        called = f"{system.over} where {words_of(reading)}"
        answer.append(SystemAnswer(called, x, error, system.unit_of(system.over), (x, level)))
    return tuple(answer)


def _area(system: DerivedSystem, reading: SystemReading, curve: SystemCurve) -> SystemAnswer:
    a, b = curve.span if reading.at is None or reading.to is None else (reading.at, reading.to)
    y_unit, x_unit = system.unit_of(reading.curve), system.unit_of(system.over)
    unit = units.product(y_unit, x_unit) if y_unit or x_unit else ""
    return SystemAnswer(words_of(reading), curve.area(a, b), curve.area_error(a, b), unit)


def _extreme(system: DerivedSystem, reading: SystemReading, curve: SystemCurve) -> tuple[SystemAnswer, ...]:
    """Return the greatest (least) value within the data with its place: a turning point, or an end."""
    way = 1.0 if reading.what is AskedFor.MAXIMUM else -1.0
    a, b = curve.span
    turns = [(turn.x, turn.y) for turn in curve.turning_points(a, b)]
    ends = [(x, float(curve(np.array([x]))[0])) for x in (a, b)]
    x, y = max((*turns, *ends), key=lambda place: way * place[1])
    is_end = (x, y) not in turns
    step = (b - a) * STEP
    bend = 0.0 if is_end else abs(float(curve.slope(x + step) - curve.slope(x - step))) / (2 * step)
    error = _known(float(np.asarray(curve.slope_error(np.array([x])))[0]) / bend) if bend > 0 else None
    called = words_of(reading)
    height = SystemAnswer(
        called + (", at an end of the data" if is_end else ""),
        y,
        _known(float(curve.mean_error(np.array([x]))[0])),
        system.unit_of(reading.curve),
        (x, y),
    )
    return SystemAnswer(f"{system.over} at the {called}", x, error, system.unit_of(system.over), (x, y)), height


def _number(system: DerivedSystem, reading: SystemReading) -> SystemAnswer:
    values = system.result.values
    tree = Reader(reading.formula, frozenset(values)).read_all()
    missing = [name for name in names(tree) if name not in values]
    if missing:
        raise DataError(f"{missing[0]} is no coefficient of these equations.", Fault.NO_SUCH_NAME)
    value = number_of(tree, values)
    if not math.isfinite(value):
        raise DataError(f"{reading.formula} has no value with these coefficients.", Fault.NO_VALUE)
    error: float | None = None
    if system.result.covariance is not None:
        fitted = system.result.fitted_names
        slopes = np.array(
            [number_of(derivative(tree, name), values) if name in names(tree) else 0.0 for name in fitted]
        )
        error = _known(math.sqrt(max(float(slopes @ system.result.covariance @ slopes), 0.0)))
    return SystemAnswer(reading.formula, value, error, system.units.of(tree))


def _known(value: float) -> float | None:
    return value if math.isfinite(value) else None
