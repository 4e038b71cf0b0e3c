"""One model fitted to several series together, some of its coefficients common to all, the others each series' own.

The rows are put one below another with a column that numbers the series; a coefficient A that is not common becomes
A₁ where that column is 1, A₂ where it is 2 … One fit of this formula weighs all rows alike, and its covariance tells how
the common coefficients and the others go together. Starts are the answers of the series alone.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.errors import DataError
from vettore.core.fitting.asked import DEFAULT_SEED, Options
from vettore.core.fitting.left_side import Sigma, as_sigma
from vettore.core.fitting.nonlinear import fit
from vettore.core.fitting.prepared import prepared
from vettore.core.fitting.result import Coefficient, FitResult
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.formula.tree import Call, Compare, Name, Node, Number, replaced
from vettore.core.formula.write import to_text
from vettore.core.telling import Tells

MOST_SERIES = 60


@dataclass(frozen=True, eq=False, repr=False)
class SharedFit(Tells):
    """``result`` is the fit of all rows; ``coefficients`` has one mapping a series, by the names in the formula.

    ``rows`` are the places of each series' rows among those in use.
    """

    result: FitResult
    shared: tuple[str, ...]
    coefficients: tuple[Mapping[str, Coefficient], ...]
    rows: tuple[np.ndarray, ...]

    def _line(self) -> str:
        return f"{self.result.formula}; {len(self.coefficients)} series, {', '.join(self.shared)} common to all"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        columns: dict[str, Sequence[Any]] = {"series": list(range(1, len(self.coefficients) + 1))}
        for name in self.coefficients[0]:
            columns[name] = [own[name].value for own in self.coefficients]
            columns[f"{name} standard error"] = [own[name].standard_error for own in self.coefficients]
        return columns

    def _facts(self) -> Mapping[str, Any]:
        own = [{name: asdict(one) for name, one in series.items()} for series in self.coefficients]
        return {**self.result.to_dict(), "shared": self.shared, "coefficients": own, "rows": self.rows}


def _free_name(name: str, taken: Collection[str]) -> str:
    """Return a name that nothing has yet."""
    while name in taken:
        name += "_"
    return name


def fit_shared(
    formula: str,
    data: Sequence[Mapping[str, Values]],
    shared: Collection[str],
    *,
    hold: Mapping[str, float] | None = None,
    seed: int = DEFAULT_SEED,
    sigma: Sequence[Sigma] | None = None,
    absolute_sigma: bool = False,
    level: float = 0.95,
) -> SharedFit:
    """Fit a formula to several series with the coefficients in ``shared`` common to all.

    ``sigma`` gives the standard deviations of each series, see fit. Raises DataError, FormulaError.

    >>> from vettore import core
    >>> rows = [{"x": [0, 1, 2], "y": [1.0, 3.1, 4.9]}, {"x": [0, 1, 2], "y": [5.1, 7.0, 9.0]}]
    >>> both = core.fit_shared("y = a + b*x", rows, ["b"])
    >>> [round(each["a"].value, 3) for each in both.coefficients]
    [1.05, 5.083]
    """
    Options(seed=seed, absolute_sigma=absolute_sigma, level=level).check(sigma is not None)
    _check_series(data, sigma)
    columns = list(data[0])
    held = dict(hold or {})
    read = _read_shared(formula, columns, shared, held)
    assert read.left is not None
    common = tuple(name for name in read.coefficients if name in shared)
    own = [name for name in read.coefficients if name not in common and name not in held]
    number = _free_name("series", {*columns, *read.coefficients})
    called = {(name, i): _named(name, i, read.coefficients, columns) for name in own for i in range(len(data))}
    tree = read.right
    for name in own:
        tree = replaced(tree, name, _choice(number, [called[name, i] for i in range(len(data))], 0))
    wanted = [*read.data, *read.measured]
    joined = {name: np.concatenate([as_values(one[name], name) for one in data]) for name in wanted}
    lengths = [len(as_values(one[wanted[0]], wanted[0])) for one in data]
    joined[number] = np.repeat(np.arange(1.0, len(data) + 1), lengths)
    start: dict[str, float] = {}
    nonlinear = prepared(formula, columns, held).parts.nonlinear
    if nonlinear:
        spreads = [None] * len(data) if sigma is None else sigma
        alone = [fit(formula, one, hold=held, seed=seed, sigma=own) for one, own in zip(data, spreads, strict=True)]
        start = _starts(nonlinear, alone, common, called)
    spread = None if sigma is None else _joined_sigma(read, sigma, lengths)
    options: dict[str, Any] = {"hold": held, "seed": seed, "absolute_sigma": absolute_sigma, "level": level}
    result = fit(f"{to_text(read.left)} = {to_text(tree)}", joined, start=start, sigma=spread, **options)
    # The starts are answers of searches, so nothing is looked for beside them.
    result = replace(result, beside=None)
    told = tuple(
        {name: result.coefficients[called.get((name, i), name)] for name in read.coefficients}
        for i in range(len(data))
    )
    series = joined[number][result.rows_in_use]
    rows = tuple(np.flatnonzero(series == i + 1) for i in range(len(data)))
    return SharedFit(result, common, told, rows)


def _check_series(data: Sequence[Mapping[str, Values]], sigma: Sequence[Sigma] | None) -> None:
    """Insist on two series or more, not too many, and ± for each or none. Raises DataError."""
    if sigma is not None and len(sigma) != len(data):
        raise DataError(f"{len(data)} series were given, but sigma for {len(sigma)}. Give one for each.")
    if len(data) < 2:
        raise DataError("A fit with common coefficients needs at least two series.")
    if len(data) > MOST_SERIES:
        raise DataError(f"Up to {MOST_SERIES} series can be fitted together, but {len(data)} were given.")


def _read_shared(formula: str, columns: Sequence[str], shared: Collection[str], held: Mapping[str, float]) -> Formula:
    """Return the formula, which has a measured left side and the coefficients that are to be common. Raises DataError."""
    read = read_formula(formula, columns)
    if read.left is None:
        raise DataError("The formula names no measured column. Write it before an =, as in y = a + b*x.")
    strange = [name for name in shared if name not in read.coefficients or name in held]
    if strange:
        raise DataError(f"{strange[0]} cannot be common: it is no free coefficient of {read}.")
    return read


def _starts(
    nonlinear: Sequence[str],
    alone: Sequence[FitResult],
    common: Collection[str],
    called: Mapping[tuple[str, int], str],
) -> dict[str, float]:
    """Return where the search begins: common coefficients at the median of the series fitted alone, others at theirs."""
    out: dict[str, float] = {}
    for name in nonlinear:
        values = [result.coefficients[name].value for result in alone]
        if name in common:
            out[name] = float(np.median(values))
        else:
            out |= {called[name, place]: value for place, value in enumerate(values)}
    return out


def _joined_sigma(read: Formula, sigma: Sequence[Sigma], lengths: Sequence[int]) -> dict[str, Array]:
    each = [one if isinstance(one, Mapping) else {read.response: one} for one in sigma]
    known = [name for name in read.measured if all(name in one for one in each)]
    return {
        name: np.concatenate([as_sigma(one[name], n) for one, n in zip(each, lengths, strict=True)]) for name in known
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
