"""A system over columns: rows chosen, what is free and held, and what the system says of every measured row."""

from __future__ import annotations

import math
import re
from bisect import bisect_right
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import NamedTuple

import numpy as np

from vettore.core.arrays import Array, Mask, Rows, Values, as_values, check_lengths, remarks_on
from vettore.core.errors import DataError, Fault, a_mapping, a_number, name_rows
from vettore.core.fitting.limits import Limits, check_limits
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.tree import names
from vettore.core.pauses import pause
from vettore.core.remarks import Remark, RemarkKind, counted
from vettore.core.systems.motion import MOST_CALLS, Motion, Run
from vettore.core.systems.shown import Shown
from vettore.core.systems.system import EquationSystem, Measured

# An e that is not the base of a power: the number, where a coefficient may be meant.
_LONE_E = re.compile(r"(?<![\w`.])e(?![\w`(])(?!\s*[\^⁰¹²³⁴⁵⁶⁷⁸⁹⁻⁺])")
# Columns of which one follows from the others in every row to this share err in no way of their own.
SAME_COLUMNS = 1e-7


class Errors(StrEnum):
    """Whether the columns of a row err each by itself, or together."""

    APART = "normal"
    TOGETHER = "together"


def errors_of(noise: str, has_sigma: bool) -> Errors:
    """Return how columns err. Raises DataError."""
    if noise not in tuple(Errors):
        raise DataError(
            f"“{noise}” is no noise of several equations; these are {', '.join(Errors)}.", Fault.NO_SUCH_CHOICE
        )
    if noise == Errors.TOGETHER and has_sigma:
        raise DataError(
            "Errors that go together are told by the rows; they take no sigma. Give one of the two.", Fault.CONFLICT
        )
    return Errors(noise)


class MeasuredRows(NamedTuple):
    """The rows of one measured column: which they are, where they stand among all times, their values and known ±."""

    measured: Measured
    in_use: Mask
    places: Rows
    y: Array
    sigma: Array | None
    columns: dict[str, Array]


class Predicted(NamedTuple):
    """What a system says of each measured column (n,), and its slopes by the free coefficients (n, m)."""

    values: list[Array]
    slopes: list[Array]


@dataclass(eq=False)
class SystemProblem:
    """A system with its rows. ``free`` are the coefficients that are to be found, ``low`` and ``high`` (m,) their limits."""

    system: EquationSystem
    parts: tuple[MeasuredRows, ...]
    times: Array
    motion: Motion | None
    held: Mapping[str, float]
    free: tuple[str, ...]
    low: Array
    high: Array
    remarks: tuple[Remark, ...]
    stopped: Callable[[], bool] | None = None
    # Whether the errors of a row's columns go together.
    together: bool = False
    # Columns between their rows, by straight lines.
    entering: Mapping[str, Callable[[float], float]] = field(default_factory=dict)

    @property
    def n(self) -> int:
        """How many numbers were measured."""
        return sum(len(part.y) for part in self.parts)

    @property
    def calls(self) -> int:
        """How often rates were worked out so far."""
        return 0 if self.motion is None else self.motion.calls

    @cached_property
    def _shown(self) -> list[Shown]:
        return [Shown(self.system, part.measured.right, self.free) for part in self.parts]

    def values_of(self, p: Array) -> dict[str, float]:
        """Return all coefficients by name."""
        return {**self.held, **dict(zip(self.free, p.tolist(), strict=True))}

    def predict(self, p: Array, tolerance: float, slopes: bool = True, most: int = MOST_CALLS) -> Predicted | None:
        """Return what is said of all rows for values of the free coefficients; None where there is no value."""
        pause()
        values = self.values_of(p)
        run = None
        if self.motion is not None:
            run = self.motion.run(values, self.times, tolerance, slopes, most, self.stopped)
            if run is None:
                return None
        predicted, tables = [], []
        for part, shown in zip(self.parts, self._shown, strict=True):
            own = None
            if run is not None:
                own = Run(run.states[part.places], None if run.slopes is None else run.slopes[part.places])
            by = self.motion.free if self.motion is not None else ()
            value, table = shown.at(values, self.times[part.places], part.columns, own, by)
            if not np.isfinite(value).all() or (slopes and table is not None and not np.isfinite(table).all()):
                return None
            predicted.append(value)
            if table is not None:
                tables.append(table)
        return Predicted(predicted, tables)


