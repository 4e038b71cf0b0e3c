"""One model fitted to several series together, some of its coefficients common to all, the others each series' own.

The rows are put one below another with a column that numbers the series; a coefficient A that is not common becomes
A₁ where that column is 1, A₂ where it is 2 … One fit of this formula weighs all rows alike, and its covariance tells how
the common coefficients and the others go together. Starts are the answers of the series alone.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import cached_property, partial
from typing import Any, TypeVar

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.errors import DataError, Fault, a_number
from vettore.core.fitting.after.compare import Nested, nested_f
from vettore.core.fitting.any_model import AnyModel, text_of
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.fit import fit
from vettore.core.fitting.left_side import Sigma, as_sigma
from vettore.core.fitting.limits import Limits, check_limits
from vettore.core.fitting.many_request import AllSeries, by_label, check_each, labelled
from vettore.core.fitting.prepared import prepared
from vettore.core.fitting.request import DEFAULT_SEED, SQUARES, check_options
from vettore.core.fitting.result import FitResult
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.tree import Call, Compare, Name, Node, Number, replaced
from vettore.core.formula.write import to_text
from vettore.core.telling import Tells

MOST_SERIES = 60
T = TypeVar("T")


@dataclass(frozen=True, eq=False, repr=False)
class SharedFit(Tells):
    """``result`` is the fit of all rows; ``coefficients`` has one mapping a series, by the names in the formula.

    ``rows`` are the places of each series' rows among those in use, ``labels`` what the series are called.
    """

    result: FitResult
    shared: tuple[str, ...]
    coefficients: tuple[Mapping[str, Coefficient], ...]
    rows: tuple[np.ndarray, ...]
    labels: tuple[str, ...] = ()
    _apart: Callable[[], FitResult] | None = field(default=None, repr=False)

    @cached_property
    def apart(self) -> FitResult:
        """The fit of the same rows with no coefficient in common: every series alone, their scatter one.

        Raises DataError where a coefficient goes with a constant of the series, which one series alone cannot tell.
        """
        if self._apart is None:
            raise DataError(
                "A coefficient goes with a constant of each series, so no series can be fitted alone.",
                Fault.UNAVAILABLE,
            )
        return self._apart()

    @property
    def against_apart(self) -> Nested:
        """The F test of the separate fits against this one: a small p says that what is taken for common is not."""
        return nested_f(self.result, self.apart)

    def _line(self) -> str:
        return f"{self.result.formula}; {len(self.coefficients)} series, {', '.join(self.shared)} common to all"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        columns: dict[str, Sequence[Any]] = {"series": list(self.labels)}
        for name in self.coefficients[0]:
            columns[name] = [own[name].value for own in self.coefficients]
            columns[f"{name} standard error"] = [own[name].standard_error for own in self.coefficients]
        return columns

    def _facts(self) -> Mapping[str, Any]:
        own = [{name: asdict(coefficient) for name, coefficient in series.items()} for series in self.coefficients]
        return {**self.result.to_dict(), "shared": self.shared, "coefficients": own, "rows": self.rows}


def _free_name(name: str, taken: Collection[str]) -> str:
    """Return a name that nothing has yet."""
    while name in taken:
        name += "_"
    return name


def fit_shared(
    formula: AnyModel,
    data: AllSeries,
    shared: Collection[str],
    *,
    constants: Mapping[str, Sequence[float] | Mapping[str, float]] | None = None,
    start: Mapping[str, float | Sequence[float]] | None = None,
    hold: Mapping[str, float] | None = None,
    limits: Limits | None = None,
    seed: int = DEFAULT_SEED,
    sigma: Sequence[Sigma] | Mapping[str, Sigma] | None = None,
    absolute_sigma: bool = False,
    level: float = 0.95,
) -> SharedFit:
    """Fit a formula to several series with the coefficients in ``shared`` common to all.

    A mapping of series gives them labels. ``constants`` are numbers of each series that the formula names, as the pH in
    ``k0 + k1*pH``: in the order of the series or by label. ``start`` and ``limits`` go with all series; a start may be one
    number for each. ``sigma`` gives the standard deviations of each series, see fit. Raises DataError, FormulaError.

    >>> from vettore import core
    >>> rows = [{"x": [0, 1, 2], "y": [1.0, 3.1, 4.9]}, {"x": [0, 1, 2], "y": [5.1, 7.0, 9.0]}]
    >>> both = core.fit_shared("y = a + b*x", rows, ["b"])
    >>> [round(each["a"].value, 3) for each in both.coefficients]
    [1.05, 5.083]
    >>> bool(both.against_apart.p > 0.05)
    True
    """
    check_options(level, seed, SQUARES, absolute_sigma, sigma is not None)
    labels, series = labelled(data)
    _check_series(series)
    spreads = by_label(sigma, labels)
    series = list(_with_constants(series, labels, constants or {}))
    held = dict(hold or {})
    text, _ = text_of(formula, series[0], None, None)
    read = _read_shared(text, list(series[0]), shared, held)
    bounds = check_limits(read.coefficients, str(read), limits, held)
    common = tuple(name for name in read.coefficients if name in shared)
    parts = _Parts(read, series, common, held)
    begin = _starts(parts, start or {}, spreads, seed, alone=not (constants and set(constants) & set(read.data)))
    options = {"hold": held, "seed": seed, "absolute_sigma": absolute_sigma, "level": level}
    joined = parts.joined()
    result = fit(
        parts.formula,
        joined,
        start=begin or None,
        limits=parts.of_each(bounds),
        sigma=None if spreads is None else _joined_sigma(read, spreads, parts.lengths),
        **options,  # type: ignore[arg-type]
    )
    # The starts are answers of searches, so nothing is looked for beside them.
    result = replace(result, trace=replace(result.trace, beside=None))

    apart = partial(_apart_of, text, series, limits, spreads, options)
    possible = not any(name in read.data for name in constants or {})
    return SharedFit(result, common, *parts.of_each_series(result, joined), labels, apart if possible else None)


def _apart_of(
    formula: str,
    series: Sequence[Mapping[str, Values]],
    limits: Limits | None,
    sigma: Sequence[Sigma] | None,
    options: Mapping[str, Any],
) -> FitResult:
    """Return the fit with nothing in common."""
    return fit_shared(formula, series, (), limits=limits, sigma=sigma, **options).result


class _Parts:
    """A formula over all series: each own coefficient in its place there, and the rows of all in columns."""

    def __init__(
        self,
        read: Formula,
        series: Sequence[Mapping[str, Values]],
        common: Collection[str],
        held: Mapping[str, float],
    ) -> None:
        self.read, self.series, self.held = read, series, held
        self.common, count = tuple(common), len(series)
        columns = list(series[0])
        self.own = [name for name in read.coefficients if name not in common and name not in held]
        self.number = _free_name("series", {*columns, *read.coefficients})
        self.called = {
            (name, i): _named(name, i, read.coefficients, columns) for name in self.own for i in range(count)
        }
        self.wanted = [*read.data, *read.measured]
        self.lengths = [len(as_values(values[self.wanted[0]], self.wanted[0])) for values in series]

    @property
    def formula(self) -> str:
        """The formula over all rows."""
        tree = self.read.right
        for name in self.own:
            tree = replaced(
                tree, name, _choice(self.number, [self.called[name, i] for i in range(len(self.series))], 0)
            )
        assert self.read.left is not None
        return f"{to_text(self.read.left)} = {to_text(tree)}"

    def joined(self) -> dict[str, Array]:
        """Return the rows of all series, with the number of each."""
        out = {
            name: np.concatenate([as_values(values[name], name) for values in self.series]) for name in self.wanted
        }
        return {**out, self.number: np.repeat(np.arange(1.0, len(self.series) + 1), self.lengths)}

    def of_each_series(
        self, result: FitResult, joined: Mapping[str, Array]
    ) -> tuple[tuple[Mapping[str, Coefficient], ...], tuple[np.ndarray, ...]]:
        """Return the coefficients of each series by their names in the formula, and the places of its rows."""
        count = range(len(self.series))
        place = joined[self.number][result.rows_in_use]
        return (
            tuple(
                {name: result.coefficients[self.called.get((name, i), name)] for name in self.read.coefficients}
                for i in count
            ),
            tuple(np.flatnonzero(place == i + 1) for i in count),
        )

    def of_each(self, given: Mapping[str, T]) -> dict[str, T]:
        """Return what is given of coefficients for those of the formula over all series."""
        out: dict[str, T] = {}
        for name, value in given.items():
            names = [self.called[name, i] for i in range(len(self.series))] if name in self.own else [name]
            out |= dict.fromkeys(names, value)
        return out


def _with_constants(
    series: Sequence[Mapping[str, Values]],
    labels: Sequence[str],
    constants: Mapping[str, Sequence[float] | Mapping[str, float]],
) -> Sequence[Mapping[str, Values]]:
    """Return the series with their constants as columns. Raises DataError."""
    out: list[dict[str, Any]] = [dict(values) for values in series]
    for name, given in constants.items():
        if any(name in arrays for arrays in series):
            raise DataError(
                f"{name} is a column of the data and cannot be a constant of each series, too.", Fault.CONFLICT
            )
        if isinstance(given, Mapping):
            missing = [label for label in labels if label not in given]
            if missing:
                raise DataError(
                    f"The constants {name} have no number for series “{missing[0]}”. Give one for each.",
                    Fault.MISSING,
                )
            given = [given[label] for label in labels]
        check_each(given, labels, name)
        for by_name, value in zip(out, given, strict=True):
            rows = len(as_values(next(iter(by_name.values())), next(iter(by_name))))
            by_name[name] = np.full(rows, a_number(value, f"{name} of a series"))
    return out


def _check_series(data: Sequence[Mapping[str, Values]]) -> None:
    """Insist on two series or more, and not too many. Raises DataError."""
    if len(data) < 2:
        raise DataError("A fit with common coefficients needs at least two series.", Fault.TOO_FEW)
    if len(data) > MOST_SERIES:
        raise DataError(
            f"Up to {MOST_SERIES} series can be fitted together, but {len(data)} were given.", Fault.TOO_MANY
        )


def _read_shared(formula: str, columns: Sequence[str], shared: Collection[str], held: Mapping[str, float]) -> Formula:
    """Return the formula, which has a measured left side and the coefficients that are to be common. Raises DataError."""
    read = read_formula(formula, columns)
    if read.left is None:
        raise DataError(
            "The formula names no measured column. Write it before an =, as in y = a + b*x.", Fault.MISSING
        )
    strange = [name for name in shared if name not in read.coefficients or name in held]
    if strange:
        raise DataError(f"{strange[0]} cannot be common: it is no free coefficient of {read}.", Fault.CONFLICT)
    return read


def _starts(
    parts: _Parts,
    given: Mapping[str, float | Sequence[float]],
    sigma: Sequence[Sigma] | None,
    seed: int,
    alone: bool,
) -> dict[str, float]:
    """Return where the search begins: as given, else common coefficients at the median of the series fitted ``alone``.

    Coefficients of their own begin there where each series alone has them. Raises DataError.
    """
    read, series = parts.read, parts.series
    out: dict[str, float] = {}
    for name, value in given.items():
        if name not in parts.own and name not in parts.common:
            raise DataError(
                f"A start is given for {name}, which is no free coefficient of {read}.", Fault.NO_SUCH_NAME
            )
        values = [value] * len(series) if isinstance(value, (int, float)) else list(value)
        if name in parts.common and len(set(values)) > 1:
            raise DataError(f"{name} is common to all series, so it has one start.", Fault.NO_EFFECT)
        check_each(values, parts.lengths, f"starts of {name}")
        numbers = [a_number(amount, f"A start of {name}") for amount in values]
        out |= {parts.called.get((name, i), name): number for i, number in enumerate(numbers)}
    text = f"{to_text(read.left)} = {to_text(read.right)}" if read.left is not None else ""
    nonlinear = prepared(text, list(series[0]), parts.held).parts.nonlinear
    if not alone or not [name for name in nonlinear if name not in given]:
        return out
    spreads = [None] * len(series) if sigma is None else sigma
    fits = [
        fit(text, arrays, hold=parts.held, seed=seed, sigma=own) for arrays, own in zip(series, spreads, strict=True)
    ]
    for name in (name for name in nonlinear if name not in given):
        values = [result.coefficients[name].value for result in fits]
        if name in parts.common:
            out[name] = float(np.median(values))
        else:
            out |= {parts.called[name, place]: value for place, value in enumerate(values)}
    return out


def _joined_sigma(read: Formula, sigma: Sequence[Sigma], lengths: Sequence[int]) -> dict[str, Array]:
    each = [values if isinstance(values, Mapping) else {read.response: values} for values in sigma]
    known = [name for name in read.measured if all(name in by_name for by_name in each)]
    return {
        name: np.concatenate([as_sigma(table[name], n) for table, n in zip(each, lengths, strict=True)])
        for name in known
    }


def _named(name: str, i: int, coefficients: Collection[str], columns: Collection[str]) -> str:
    new = f"{name}_{i + 1}"
    while new in coefficients or new in columns:
        new += "_"
    return new


def _choice(number: str, own: Sequence[str], first: int) -> Node:
    """Return the coefficient of the series whose number stands in the row, by halving."""
    if len(own) == 1:
        return Name(own[0])
    half = len(own) // 2
    before = Compare("<=", Name(number), Number(float(first + half)))
    return Call("if", (before, _choice(number, own[:half], first), _choice(number, own[half:], first + half)))
