"""Rows by a condition over the columns of a series."""

from __future__ import annotations

import numpy as np

from vettore.core.arrays import Mask
from vettore.core.formula import Program, read_condition
from vettore.study.columns import column_names, values_by_name
from vettore.study.series import Series


def rows_where(series: Series, condition: str) -> Mask:
    """Return for which rows (rows,) of a series a condition holds. Raises FormulaError when it cannot be read."""
    tree = read_condition(condition, column_names(series.columns))
    holds = Program(tree)(values_by_name(series.columns, series.data, series.rows))
    return np.array(np.broadcast_to(np.asarray(holds, dtype=bool), (series.rows,)))
