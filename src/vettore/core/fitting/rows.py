"""Which rows a fit uses, and with what weight: the one policy for values that are not numbers.

A blank or non-finite value takes its row out of use for that calculation; the row is counted and
named in the result. Nothing is dropped silently.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vettore.core.arithmetic.numbers import DoubleDouble
from vettore.core.arrays import Array, Mask, Values, as_values, check_range, finite, remarks_on
from vettore.core.errors import DataError, Fault, name_rows
from vettore.core.remarks import Remark, RemarkKind

# Powers of ten by which values may exceed their σ, and σ differ among rows, before no digit can be trusted.
MOST_BESIDE, MOST_APART = 140, 60
# Standard deviations that differ by less are one.
SAME_SIGMA = 1e-12


@dataclass(frozen=True)
class Rows:
    """The rows in use: ``in_use`` has one entry per row given, the arrays one per row in use."""

    x: Array
    y: Array
    weights: DoubleDouble | None
    in_use: Mask
    left_out: tuple[int, ...]
    remarks: tuple[Remark, ...]

    @cached_property
    def sigma(self) -> Array | None:
        """The standard deviations of the rows as far as their weights tell them."""
        return None if self.weights is None else 1 / np.sqrt(self.weights.high)

    @cached_property
    def common_sigma(self) -> float | None:
        """The standard deviation of every row beside that of unit weight; None where rows differ."""
        if self.sigma is None:
            return 1.0
        low, high = float(self.sigma.min()), float(self.sigma.max())
        return low if high - low <= SAME_SIGMA * high else None


def choose_rows(
    x: Values,
    y: Values,
    sigma: Values | None,
    weights: Values | None,
    names: tuple[str, str],
    sigma_called: str = "sigma",
) -> Rows:
    """Check the columns against each other and pick the rows that can be used. Raises DataError."""
    if sigma is not None and weights is not None:
        raise DataError("Both sigma and weights were given; give one of them (weights are 1/sigma²).", Fault.CONFLICT)
    x_name, y_name = names
    given = {x_name: as_values(x, x_name), y_name: as_values(y, y_name)}
    spread_name = sigma_called if sigma is not None else "weights"
    spread = sigma if sigma is not None else weights
    if spread is not None:
        given[spread_name] = as_values(spread, spread_name)
    _check_lengths(given)
    if spread is not None:
        check_sign(given[spread_name], spread_name, zero_allowed=sigma is None)
    in_use = np.ones(len(given[x_name]), dtype=np.bool_)
    remarks = list(remarks_on({x_name: x, y_name: y}))
    number = len(remarks)
    for name, column in given.items():
        if name != "weights" and finite(column):
            continue
        bad = ~np.isfinite(column)
        if name == "weights":
            bad |= column == 0
        if bad.any():
            kind = RemarkKind.ROWS_WITHOUT_WEIGHT if name == "weights" else RemarkKind.ROWS_WITHOUT_NUMBER
            remarks.append(Remark(kind, (name,), tuple((np.flatnonzero(bad) + 1).tolist())))
            in_use &= ~bad
    if not in_use.any():
        raise DataError(f"No row has a number in both {x_name} and {y_name}: nothing is left to fit.", Fault.NOTHING)
    x_used, y_used = (picked(given[name], in_use) for name in names)
    check_range(y_used, y_name)
    weighing = None
    if spread is not None:
        in_them = given[spread_name][in_use]
        _check_beside(y_used, in_them, spread_name, sigma is None)
        weighing = DoubleDouble(in_them) if sigma is None else _weights(DoubleDouble(in_them))
    return Rows(
        x=x_used,
        y=y_used,
        weights=weighing,
        in_use=in_use,
        left_out=tuple((np.flatnonzero(~in_use) + 1).tolist()) if len(remarks) > number else (),
        remarks=tuple(remarks),
    )


def _weights(sigma: DoubleDouble) -> DoubleDouble:
    return DoubleDouble(np.ones(sigma.high.shape)) / (sigma * sigma)


def picked(column: Array, in_use: Mask) -> Array:
    """Return the values of the rows in use, as a copy: what was given may change later."""
    return column.copy() if in_use.all() else column[in_use]


def _check_beside(y: Array, spread: Array, name: str, is_weight: bool) -> None:
    """Insist that values over their σ can be squared and added, and that weights do not differ beyond all measure."""
    low, high = float(spread.min()), float(spread.max())
    power = 0.5 if is_weight else -1.0
    size = max(float(y.max()), -float(y.min())) or 1.0
    beside = [math.log10(size) + power * math.log10(edge) for edge in (low, high)]
    if max(map(abs, beside)) > MOST_BESIDE or abs(beside[1] - beside[0]) > MOST_APART:
        raise DataError(
            f"{name} ranges from {low:.3g} to {high:.3g} where y reaches {size:.3g}: weights so far apart leave the range "
            "of numbers. Check the unit of the ±.",
            Fault.OVERFLOW,
            column=name,
        )


def _check_lengths(columns: dict[str, Array]) -> None:
    (first_name, first), *others = columns.items()
    for name, column in others:
        if len(column) != len(first):
            long, short = (name, first_name) if len(column) > len(first) else (first_name, name)
            rows = range(min(len(first), len(column)) + 1, max(len(first), len(column)) + 1)
            raise DataError(
                f"{first_name} has {len(first)} values and {name} has {len(column)}: "
                f"{name_rows(rows)} of {long} have no {short}. Make them the same length.",
                Fault.LENGTHS,
                column=long,
                rows=rows,
            )


def check_sign(values: Array, name: str, zero_allowed: bool) -> None:
    bad = (np.flatnonzero(values < 0 if zero_allowed else values <= 0) + 1).tolist()
    if bad:
        rule = "must not be negative" if zero_allowed else "must be above zero"
        raise DataError(
            f"{name} {rule}, but {name_rows(bad)} {'is' if len(bad) == 1 else 'are'} not. "
            "Correct or set aside those rows.",
            Fault.BAD_ROWS,
            column=name,
            rows=bad,
        )