def problem_of(
    system: EquationSystem,
    data: Mapping[str, Values],
    sigma: Mapping[str, Values | float] | Values | float | None,
    hold: Mapping[str, float] | None,
    limits: Limits | None,
    stopped: Callable[[], bool] | None = None,
    errors: Errors = Errors.APART,
) -> SystemProblem:
    """Return a system with its rows chosen and its options checked. Raises DataError."""
    inner = [name for entry in system.measured for name in names(entry.left)]
    wanted = dict.fromkeys([*([system.over] if system.over else []), *system.columns, *inner])
    columns = {name: as_values(data[name], name) for name in wanted}
    check_lengths(columns)
    remarks = _remarks_on(system, data, wanted)
    sigmas = _sigmas(system, sigma)
    time = columns[system.over] if system.over else np.zeros(len(next(iter(columns.values()))))
    times = np.unique(time[np.isfinite(time)])
    parts = tuple(_part(system, entry, columns, time, times, sigmas.get(entry.name)) for entry in system.measured)
    _check_begin(system, time)
    for part in parts:
        remarks += _blanks(part)
    together = errors is Errors.TOGETHER
    if together:
        parts = _on_the_same_rows(parts)
    held = _numbers(system, hold, "held")
    free = tuple(name for name in system.coefficients if name not in held)
    bounds = check_limits(system.coefficients, "the system", limits, held)
    entering = {name: joined_by_lines(time, columns[name], name) for name in system.columns if name != system.over}
    low, high = np.array([bounds.get(name, (-math.inf, math.inf)) for name in free]).reshape(-1, 2).T
    problem = SystemProblem(
        system,
        parts,
        times,
        _motion_of(system, entering),
        held,
        free,
        low,
        high,
        tuple(dict.fromkeys(remarks)),
        stopped,
        together,
        entering,
    )
    if problem.n <= len(free):
        raise DataError(
            f"{len(free)} coefficients are to be found from {problem.n} measured numbers; there must be more of these.",
            Fault.TOO_FEW,
        )
    return problem


def _remarks_on(system: EquationSystem, data: Mapping[str, Values], wanted: Iterable[str]) -> list[Remark]:
    """Return what is to be said of columns as they came, and of how the text was read."""
    remarks = list(remarks_on({name: data[name] for name in wanted}))
    if "e" not in data and _LONE_E.search(system.text):
        remarks.append(Remark(RemarkKind.NUMBER_E))
    return remarks


def _motion_of(system: EquationSystem, entering: Mapping[str, Callable[[float], float]]) -> Motion | None:
    """Return the states ready to be followed, with the columns that enter their rates; None where there are none."""
    moving = system.in_rates()
    return Motion(system, {name: at for name, at in entering.items() if name in moving}) if system.states else None


def _on_the_same_rows(parts: tuple[MeasuredRows, ...]) -> tuple[MeasuredRows, ...]:
    """Return the columns on the rows that all of them have. Raises DataError where these cannot tell how errors go together."""
    common = np.logical_and.reduce([part.in_use for part in parts])
    out = []
    for part in parts:
        kept = common[part.in_use]
        columns = {name: column[kept] for name, column in part.columns.items()}
        out.append(MeasuredRows(part.measured, common, part.places[kept], part.y[kept], None, columns))
    names_of = [part.measured.name for part in parts]
    if len(parts) < 2:
        raise DataError("Errors that go together need several measured columns; there is one.", Fault.TOO_FEW)
    table = np.column_stack([part.y - part.y.mean() if len(part.y) else part.y for part in out])
    if len(table) <= len(parts):
        raise DataError(
            f"{counted(len(table), 'row')} with numbers in all of {', '.join(names_of)} cannot tell how their errors go "
            "together.",
            Fault.TOO_FEW,
        )
    sizes = np.sqrt((table**2).sum(axis=0))
    if not (sizes > 0).all() or float(np.linalg.svd(table / sizes, compute_uv=False)[-1]) < SAME_COLUMNS:
        raise DataError(
            f"The columns {', '.join(names_of)} follow from each other in every row, as parts of one total do, so that their "
            "errors cannot be told. Leave one of them out, or take them as erring apart.",
            Fault.NOT_TOLD,
        )
    return tuple(out)


def _check_begin(system: EquationSystem, time: Array) -> None:
    """Refuse rows before the states begin. Raises DataError."""
    early = np.flatnonzero(time < system.start) + 1
    if system.states and len(early):
        raise DataError(
            f"{name_rows(early.tolist()).capitalize()} lie before {system.over} = {system.start:g}, where the states begin. "
            f"Give the initial values at an earlier {system.over}.",
            Fault.OUT_OF_BOUNDS,
            column=system.over,
            rows=early.tolist(),
        )


