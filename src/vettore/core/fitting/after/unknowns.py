"""Many unknowns read back off one calibration: x, its ± and range, amounts after dilution, recoveries, quality samples.

Each is read as a single signal is (``core/inverse.py``): the mean of its replicates scatters as the rows do at its level,
beside the uncertainty of the curve. What the curve has in common to two unknowns counts in their difference: with v(x) the
spread of the curve at x (var f(x) = ‖v‖²), that of x is −v/f′, so that for a spiked sample and the same without

    var(x₁ − x₀) = ‖v(x₁)/f′(x₁) − v(x₀)/f′(x₀)‖² + s(x₁)²/(m₁ f′(x₁)²) + s(x₀)²/(m₀ f′(x₀)²).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np

from vettore.core.arrays import Array, Mask, Values
from vettore.core.curve import Crossing, Curve
from vettore.core.errors import DataError, Fault, check_level
from vettore.core.fitting.result import FitResult
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import names as names_in
from vettore.core.inverse import spread_of
from vettore.core.telling import Tells

# How far beyond the data a signal is followed, in spans of x.
SEARCH_BEYOND = 1.0
# Where there is no x so near, one so many times farther is told; a level that is neared has such.
FAR_BEYOND = 100.0
# Places on the way beyond the data that are looked at, and by how much of it the curve may leave it.
LOOKED_AT, SLACK = 500, 1e-6
# Quality samples are to be found within these per cent of what they hold, unless said otherwise.
WITHIN = (80.0, 120.0)
BEYOND = "beyond the data"
BEYOND_RANGE = "range reaches beyond the data"
OPEN = "range open on one side"
NOWHERE = "no x has this signal"
SEVERAL = "several x have this signal"
BLANK = "no signal"
OUT_OF_LIMITS = "outside the limits"


class _ReadBack(NamedTuple):
    """One signal read back: its crossing, the spread of x that is the curve's, and its own variance."""

    crossing: Crossing | None
    shared: Array | None
    own: float
    note: str


@dataclass(frozen=True, eq=False, repr=False)
class Unknowns(Tells):
    """Unknowns in their order; arrays have shape (m,), NaN where there is no answer.

    ``x`` is read off the curve; ``amount`` is x times its ``dilution``. ``low`` and ``high`` are the range of x at ``level``,
    infinite where it is open. ``beyond`` tells which lie outside the data of the calibration, ``notes`` what is to be said of
    each. ``recovery`` (per cent) is that of what was added, or of what a quality sample holds, with its standard error;
    ``in_limits`` is False for quality samples outside theirs.
    """

    formula: str
    names: tuple[str, ...]
    signals: Array
    replicates: Array
    x: Array
    standard_error: Array
    low: Array
    high: Array
    beyond: Mask
    dilution: Array
    recovery: Array
    recovery_error: Array
    in_limits: Mask
    notes: tuple[str, ...]
    level: float

    def __len__(self) -> int:
        return len(self.x)

    @property
    def amount(self) -> Array:
        """What the sample holds before dilution (m,)."""
        return self.x * self.dilution

    @property
    def amount_error(self) -> Array:
        """The standard error of the amounts (m,)."""
        return self.standard_error * self.dilution

    def _line(self) -> str:
        away = int(self.beyond.sum())
        return f"{self.formula}; {len(self)} unknowns" + (f", {away} beyond the data" if away else "")

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        return self.columns

    @property
    def columns(self) -> Mapping[str, Sequence[Any]]:
        """The table by its columns; those of dilutions and recoveries only where there are some."""
        columns: dict[str, Sequence[Any]] = {
            "sample": list(self.names),
            "signal": self.signals.tolist(),
            "replicates": self.replicates.astype(int).tolist(),
            "x": self.x.tolist(),
            "standard error": self.standard_error.tolist(),
            "low": self.low.tolist(),
            "high": self.high.tolist(),
            "beyond": self.beyond.tolist(),
        }
        if (self.dilution != 1).any():
            columns |= {"dilution": self.dilution.tolist(), "amount": self.amount.tolist()}
            columns["amount standard error"] = self.amount_error.tolist()
        if np.isfinite(self.recovery).any():
            columns |= {"recovery": self.recovery.tolist(), "recovery standard error": self.recovery_error.tolist()}
            columns["in limits"] = self.in_limits.tolist()
        return {**columns, "note": list(self.notes)}

    def _facts(self) -> Mapping[str, Any]:
        columns = self.columns
        keys = [key.replace(" ", "_") for key in columns]
        rows = [dict(zip(keys, row, strict=True)) for row in zip(*columns.values(), strict=True)]
        return {"formula": self.formula, "level": self.level, "unknowns": rows}


