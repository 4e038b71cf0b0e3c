"""Shaping a fit by hand: values given to coefficients, the curve and residuals that follow, how far from the best."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from vettore.core.arrays import Array
from vettore.core.fitting.coefficients import Coefficient
from vettore.core.fitting.formula_curve import FormulaCurve
from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import Formula, read_formula
from vettore.core.rounding import NumberStyle
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.pulls import formula_of

# Residuals of more rows than this are shown for some of them while a value is dragged.
MOST_WHILE_DRAGGING = 200
# One pixel of dragging changes a value by this share of its standard error, or of its size where that is not known.
SHARE_OF_ERROR, SHARE_OF_SIZE = 0.25, 0.003


def step_of(coefficient: Coefficient, spread: float) -> float:
    """Return what one pixel of dragging changes; ``spread`` is that of y, for a coefficient at zero."""
    if coefficient.standard_error is not None and coefficient.standard_error > 0:
        # At least a thousandth of the value, or a very sure coefficient would hardly move.
        return max(SHARE_OF_ERROR * coefficient.standard_error, abs(coefficient.value) / 1000)
    return SHARE_OF_SIZE * (abs(coefficient.value) or spread or 1.0)


@dataclass(frozen=True, eq=False)
class Shaped:
    """A curve with values given by hand; ``worse`` is its sum of squares over that of the fit."""

    values: Mapping[str, float]
    curve: FormulaCurve | None
    rows: Array
    misses: Array
    worse: float


class Shaping:
    """Values given by hand to one fit; made anew for every fit."""

    def __init__(self, fit: DerivedFit) -> None:
        self.fit = fit
        result = fit.result
        self.values = {name: coefficient.value for name, coefficient in result.coefficients.items()}
        self._fitted = dict(self.values)
        # The values after each drag.
        self.steps: list[dict[str, float]] = []
        columns = [column.name for column in fit.series.columns]
        self._read: Formula = read_formula(formula_of(fit), columns)
        x_name = self._read.data[0] if self._read.data else ""
        self._program = Program(self._read.right)
        self._curve: FormulaCurve | None = None
        if fit.curve is not None:
            self._curve = FormulaCurve(self._read.right, x_name, self.values, (), None, fit.curve.span, None, 0)
        numbers = fit.series.numbers()
        self._data = {name: numbers[name][fit.rows] for name in self._read.data}
        count = len(result.x)
        chosen = np.arange(count)
        if count > MOST_WHILE_DRAGGING:
            chosen = np.sort(np.random.default_rng(5).choice(count, MOST_WHILE_DRAGGING, replace=False))
        self._few = chosen

    def end_step(self) -> None:
        """Remember the values as a step, if they have changed since the last."""
        if self.values != (self.steps[-1] if self.steps else self._fitted):
            self.steps.append(dict(self.values))

    def step_back(self) -> None:
        """Take the values from before the last step."""
        self.steps.pop()
        for name, value in (self.steps[-1] if self.steps else self._fitted).items():
            self.set(name, value)

    def set(self, name: str, value: float) -> None:
        """Give a coefficient a value."""
        self.values = {**self.values, name: value}
        # The compiled formula is kept; only its values change.
        if self._curve is not None:
            self._curve = self._curve.with_values(self.values)

    def shaped(self, whole: bool) -> Shaped:
        """Return the curve with the residuals of all rows (``whole``) or of enough to see."""
        result = self.fit.result
        rows = np.arange(len(result.x)) if whole else self._few
        with np.errstate(all="ignore"):
            given = {**self.values, **{name: values[rows] for name, values in self._data.items()}}
            misses = result.y[rows] - self._program({name: given[name] for name in self._program.inputs})
        sigma = 1.0 if result.sigma is None else result.sigma[rows]
        squares = float(np.sum((misses / sigma) ** 2))
        best = result.sum_of_squares if whole else float(np.sum((result.residuals[rows] / sigma) ** 2))
        worse = squares / best if best > 0 else math.inf if squares > 0 else 1.0
        # Of counts the strip shows residuals in their own scatter.
        shown = misses if result.deviance is None else misses / sigma
        return Shaped(self.values, self._curve, rows, shown, worse)

    def words(self, shaped: Shaped, style: NumberStyle) -> str:
        """Return how far from the best the curve is."""
        if not math.isfinite(shaped.worse):
            return "shaped by hand: no finite value at these rows"
        if shaped.worse < 1.0005:
            return "shaped by hand, as good as the best"
        text = style.number(shaped.worse, 3)
        return f"shaped by hand: sum of squares {text} × the best"
