"""A request whose formula is read, whose options are checked, and whose rows are chosen: once for all that look at them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sized
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from vettore.core.arrays import Array, Values, as_values, check_lengths, remarks_on
from vettore.core.errors import DataError, Fault, a_mapping, a_number
from vettore.core.fitting.left_side import Sigma, sigma_of_left
from vettore.core.fitting.limits import check_limits
from vettore.core.fitting.prepared import Prepared, prepared, read_once
from vettore.core.fitting.request import SQUARES, FitRequest, check_options
from vettore.core.fitting.rows import Rows, choose_rows, picked
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import Formula
from vettore.core.formula.tree import Name
from vettore.core.remarks import Remark


@dataclass(frozen=True, eq=False)
class Problem:
    """What solvers take: the request, the formula as ``read``, and held, limits and start as numbers of its coefficients."""

    request: FitRequest
    read: Formula
    held: Mapping[str, float]
    limits: Mapping[str, tuple[float, float]]
    start: Mapping[str, float]

    @property
    def by_squares(self) -> bool:
        """Whether squares are made least, and no other loss."""
        return self.request.loss == SQUARES

    @property
    def is_linear(self) -> bool:
        """Whether every coefficient enters linearly, limited ones, too."""
        return not prepared(self.request.formula, self.request.data, self.held).parts.nonlinear

    @cached_property
    def model(self) -> Prepared:
        """The formula made ready for a search."""
        return prepared(self.request.formula, self.request.data, self.held, self.limits)

    @cached_property
    def chosen(self) -> tuple[Rows, dict[str, Array]]:
        """The rows in use, and the columns of the right side on them. Raises DataError."""
        return pick_rows(self.read, self.request.data, self.request.sigma, self.request.weights)

    @property
    def columns(self) -> dict[str, Array]:
        """The columns of the right side on the rows in use."""
        return self.chosen[1]


def problem_of(request: FitRequest) -> Problem:
    """Return a request that was looked at. Raises FormulaError or DataError."""
    read = read_once(request.formula, frozenset(request.data))
    held = a_mapping(request.hold, "Held coefficients", '{"C": 0.0}')
    check_held(read, held)
    check_count(read, request.data, held)
    limits = check_limits(read.coefficients, str(read), request.limits, held)
    start = a_mapping(request.start, "Starts", '{"k": 0.1}')
    check_start(read, start)
    known = request.sigma is not None or request.covariance is not None
    check_options(request.level, request.seed, request.loss, request.absolute_sigma, known)
    return Problem(request, read, held, limits, start)


def check_held(read: Formula, held: Mapping[str, float]) -> None:
    """Insist that what is held are coefficients with finite values."""
    for name, value in held.items():
        if name not in read.coefficients:
            raise DataError(f"{name} is held but is no coefficient of {read}.", Fault.NO_SUCH_NAME)
        if not math.isfinite(a_number(value, f"The value at which {name} is held")):
            raise DataError(f"{name} is held at {value}, which is no finite number.", Fault.NOT_A_NUMBER)


def check_count(read: Formula, data: Mapping[str, Values], held: Mapping[str, float]) -> None:
    """Refuse more coefficients than there can be rows, before any of them is differentiated. Raises DataError."""
    free = sum(name not in held for name in read.coefficients)
    columns = [data[name] for name in read.measured]
    rows = min((len(column) for column in columns if isinstance(column, Sized)), default=free)
    if free > rows:
        raise DataError(f"{str(read)[:80]} has {free} coefficients, but only {rows} rows are in use.", Fault.TOO_FEW)


def check_start(read: Formula, start: Mapping[str, float] | None) -> None:
    """Insist that starts are finite and of coefficients. Raises DataError."""
    for name, value in (start or {}).items():
        if name not in read.coefficients:
            raise DataError(f"A start is given for {name}, which is no coefficient of {read}.", Fault.NO_SUCH_NAME)
        if not math.isfinite(a_number(value, f"The start of {name}")):
            raise DataError(f"The start of {name} is {value}, which is no finite number.", Fault.NOT_A_NUMBER)


def pick_rows(
    read: Formula, data: Mapping[str, Values], sigma: Sigma | None, weights: Values | None
) -> tuple[Rows, dict[str, Array]]:
    """Pick the rows with numbers in every column of the formula, and evaluate its left side on them.

    Beside them come the columns on the right side on these rows.
    """
    wanted = list(dict.fromkeys([*read.data, *read.measured]))
    missing = [name for name in wanted if name not in data]
    if missing:
        raise DataError(f"There is no column “{missing[0]}”.", Fault.NO_SUCH_NAME, column=missing[0])
    columns = {name: as_values(data[name], name) for name in wanted}
    n = check_lengths(columns)
    remarks = remarks_on({name: data[name] for name in wanted})
    assert read.left is not None
    left = columns[read.response] if isinstance(read.left, Name) else evaluate(read.left, columns, n)
    spread, called = None, "sigma"
    rough: tuple[Remark, ...] = ()
    if sigma is not None and n:
        spread, called, rough = sigma_of_left(read, columns, sigma, n)
    if len(read.data) == 1:
        names = (read.data[0], read.left_text)
        rows = choose_rows(columns[read.data[0]], left, spread, weights, names, called)
        return replace(rows, remarks=(*rows.remarks, *remarks, *rough)), {read.data[0]: rows.x}
    # Rows without a number in any column are left out in the same way as rows without y.
    together = np.zeros(n)
    for name in read.data:
        together = together + np.where(np.isfinite(columns[name]), 0.0, np.nan)
    label = ", ".join(read.data) or "row"
    rows = choose_rows(together, left, spread, weights, (label, read.left_text), called)
    used = {name: picked(columns[name], rows.in_use) for name in read.data}
    return replace(rows, remarks=(*rows.remarks, *remarks, *rough)), used