def unknowns(
    result: FitResult,
    signals: Values | Sequence[Values],
    *,
    level: float = 0.95,
    names: Sequence[str] | None = None,
    dilution: Values | float = 1.0,
    added: Values | None = None,
    nominal: Values | None = None,
    within: tuple[float, float] = WITHIN,
) -> Unknowns:
    """Read many unknowns off one calibration.

    ``signals`` are one number for each unknown (m,), or an array of replicates for each (blanks are left out). ``names`` are
    theirs; ``dilution`` factors (m,) give the amount before dilution. ``added`` (m,) is what was added to a sample, 0 for the
    same sample without, which has its name: its recovery is told in per cent. ``nominal`` (m,) is what quality samples hold,
    NaN for others; they are to be found ``within`` so many per cent of it.
    A signal of a left side such as ln(y) is y. Raises DataError.

    >>> from vettore import core
    >>> line = core.fit("y = a + b*x", {"x": [0, 1, 2, 3, 4], "y": [0.02, 1.01, 1.98, 3.03, 3.99]})
    >>> held = core.unknowns(line, [1.5, [2.4, 2.5, 2.45]])
    >>> [f"{x:.2f} ± {u:.2f}" for x, u in zip(held.x, held.standard_error)]
    ['1.49 ± 0.03', '2.45 ± 0.02']
    """
    check_level(level)
    each = _replicates(signals)
    m = len(each)
    called = tuple(str(k + 1) for k in range(m)) if names is None else tuple(map(str, names))
    if len(called) != m:
        raise DataError(f"{m} signals were given, but names for {len(called)}.", Fault.LENGTHS)
    factors = _factors(dilution, called)
    readings = [_read(result.curve, _left_of(result, values), level) for values in each]
    recovered = _recovered(readings, called, factors, added, nominal)
    in_limits = ~((recovered[0] < min(within)) | (recovered[0] > max(within)))
    numbers = np.array([_numbers(entry.crossing) for entry in readings]).reshape(m, 4).T
    span = result.curve.span
    notes = _notes(readings, numbers, in_limits, span)
    means = np.array([values.mean() if len(values) else math.nan for values in each])
    counts = np.array([float(len(values)) for values in each])
    x, error, low, high = numbers
    places = (x, error, low, high, (x < span[0]) | (x > span[1]))
    return Unknowns(result.formula, called, means, counts, *places, factors, *recovered, in_limits, notes, level)


def _notes(
    readings: Sequence[_ReadBack], numbers: Array, in_limits: Mask, span: tuple[float, float]
) -> tuple[str, ...]:
    """Return what is to be said of each."""
    out = []
    for entry, (x, _, low, high), is_within in zip(readings, numbers.T, in_limits, strict=True):
        place = "" if entry.crossing is None else _note(x, (low, high), span)
        out.append("; ".join(filter(None, (entry.note or place, "" if is_within else OUT_OF_LIMITS))))
    return tuple(out)


def _replicates(signals: Any) -> list[Array]:
    """Return the replicates of each unknown, without blanks. Raises DataError."""
    out = []
    try:
        for value in signals:
            values = np.atleast_1d(np.asarray(value, dtype=np.float64))
            if values.ndim != 1 or np.isinf(values).any():
                raise ValueError
            out.append(values[~np.isnan(values)])
    except (TypeError, ValueError):
        raise DataError(
            "The signals are numbers, or a list of replicates for each unknown, as [0.41, 0.52] or [[0.41, 0.43], [0.52]].",
            Fault.WRONG_KIND,
        ) from None
    if not out:
        raise DataError("There is no signal to be read.", Fault.NOTHING)
    return out


def _factors(given: Any, called: Sequence[str]) -> Array:
    """Return the dilution factors (m,). Raises DataError."""
    m, values = len(called), np.asarray(given, dtype=np.float64)
    if values.ndim > 1 or (values.ndim == 1 and len(values) != m):
        raise DataError(f"{m} signals were given, but dilution for {values.size}.", Fault.LENGTHS)
    values = np.broadcast_to(values, (m,))
    wrong = np.flatnonzero(~(values > 0))
    if len(wrong):
        raise DataError(
            f"A dilution factor is above 0: 10 for 1 part in 10; that of {called[int(wrong[0])]} is {values[wrong[0]]:g}.",
            Fault.OUT_OF_BOUNDS,
        )
    return values


def _left_of(result: FitResult, values: Array) -> Array:
    """Return signals as the left side of the formula has them, as ln(y) of y. Raises DataError."""
    if not result.left or not len(values):
        return values
    read = read_formula(result.left)
    measured = names_in(read.right)
    if len(measured) != 1:
        raise DataError(
            f"{result.left} is made of {' and '.join(measured)}: a signal alone does not say it.", Fault.WRONG_KIND
        )
    return evaluate(read.right, {measured[0]: values}, len(values))


