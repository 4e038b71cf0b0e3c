"""A column in numbers."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from vettore.core.arithmetic.numbers import MOST_ROWS_EXACT, DoubleDouble, mean_and_squares, power_of_two_near
from vettore.core.arrays import Array, Values, as_values, finite, in_range, largest
from vettore.core.errors import DataError, Fault
from vettore.core.telling import Tells, short


@dataclass(frozen=True, repr=False)
class Description(Tells):
    """A column in numbers. Variance and standard deviation divide by count − 1 and are None for one value.

    The variance is None, too, where it leaves the range of numbers.
    """

    count: int
    blank: int
    sum: float
    mean: float
    median: float
    variance: float | None
    standard_deviation: float | None
    standard_error: float | None
    minimum: float
    maximum: float
    lower_quartile: float
    upper_quartile: float

    def _line(self) -> str:
        deviation = (
            "" if self.standard_deviation is None else f", standard deviation {short(self.standard_deviation)}"
        )
        return f"{self.count} values, {self.blank} blank, mean {short(self.mean)}{deviation}"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        return {"figure": [name.replace("_", " ") for name in asdict(self)], "value": list(asdict(self).values())}

    def _facts(self) -> Mapping[str, Any]:
        return asdict(self)


def describe(values: Values) -> Description:
    """Describe a column of shape (n,). Blank and non-finite values are left out and counted as ``blank``.

    Mean and variance are worked out in double-double, two passes; quartiles and median are
    linear between order statistics (Hyndman & Fan 1996, definition 7). Raises DataError if nothing is left.

    >>> from vettore import core
    >>> core.describe([3.1, 2.9, 3.4, None]).mean
    3.1333333333333333
    >>> core.describe([3.1, 2.9, 3.4, None]).blank
    1
    """
    column = as_values(values, "values")
    used = _finite_of(column)
    blank = len(column) - len(used)
    if len(used) == 0:
        raise DataError(f"There is no number to describe: all {len(column)} values are blank.", Fault.NOTHING)
    scale = 1.0 if in_range(used) else power_of_two_near(largest(used))
    mean, squares = mean_and_squares(used if scale == 1.0 else used / scale)
    mean *= scale
    variance = squares / (len(used) - 1) if len(used) > 1 else None
    deviation = math.sqrt(variance) * scale if variance is not None else None
    if scale != 1.0 and variance:
        variance = None
    ordered = np.sort(used)
    return Description(
        count=len(used),
        blank=blank,
        sum=_sum(used),
        mean=mean,
        median=quantile(ordered, 0.5),
        variance=variance,
        standard_deviation=deviation,
        standard_error=deviation / math.sqrt(len(used)) if deviation is not None else None,
        minimum=float(ordered[0]),
        maximum=float(ordered[-1]),
        lower_quartile=quantile(ordered, 0.25),
        upper_quartile=quantile(ordered, 0.75),
    )


def _finite_of(values: Array) -> Array:
    """Return the finite values: themselves where all are, since of very many a copy is not to be had for nothing."""
    return values if finite(values) else values[np.isfinite(values)]


def _sum(values: Array) -> float:
    """Add up, in double-double up to the length at which pairwise sums in double are as good as anyone needs."""
    return float(DoubleDouble(values).sum().rounded()) if len(values) <= MOST_ROWS_EXACT else float(values.sum())


def quantile(ordered: Array, fraction: float) -> float:
    """Return the quantile of values in rising order, linear between neighbours."""
    place = fraction * (len(ordered) - 1)
    below = math.floor(place)
    above = min(below + 1, len(ordered) - 1)
    low, high = float(ordered[below]), float(ordered[above])
    return low + (high - low) * (place - below) if high != low else low


def histogram(values: Array, most: int = 24) -> tuple[Array, Array]:
    """Return counts of shape (k,) and edges of shape (k + 1,) of the finite values.

    The width follows Freedman & Diaconis (1981), between 1 and ``most`` bars.
    """
    used = np.sort(_finite_of(values))
    if len(used) == 0 or used[0] == used[-1]:
        edge = used[0] if len(used) else 0.0
        return np.array([float(len(used))]), np.array([edge - 0.5, edge + 0.5])
    width = 2 * (quantile(used, 0.75) - quantile(used, 0.25)) / len(used) ** (1 / 3)
    span = float(used[-1] - used[0])
    bars = int(np.clip(np.ceil(span / width), 4, most)) if width > span / most else most
    edges = np.linspace(used[0], used[-1], bars + 1)
    places = np.clip(np.searchsorted(edges, used, side="right") - 1, 0, bars - 1)
    return np.bincount(places, minlength=bars).astype(np.float64), edges


def median_absolute_deviation(values: Array) -> float:
    """Return the median distance from the median of the finite values (not scaled)."""
    away = _finite_of(values)
    away = away - np.median(away)
    return float(np.median(np.abs(away, out=away), overwrite_input=True))


@dataclass(frozen=True)
class Relation:
    """How two columns go together, over the rows that have both; None where it cannot be known."""

    count: int
    covariance: float | None
    correlation: float | None
    rank_correlation: float | None


def relation(first: Values, second: Values) -> Relation:
    """Return covariance (n − 1), Pearson's correlation and Spearman's rank correlation of two columns (n,).

    >>> from vettore import core
    >>> core.relation([1, 2, 3, 4], [2.1, 3.9, 6.2, 7.8]).correlation > 0.99
    True
    """
    a, b = as_values(first, "the first column"), as_values(second, "the second column")
    if len(a) != len(b):
        raise DataError(f"The columns have {len(a)} and {len(b)} values; they must be equally long.", Fault.LENGTHS)
    both = np.isfinite(a) & np.isfinite(b)
    a, b = a[both], b[both]
    if len(a) < 2:
        return Relation(len(a), None, None, None)
    by_mean, by_rank = _Together.of(a, b), _Together.of(ranks(a), ranks(b))
    return Relation(len(a), by_mean.products / (len(a) - 1), by_mean.correlation, by_rank.correlation)


def ranks(values: Array) -> Array:
    """Return ranks from 1; equal values share the mean of theirs."""
    order = np.argsort(values, kind="stable")
    ordered, out = values[order], np.empty(len(values))
    first = np.concatenate([[True], ordered[1:] != ordered[:-1]])[: len(values)]
    if first.all():
        out[order] = np.arange(1.0, len(values) + 1)
        return out
    starts = np.flatnonzero(first)
    counts = np.diff(np.append(starts, len(values)))
    out[order] = np.repeat(starts + (counts + 1) / 2, counts)
    return out


@dataclass(frozen=True)
class _Together:
    """Sums of two columns about their means: of products, and of the squares of each."""

    products: float
    squares: tuple[float, float]

    @classmethod
    def of(cls, a: Array, b: Array) -> _Together:
        (mean_a, squares_a), (mean_b, squares_b) = mean_and_squares(a), mean_and_squares(b)
        return cls(_sum_of_products(a - mean_a, b - mean_b), (squares_a, squares_b))

    @property
    def correlation(self) -> float | None:
        size = self.squares[0] * self.squares[1]
        return float(np.clip(self.products / math.sqrt(size), -1.0, 1.0)) if size > 0 else None


def _sum_of_products(a: Array, b: Array) -> float:
    if len(a) > MOST_ROWS_EXACT:
        return float(np.sum(a * b))
    return float((DoubleDouble(a) * DoubleDouble(b)).sum().rounded())
