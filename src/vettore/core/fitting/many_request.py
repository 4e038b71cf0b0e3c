"""What the fits of many series are asked for, and their rows stacked into arrays."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np

from vettore.core.arrays import Array, Mask, Values, as_values, finite
from vettore.core.errors import DataError, Fault
from vettore.core.fitting.left_side import Sigma, sigma_of_left
from vettore.core.fitting.prepared import Prepared
from vettore.core.fitting.request import FitRequest
from vettore.core.fitting.result import FitResult
from vettore.core.fitting.rows import check_sign
from vettore.core.frames import as_columns

# Series, each a mapping or a table of columns: listed, by their labels, or as the groups of a data frame.
AllSeries: TypeAlias = Sequence[Mapping[str, Values]] | Mapping[str, Mapping[str, Values]]


@dataclass(frozen=True, eq=False)
class ManyRequest:
    """The series, and what their fits are asked for: see fit_many. ``starts`` and ``sigma`` are those of each series.

    ``each`` is the request of one, whose formula, hold, limits, level and seed are those of all; ``held`` and ``limits`` are
    checked.
    """

    each: FitRequest
    series: Sequence[Mapping[str, Values]]
    labels: tuple[str, ...]
    starts: Sequence[Mapping[str, float] | None]
    sigma: Sequence[Sigma] | None
    held: Mapping[str, float]
    limits: Mapping[str, tuple[float, float]]
    # Fits one of them alone.
    by: Callable[[FitRequest], FitResult]

    def label(self, place: int) -> str:
        """Return how a message calls a series."""
        own = self.labels[place]
        return f"Series {own}" if own == str(place + 1) else f"Series “{own}”"

    def sigma_of(self, place: int) -> Sigma | None:
        """Return the ± of a series."""
        return None if self.sigma is None else self.sigma[place]

    def inside(self, values: Mapping[str, float]) -> bool:
        """Whether coefficients lie within their limits."""
        return all(low < values[name] < high for name, (low, high) in self.limits.items())

    def request_of(self, place: int) -> FitRequest:
        """Return the request of the fit of a series alone."""
        return self.each.with_(data=self.series[place], start=self.starts[place], sigma=self.sigma_of(place))

    def alone(self, place: int) -> FitResult:
        """Fit a series alone. Raises DataError, which names it."""
        try:
            return self.by(self.request_of(place))
        except DataError as error:
            raise DataError(f"{self.label(place)}: {error}", error.code) from None


def labelled(data: AllSeries) -> tuple[tuple[str, ...], list[Mapping[str, Values]]]:
    """Return what series are called, by their keys or counted from 1, and the series."""
    if isinstance(data, Mapping):
        return tuple(map(str, data)), [as_columns(series, str(label)) for label, series in data.items()]
    listed: list[Any] = list(data)
    if listed and all(isinstance(entry, tuple) and len(entry) == 2 for entry in listed):
        # The groups of a data frame, each with its label.
        return labelled({_label(label): series for label, series in listed})
    return tuple(map(str, range(1, len(listed) + 1))), [as_columns(series) for series in listed]


def _label(label: Any) -> str:
    return " · ".join(map(str, label)) if isinstance(label, tuple) else str(label)


def check_each(given: Sequence[object], labels: Sequence[object], name: str) -> None:
    """Insist on as many of something as there are series. Raises DataError."""
    if len(given) != len(labels):
        raise DataError(
            f"{len(labels)} series were given, but {name} for {len(given)}. Give one for each.", Fault.LENGTHS
        )


def by_label(sigma: Sequence[Sigma] | Mapping[str, Sigma] | None, labels: Sequence[str]) -> Sequence[Sigma] | None:
    """Return the ± of each series in their order. Raises DataError."""
    if sigma is None:
        return None
    if isinstance(sigma, Mapping):
        missing = [label for label in labels if label not in sigma]
        if missing:
            raise DataError(f"sigma names no ± for series “{missing[0]}”. Give one for each.", Fault.NOT_TOLD)
        return [sigma[label] for label in labels]
    if np.ndim(sigma) == 0:  # type: ignore[arg-type]
        return [sigma] * len(labels)  # type: ignore[list-item]
    check_each(sigma, labels, "sigma")
    return sigma


def stacked(model: Prepared, request: ManyRequest) -> tuple[dict[str, Array], Array, Array]:
    """Return columns and response of shape (fits, rows), and the roots of their weights, 0 for rows out of use.

    A column that is one and the same array in all series stays one, of shape (1, rows).
    """
    read, series = model.formula, request.series
    wanted = list(dict.fromkeys([*read.data, *read.measured]))
    tables = {}
    for name in wanted:
        try:
            lists = [numbers[name] for numbers in series]
        except KeyError:
            place = next(i for i, by_name in enumerate(series) if name not in by_name)
            raise DataError(
                f"{request.label(place)} has no column “{name}”.", Fault.NO_SUCH_NAME, column=name
            ) from None
        try:
            if not all(_is_simple(values) for values in lists):
                # Masks, missing values and dates are for the one door of values.
                raise TypeError
            common = (
                name not in read.measured and lists[-1] is lists[0] and all(amounts is lists[0] for amounts in lists)
            )
            table = np.array(lists[:1] if common else lists, dtype=np.float64)
        except (ValueError, TypeError):
            arrays = [as_values(by_key[name], name) for by_key in series]
            table = np.full((len(arrays), max(map(len, arrays))), np.nan)
            for i, values in enumerate(arrays):
                table[i, : len(values)] = values
        if table.ndim != 2:
            raise DataError(f"{name} is not a list of numbers in every series.", Fault.WRONG_KIND, column=name)
        tables[name] = table
    mask = _rows_with_numbers(tables, read.response)
    from vettore.core.formula.evaluate import Program

    assert read.left is not None
    with np.errstate(all="ignore"):
        y = np.broadcast_to(
            np.asarray(Program(read.left)({name: tables[name] for name in read.measured})), mask.shape
        )
    if not finite(y):
        y, mask = np.where(np.isfinite(y), y, 0.0), mask & np.isfinite(y)
    columns = {name: tables[name] for name in read.data}
    return columns, y, mask.astype(np.float64) if request.sigma is None else _roots(model, request, mask)


def _rows_with_numbers(tables: dict[str, Array], response: str) -> Mask:
    """Return the rows in use, and give the others the numbers of one that is, so that the formula has a value there."""
    if len({table.shape[1] for table in tables.values()}) > 1:
        raise DataError("The columns of a series are not equally long.", Fault.LENGTHS)
    mask = np.ones(tables[response].shape, dtype=np.bool_)
    for table in tables.values():
        if not finite(table):
            mask &= np.isfinite(table)
    if not mask.all():
        first = np.argmax(mask, axis=1)
        for name, table in tables.items():
            whole = np.broadcast_to(table, mask.shape)
            tables[name] = np.where(mask, whole, whole[np.arange(len(whole)), first][:, None])
    return mask


def _roots(model: Prepared, request: ManyRequest, mask: Mask) -> Array:
    """Return 1/σ (fits, rows) of the left sides; 0 for rows out of use and without a ±. Raises DataError."""
    read, roots = model.formula, np.zeros(mask.shape)
    for place, values in enumerate(request.series):
        sigma = request.sigma_of(place)
        assert sigma is not None
        measured = {name: as_values(values[name], name) for name in read.measured}
        n = len(measured[read.response])
        try:
            spread, called, _ = sigma_of_left(read, measured, sigma, n)
            if len(spread) != n:
                raise DataError(
                    f"{called} has {len(spread)} values for {n} rows. Make them the same length.", Fault.LENGTHS
                )
            check_sign(spread, called, zero_allowed=False)
        except DataError as error:
            raise DataError(f"{request.label(place)}: {error}", error.code) from None
        roots[place, :n] = np.where(np.isfinite(spread), 1 / spread, 0.0)
    return np.where(mask, roots, 0.0)


def _is_simple(values: Values) -> bool:
    """Whether values are an array of numbers or a list, and need no second look."""
    return isinstance(values, (list, tuple)) or (type(values) is np.ndarray and values.dtype.kind in "fiub")
