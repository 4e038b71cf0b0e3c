"""The rows that were fitted, with what the fit says of each: for a spreadsheet."""

from __future__ import annotations

import numpy as np

from vettore.report.blocks import Block, Cell, Number, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.fits import response_of
from vettore.study.series import Role


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    fit, style = subject.fit, subject.style
    x_title = fit.series.label(Role.X) or "x"
    headings: tuple[str, ...] = ("Row", x_title, response_of(fit.series, fit.recipe)[1] or "y", "Fitted", "Residual")
    columns = [fit.rows + 1, fit.x, fit.response[fit.rows], fit.result.fitted, fit.result.residuals]
    if fit.result.error_of_y is not None:
        headings = (*headings, "± of y")
        columns.append(fit.result.error_of_y)
    if fit.result.sigma_x is not None and fit.result.true_x is not None:
        headings = (*headings, "± of x", "True x")
        columns += [fit.result.sigma_x, fit.result.true_x]
    if fit.result.error_correlation is not None:
        headings = (*headings, "Correlation")
        columns.append(fit.result.error_correlation)

    def cell(value: float) -> Cell:
        return Number(style.number(value, 8), value) if np.isfinite(value) else ""

    rows = tuple(tuple(cell(float(value)) for value in row) for row in zip(*columns, strict=True))
    return (Table(headings, rows),)


ROWS = Entry("rows", "Rows", of_fit=_blocks, whole=False, sheets=True)
