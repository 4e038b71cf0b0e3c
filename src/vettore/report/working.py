"""The working of a fit as plain text in columns, for the drawer and for the appendix of a report."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vettore.core.errors import VettoreError
from vettore.core.fit.polynomial import polynomial_formula
from vettore.core.fit.working import LinearWorking, linear_working
from vettore.core.formula.write import name_text
from vettore.core.rounding import NumberStyle
from vettore.study.derive import DerivedFit
from vettore.study.series import Role

# Rows of the design matrix that are written out.
MOST_ROWS = 40


def working_text(fit: DerivedFit, style: NumberStyle) -> str:
    """Return the working of a fit step by step."""
    if fit.result.path:
        return _iterations(fit, style)
    try:
        return _linear(_worked(fit), fit, style)
    except VettoreError as error:
        return str(error)


def _worked(fit: DerivedFit) -> LinearWorking:
    """Work a linear fit out again from the rows it used."""
    series, rows = fit.series, fit.rows
    columns = {
        settings.name: column.values[rows]
        for settings, column in zip(series.columns, series.data, strict=True)
        if column.texts is None
    }
    sigma = None if series.sigma is None or not fit.recipe.use_errors else series.sigma[rows]
    result = fit.result
    if not fit.recipe.formula:
        from dataclasses import replace

        names = (name_text(series.name_and_unit(Role.X)[0]), name_text(series.name_and_unit(Role.Y)[0]))
        result = replace(result, formula=polynomial_formula(fit.recipe.degree, fit.recipe.intercept, names))
    return linear_working(result, columns, sigma)


def _linear(work: LinearWorking, fit: DerivedFit, style: NumberStyle) -> str:
    def show(value: float) -> str:
        return style.number(value, 8)

    lines = [fit.result.formula, ""]
    lines += ["1  The sums", *_pairs([(name, show(value)) for name, value in work.sums.items()])]
    lines += ["", f"2  The design matrix ({len(work.y)} rows)"]
    headings = [*work.terms, "y", *(["w"] if work.weights is not None else [])]
    parts = [work.design, work.y[:, None], *([work.weights[:, None]] if work.weights is not None else [])]
    table = np.hstack(parts)[:MOST_ROWS]
    lines += _columns(headings, [[style.number(value, 6) for value in row] for row in table.tolist()])
    if len(work.y) > MOST_ROWS:
        lines.append(f"   … and {len(work.y) - MOST_ROWS} more rows")
    lines += ["", "3  The normal equations"]
    rows = [
        [*(show(value) for value in row), f"· {name}", "=", show(right)]
        for row, name, right in zip(work.normal.tolist(), work.coefficients, work.right.tolist(), strict=True)
    ]
    lines += _columns([], rows)
    lines += ["", f"4  The determinant   {show(work.determinant)}"]
    if work.inverse is not None and work.solution is not None:
        lines += [
            "",
            "5  The inverse",
            *_columns([], [[show(value) for value in row] for row in work.inverse.tolist()]),
        ]
        lines += ["", "6  The solution: inverse times right side"]
        pairs = [(name, repr(value)) for name, value in zip(work.coefficients, work.solution.tolist(), strict=True)]
        lines += _pairs(pairs)
        lines.append("   The fit itself goes by orthogonal columns, which keep more digits:")
        lines += _pairs([(name, repr(one.value)) for name, one in fit.result.coefficients.items()])
        if work.agreement is not None:
            lines.append(f"   largest relative difference   {style.number(work.agreement, 2)}")
    lines += ["", "7  R² from its two sums"]
    about = "its mean" if fit.result.r_squared_against == "mean" else "zero"
    lines += _pairs(
        [
            ("Σ residual²", show(work.sum_of_squares)),
            (f"Σ of y about {about}, squared", show(work.total_sum_of_squares)),
            ("R² = 1 − ratio", "—" if work.r_squared is None else repr(work.r_squared)),
        ]
    )
    return "\n".join(lines)


def _iterations(fit: DerivedFit, style: NumberStyle) -> str:
    result = fit.result
    names = list(result.path[0].values)
    rows = []
    for number, step in enumerate(result.path):
        values = [style.number(step.values[name], 8) for name in names]
        rows.append([str(number), style.number(step.sum_of_squares, 10), style.number(step.damping, 2), *values])
    lines = [result.formula, "", "The path of the search, each step a lower sum of squares", ""]
    lines += _columns(["step", "sum of squares", "damping", *names], rows)
    lines += ["", "Polished to"]
    lines += _pairs([(name, repr(one.value)) for name, one in result.coefficients.items()])
    lines += ["", result.message]
    for one in result.alternatives:
        values = ", ".join(f"{name} = {style.number(value, 5)}" for name, value in one.values.items())
        lines.append(f"Another answer met: sum of squares {style.number(one.sum_of_squares, 6)} at {values}")
    return "\n".join(lines)


def _pairs(pairs: Sequence[tuple[str, str]]) -> list[str]:
    width = max((len(name) for name, _ in pairs), default=0)
    return [f"   {name:{width}}   {value}" for name, value in pairs]


def _columns(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> list[str]:
    everything = [list(headings), *map(list, rows)] if headings else [list(row) for row in rows]
    if not everything:
        return []
    widths = [max(len(row[i]) for row in everything) for i in range(len(everything[0]))]
    return [
        "   " + "   ".join(f"{cell:>{width}}" for cell, width in zip(row, widths, strict=True)) for row in everything
    ]
