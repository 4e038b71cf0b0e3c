"""Practice data: a series made from a known formula with noise and a seed. The truth stays attached."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from vettore.core.arrays import Array, Values, as_values
from vettore.core.errors import DataError, Fault
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.formula.tree import names
from vettore.core.telling import Tells, short

MOST_ROWS = 10_000_000


class MadeNoise(StrEnum):
    """How the noise is spread: its size is a standard deviation, a half width, nothing (Poisson), or a share of y."""

    NORMAL = "normal"
    UNIFORM = "uniform"
    POISSON = "Poisson"
    RELATIVE = "relative"


class Spacing(StrEnum):
    """How x is spread over its range."""

    EVEN = "even"
    RANDOM = "random"
    LOGARITHMIC = "logarithmic"


@dataclass(frozen=True, eq=False, repr=False)
class PracticeData(Tells):
    """Made-up rows and the truth behind them; arrays of shape (n,). ``outliers`` are rows counted from 0."""

    x: Array
    y: Array
    true_y: Array
    formula: str
    values: Mapping[str, float]
    outliers: tuple[int, ...]
    x_name: str
    y_name: str

    def _line(self) -> str:
        return f"{self.formula} with {', '.join(f'{k} = {short(v)}' for k, v in self.values.items())}, {len(self.x)} rows"

    def _columns(self) -> Mapping[str, Sequence[Any]]:
        true = f"true {self.y_name}"
        return {self.x_name: self.x.tolist(), self.y_name: self.y.tolist(), true: self.true_y.tolist()}

    def _facts(self) -> Mapping[str, Any]:
        return asdict(self)


def practice_x(low: float, high: float, count: int, spacing: Spacing | str = "even", seed: int = 1) -> Array:
    """Return ``count`` values from low to high. Raises DataError."""
    if not 1 <= count <= MOST_ROWS:
        raise DataError(
            f"The number of rows must lie between 1 and {MOST_ROWS:,}; {count} was given.", Fault.OUT_OF_BOUNDS
        )
    if not (np.isfinite(low) and np.isfinite(high) and low <= high):
        raise DataError(f"The range of x must rise; it goes from {low} to {high}.", Fault.OUT_OF_BOUNDS)
    if spacing == Spacing.RANDOM:
        return np.sort(np.random.default_rng([seed, 1]).uniform(low, high, count))
    if spacing == Spacing.LOGARITHMIC:
        if low <= 0:
            raise DataError(f"A logarithmic range begins above 0; {low} was given.", Fault.OUT_OF_BOUNDS)
        return np.geomspace(low, high, count)
    return np.linspace(low, high, count)


def practice(
    formula: str,
    values: Mapping[str, float],
    x: Values,
    *,
    noise: float = 0.0,
    seed: int = 1,
    kind: MadeNoise | str = "normal",
    outliers: int = 0,
) -> PracticeData:
    """Return rows of ``formula`` with true coefficients ``values`` at ``x``, with noise.

    The name left over besides the coefficients is x. ``outliers`` rows are moved by 8 to 15 times the noise (or by
    a fifth to half of the range of y where there is none). The same seed gives the same rows.
    Raises FormulaError or DataError.

    >>> from vettore import core
    >>> made = core.practice("y = a + b*x", {"a": 1.0, "b": 2.0}, [0, 1, 2], noise=0.1, seed=3)
    >>> len(made.y)
    3
    """
    columns = as_values(x, "x")
    if not len(columns) or not np.isfinite(columns).all():
        raise DataError("x must hold at least one number and no blanks.", Fault.BAD_ROWS)
    if noise < 0 or not np.isfinite(noise):
        raise DataError(f"The noise must not be negative; {noise} was given.", Fault.OUT_OF_BOUNDS)
    read = read_formula(formula)
    free = [name for name in names(read.right) if name not in values]
    if len(free) > 1:
        raise DataError(
            f"{', '.join(free[1:])} has no value. Give every coefficient a value; one name is left for x.",
            Fault.MISSING,
        )
    unused = [name for name in values if name not in names(read.right)]
    if unused:
        raise DataError(f"{unused[0]} has a value but does not stand in the formula.", Fault.NO_SUCH_NAME)
    x_name = free[0] if free else "x"
    true_y = evaluate(read.right, {**values, x_name: columns}, len(columns))
    bad = np.flatnonzero(~np.isfinite(true_y))
    if len(bad):
        raise DataError(
            f"The formula has no value at {x_name} = {columns[bad[0]]:.6g}. Change the range or the coefficients.",
            Fault.NO_VALUE,
        )
    rng = np.random.default_rng([seed, 2])
    y = _with_noise(true_y, noise, MadeNoise(kind), rng)
    far = _move_outliers(y, true_y, noise, min(outliers, len(y)), MadeNoise(kind), rng)
    text = str(read) if read.left is not None else f"y = {read}"
    return PracticeData(columns, y, true_y, text, dict(values), far, x_name, read.response or "y")


def _with_noise(true_y: Array, noise: float, kind: MadeNoise, rng: np.random.Generator) -> Array:
    if kind is MadeNoise.POISSON:
        if (true_y < 0).any():
            raise DataError("Poisson noise needs a formula that is never negative.", Fault.OUT_OF_BOUNDS)
        return rng.poisson(true_y).astype(np.float64)
    if kind is MadeNoise.UNIFORM:
        return true_y + rng.uniform(-1, 1, len(true_y)) * noise
    normal = rng.standard_normal(len(true_y))
    return true_y + normal * (noise * np.abs(true_y) if kind is MadeNoise.RELATIVE else noise)


def _move_outliers(
    y: Array, true_y: Array, noise: float, count: int, kind: MadeNoise, rng: np.random.Generator
) -> tuple[int, ...]:
    if count <= 0:
        return ()
    rows = np.sort(rng.choice(len(y), count, replace=False))
    far = rng.uniform(8, 15, count) * rng.choice([-1, 1], count)
    size = {
        MadeNoise.POISSON: np.sqrt(np.maximum(true_y[rows], 1)),
        MadeNoise.RELATIVE: noise * np.abs(true_y[rows]),
    }.get(kind, np.full(count, noise))
    spread = float(np.ptp(true_y)) or 1.0
    y[rows] += far * np.where(size > 0, size, spread / 30)
    return tuple(int(row) for row in rows)
