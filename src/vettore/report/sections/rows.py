"""The rows that were fitted, with what the fit says of each: for a spreadsheet."""

from __future__ import annotations

import numpy as np

from vettore.report.blocks import Block, Cell, Number, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.fitting.fits import FitColumn, response_of
from vettore.study.series import Role

# Those of x and y are the names of the series' columns.
HEADINGS = {
    FitColumn.ROW: "Row",
    FitColumn.FITTED: "Fitted",
    FitColumn.RESIDUAL: "Residual",
    FitColumn.SIGMA: "± of y",
    FitColumn.SIGMA_X: "± of x",
    FitColumn.TRUE_X: "True x",
    FitColumn.CORRELATION: "Correlation",
}


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    fit, style = subject.fit, subject.style
    x_title = fit.series.label(Role.X) or "x"
    titles = HEADINGS | {FitColumn.X: x_title, FitColumn.Y: response_of(fit.series, fit.recipe)[1] or "y"}
    table = fit.table_of_rows()

    def cell(value: float) -> Cell:
        return Number(style.number(value, 8), value) if np.isfinite(value) else ""

    rows = tuple(tuple(cell(float(value)) for value in row) for row in zip(*table.values(), strict=True))
    return (Table(tuple(titles[column] for column in table), rows),)


ROWS = Entry("rows", "Rows", of_fit=_blocks, whole=False, sheets=True)