def _read(curve: Curve, values: Array, level: float) -> _ReadBack:
    nothing = _ReadBack(None, None, math.nan, BLANK)
    if not len(values) or not np.isfinite(values).all():
        return nothing
    low, high = curve.span
    reach = SEARCH_BEYOND * (high - low)
    y, m = float(values.mean()), len(values)
    for share in (1.0, FAR_BEYOND):
        places = curve.crossings_with_error(y, low - share * reach, high + share * reach, replicates=m, level=level)
        places = tuple(place for place in places if not curve.is_beyond(place.x) or _leads_to(curve, place.x, y))
        if places:
            break
    inside = [place for place in places if not curve.is_beyond(place.x)]
    if len(inside) > 1 or (not inside and len(places) > 1 and _on_both_sides(places, curve.span)):
        return nothing._replace(note=SEVERAL)
    if not places:
        return nothing._replace(note=NOWHERE)
    chosen = inside[0] if inside else min(places, key=lambda place: max(low - place.x, place.x - high))
    own = 0.0 if curve.scatter is None else float(curve.scatter(np.array([chosen.x]))[0])
    return _ReadBack(chosen, *spread_of(curve, chosen.x, own**2 / m), "")


def _leads_to(curve: Curve, x: float, y: float) -> bool:
    """Whether the curve runs from the end of its data to y at x and nowhere beyond it: behind a pole it is another branch."""
    end = curve.span[0] if x < curve.span[0] else curve.span[1]
    first = float(curve(end))
    values = np.asarray(curve(np.linspace(end, x, LOOKED_AT)))
    room = SLACK * abs(y - first)
    return bool(((values >= min(first, y) - room) & (values <= max(first, y) + room)).all())


def _on_both_sides(places: Sequence[Crossing], span: tuple[float, float]) -> bool:
    return any(place.x < span[0] for place in places) and any(place.x > span[1] for place in places)


def _numbers(crossing: Crossing | None) -> tuple[float, float, float, float]:
    if crossing is None:
        return (math.nan,) * 4
    error = math.nan if crossing.standard_error is None else crossing.standard_error
    known = not math.isnan(error)
    low = crossing.low if crossing.low is not None else -math.inf if known else math.nan
    high = crossing.high if crossing.high is not None else math.inf if known else math.nan
    return crossing.x, error, low, high


def _note(x: float, ends: tuple[float, float], span: tuple[float, float]) -> str:
    if not span[0] <= x <= span[1]:
        return BEYOND
    if any(map(math.isinf, ends)):
        return OPEN
    return BEYOND_RANGE if ends[0] < span[0] or ends[1] > span[1] else ""


def _recovered(
    readings: Sequence[_ReadBack], called: Sequence[str], factors: Array, added: Values | None, nominal: Values | None
) -> tuple[Array, Array]:
    """Return recoveries in per cent (m,) and their standard errors, NaN where none is asked for. Raises DataError."""
    m = len(readings)
    share, error = np.full(m, math.nan), np.full(m, math.nan)
    holds = np.full(m, math.nan) if nominal is None else np.asarray(nominal, dtype=np.float64)
    more = np.zeros(m) if added is None else np.nan_to_num(np.asarray(added, dtype=np.float64))
    for given, name in ((holds, "nominal"), (more, "added")):
        if given.shape != (m,):
            raise DataError(f"{m} signals were given, but {name} for {given.size}.", Fault.LENGTHS)
    base = {name: k for k, name in enumerate(called) if not more[k] > 0}
    for k, entry in enumerate(readings):
        if holds[k] > 0 and entry.crossing is not None:
            spread = entry.crossing.standard_error
            share[k] = 100 * entry.crossing.x * factors[k] / holds[k]
            error[k] = math.nan if spread is None else 100 * spread * factors[k] / holds[k]
        elif more[k] > 0:
            if called[k] not in base:
                raise DataError(
                    f"Something was added to {called[k]}, but there is no {called[k]} without it to compare with.",
                    Fault.MISSING,
                )
            other = base[called[k]]
            share[k], error[k] = _difference(entry, readings[other], factors[k], factors[other], more[k])
    return share, error


def _difference(
    with_it: _ReadBack, without: _ReadBack, by: float, other_by: float, added: float
) -> tuple[float, float]:
    if with_it.crossing is None or without.crossing is None:
        return math.nan, math.nan
    more = with_it.crossing.x * by - without.crossing.x * other_by
    if with_it.shared is None or without.shared is None:
        return 100 * more / added, math.nan
    shared = with_it.shared * by - without.shared * other_by
    variance = float(shared @ shared) + with_it.own * by**2 + without.own * other_by**2
    return 100 * more / added, 100 * math.sqrt(variance) / added