def _blanks(part: MeasuredRows) -> list[Remark]:
    """Return what is to be said of rows without a number. Raises DataError where there are no others."""
    name = part.measured.name
    if not len(part.y):
        raise DataError(f"No row has numbers for {name}.", Fault.TOO_FEW, column=name)
    rows = tuple((np.flatnonzero(~part.in_use) + 1).tolist())
    return [Remark(RemarkKind.ROWS_WITHOUT_NUMBER, names=(name,), rows=rows)] if rows else []


def _part(
    system: EquationSystem,
    entry: Measured,
    columns: Mapping[str, Array],
    time: Array,
    times: Array,
    sigma: Values | float | None,
) -> MeasuredRows:
    n = len(time)
    left = evaluate(entry.left, columns, n)
    good = np.isfinite(left) & np.isfinite(time)
    own = [name for name in system.columns if name in names(entry.right)]
    for name in own:
        good &= np.isfinite(columns[name])
    spread = None
    if sigma is not None:
        spread = np.broadcast_to(as_values(np.atleast_1d(np.asarray(sigma)), f"the ± of {entry.name}"), (n,))
        bad = np.flatnonzero(good & ~(np.isfinite(spread) & (spread > 0))) + 1
        if len(bad):
            raise DataError(
                f"The ± of {entry.name} is not above 0 in {name_rows(bad.tolist())}.",
                Fault.BAD_ROWS,
                rows=bad.tolist(),
            )
        spread = spread[good]
    places = np.searchsorted(times, time[good])
    return MeasuredRows(entry, good, places, left[good], spread, {name: columns[name][good] for name in own})


def _sigmas(system: EquationSystem, sigma: object) -> dict[str, Values | float]:
    if sigma is None:
        return {}
    called = [entry.name for entry in system.measured]
    if not isinstance(sigma, Mapping):
        if len(called) > 1:
            raise DataError(
                f"Several columns are measured; give their ± by name, as {{“{called[0]}”: 0.1, …}}.", Fault.WRONG_KIND
            )
        return {called[0]: sigma}  # type: ignore[dict-item]
    strange = [name for name in sigma if name not in called]
    missing = [name for name in called if name not in sigma]
    if strange or missing:
        what = f"“{strange[0]}” is not measured here" if strange else f"There is no ± for {missing[0]}"
        raise DataError(f"{what}; the ± is given for all of {', '.join(called)}, or for none.", Fault.NO_SUCH_NAME)
    return dict(sigma)


def _numbers(system: EquationSystem, given: Mapping[str, float] | None, what: str) -> dict[str, float]:
    out = {}
    for name, value in a_mapping(given, f"What is {what}", '{"k": 0.1}').items():
        if name not in system.coefficients:
            raise DataError(
                f"{name} is no coefficient of the system; these are {', '.join(system.coefficients)}.",
                Fault.NO_SUCH_NAME,
            )
        number = a_number(value, f"The value of {name}")
        if not math.isfinite(number):
            raise DataError(f"The value of {name} is {number}, which is no finite number.", Fault.NOT_A_NUMBER)
        out[name] = number
    return out


def starts_of(problem: SystemProblem, start: Mapping[str, float] | None) -> dict[str, float]:
    """Return given starts of free coefficients. Raises DataError."""
    given = _numbers(problem.system, start, "started from")
    return {name: value for name, value in given.items() if name in problem.free}


def mean_at_each(time: Array, column: Array) -> tuple[Array, Array]:
    """Return the different times, rising, and the mean of a column at each."""
    order = np.argsort(time, kind="stable")
    x, first = np.unique(time[order], return_index=True)
    if not len(x):
        return x, np.empty(0)
    return x, np.asarray(np.add.reduceat(column[order], first) / np.diff(np.append(first, len(order))))


def joined_by_lines(time: Array, column: Array, name: str) -> Callable[[float], float]:
    """Return a column that enters rates as straight lines between its rows, level before the first and after the last."""
    good = np.isfinite(time) & np.isfinite(column)
    x, y = mean_at_each(time[good], column[good])
    if not len(x):
        raise DataError(f"{name} has no number in any row.", Fault.TOO_FEW, column=name)
    places, values = x.tolist(), y.tolist()

    def at(t: float) -> float:
        after = bisect_right(places, t)
        if after == 0:
            return float(values[0])
        if after == len(places):
            return float(values[-1])
        share = (t - places[after - 1]) / (places[after] - places[after - 1])
        return float(values[after - 1] + share * (values[after] - values[after - 1]))

    return at
