"""What a fit says of other rows, and its picture in a notebook."""

from __future__ import annotations

import importlib
from typing import Any

import numpy as np

from vettore.core.arrays import Array, as_values, check_lengths
from vettore.core.errors import DataError, Fault
from vettore.core.formula.evaluate import evaluate
from vettore.core.formula.formula import read_formula
from vettore.core.frames import Table, as_columns, is_table

# Places along the curve, and how far it is drawn beyond the rows, as a share of their span.
PLACES, BEYOND = 400, 0.02


class Predicts:
    """A fit says what it expects of other rows, and draws itself."""

    def predict(self: Any, x: Table) -> Array:
        """Return what the fit says at ``x``: values (n,), or rows of a table of the columns. Raises DataError."""
        return predicted(self, x)

    def plot(self: Any, ax: Any = None) -> Any:
        """Draw rows, curve and band into axes of Matplotlib, where that is installed, and return the axes."""
        return plotted(self, ax)


def predicted(result: Any, x: Table) -> Array:
    """Return what a fit says at values of x, or at rows of a table of its columns. Raises DataError."""
    if isinstance(x, (int, float, np.number)):
        return np.asarray(result.curve(float(x)))
    if not is_table(x):
        return np.asarray(result.curve(as_values(x, "x")))
    table = as_columns(x, "The rows")
    values: dict[str, Any] = {name: entry.value for name, entry in result.coefficients.items()}
    # The right side alone: what was measured need not be there.
    right = result.formula.partition("=")[2]
    read = read_formula(right, [name for name in table if name not in values])
    missing = [name for name in read.coefficients if name not in values]
    if missing:
        listed = ", ".join(table)
        raise DataError(f"The rows have no column {missing[0]}; they have {listed}.", Fault.NO_SUCH_NAME)
    columns = {name: as_values(table[name], name) for name in read.data}
    rows = check_lengths(columns)
    return evaluate(read.right, {**values, **columns}, rows)


def plotted(result: Any, ax: Any = None) -> Any:
    """Draw rows, curve and band into axes of Matplotlib, and return them. Raises ImportError where it is not installed."""
    if ax is None:
        # By name, since the core itself draws nothing.
        ax = importlib.import_module("matplotlib.pyplot").gca()
    x, y = result.x, result.fitted + result.residuals
    ax.plot(x, y, "o", markersize=4, label="rows")
    low, high = float(x.min()), float(x.max())
    room = BEYOND * (high - low)
    places = np.linspace(low - room, high + room, PLACES)
    line = ax.plot(places, result.curve(places), label=result.formula)[0]
    if result.curve.degrees_of_freedom >= 1 and result.covariance is not None:
        ends = result.curve.band(places, result.level)
        ax.fill_between(places, *ends, color=line.get_color(), alpha=0.2, linewidth=0)
    ax.set_ylabel(result.left)
    return ax
