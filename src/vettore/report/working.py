"""The working of a fit, step by step: tables of numbers with words, for the drawer and for the appendix of a report."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

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


@dataclass(frozen=True)
class Step:
    """One step: a title, a sentence, and a table; ``full`` are its values with all digits, for copying.

    ``matrix`` says that the table is a matrix, set in brackets.
    """

    title: str
    words: str = ""
    headings: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    full: tuple[tuple[object, ...], ...] = ()
    matrix: bool = False


def working_steps(fit: DerivedFit, style: NumberStyle) -> tuple[Step, ...]:
    """Return the working of a fit."""
    if fit.result.path:
        return _iterations(fit, style)
    try:
        return _linear(_worked(fit), fit, style)
    except VettoreError as error:
        return (Step("No working", str(error)),)


def working_text(fit: DerivedFit, style: NumberStyle) -> str:
    """Return the working as plain text in columns."""
    lines = [fit.result.formula]
    for number, step in enumerate(working_steps(fit, style), 1):
        lines += ["", f"{number}  {step.title}"]
        lines += [f"   {step.words}"] if step.words else []
        lines += _columns(step.headings, step.rows)
    return "\n".join(lines)


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
        names = (name_text(series.name_and_unit(Role.X)[0]), name_text(series.name_and_unit(Role.Y)[0]))
        result = replace(result, formula=polynomial_formula(fit.recipe.degree, fit.recipe.intercept, names))
    return linear_working(result, columns, sigma)


def _linear(work: LinearWorking, fit: DerivedFit, style: NumberStyle) -> tuple[Step, ...]:
    def show(value: float) -> str:
        return style.number(value, 8)

    parts = [work.design, work.y[:, None], *([work.weights[:, None]] if work.weights is not None else [])]
    table = np.hstack(parts)
    more = len(work.y) - MOST_ROWS
    steps = [
        _pairs("The sums", list(work.sums.items()), show),
        Step(
            f"The design matrix ({len(work.y)} rows)",
            f"The first {MOST_ROWS} of {len(work.y)} rows; all are copied." if more > 0 else "",
            (*work.terms, "y", *(["w"] if work.weights is not None else [])),
            tuple(tuple(style.number(value, 6) for value in row) for row in table[:MOST_ROWS].tolist()),
            tuple(map(tuple, table.tolist())),
        ),
        Step(
            "The normal equations",
            "Each row times the coefficients is the right side.",
            (*work.coefficients, "right side"),
            tuple(
                (*(show(value) for value in row), show(right))
                for row, right in zip(work.normal.tolist(), work.right.tolist(), strict=True)
            ),
            tuple((*row, right) for row, right in zip(work.normal.tolist(), work.right.tolist(), strict=True)),
            True,
        ),
        Step("The determinant", show(work.determinant)),
    ]
    if work.inverse is not None and work.solution is not None:
        inverse = work.inverse.tolist()
        shown = tuple(tuple(show(value) for value in row) for row in inverse)
        steps.append(Step("The inverse", "", (), shown, tuple(map(tuple, inverse)), True))
        pairs = list(zip(work.coefficients, work.solution.tolist(), strict=True))
        steps.append(_pairs("The solution: inverse times right side", pairs, repr))
        agreement = ""
        if work.agreement is not None:
            agreement = f"The two agree to {style.number(work.agreement, 2)} of their size."
        fitted = [(name, one.value) for name, one in fit.result.coefficients.items()]
        steps.append(
            replace(
                _pairs("The fit itself goes by orthogonal columns, which keep more digits", fitted, repr),
                words=agreement,
            )
        )
    about = "its mean" if fit.result.r_squared_against == "mean" else "zero"
    sums: list[tuple[str, float]] = [
        ("Σ residual²", work.sum_of_squares),
        (f"Σ of y about {about}, squared", work.total_sum_of_squares),
    ]
    if work.r_squared is not None:
        sums.append(("R² = 1 − ratio", work.r_squared))
    steps.append(_pairs("R² from its two sums", sums, show))
    return tuple(steps)


def _iterations(fit: DerivedFit, style: NumberStyle) -> tuple[Step, ...]:
    result = fit.result
    names = list(result.path[0].values)
    rows, full = [], []
    for number, step in enumerate(result.path):
        values = [step.values[name] for name in names]
        shown = (style.number(value, 8) for value in values)
        rows.append((str(number), style.number(step.sum_of_squares, 10), style.number(step.damping, 2), *shown))
        full.append((number, step.sum_of_squares, step.damping, *values))
    steps = [
        Step(
            "The path of the search",
            "Each step has a lower sum of squares than the one before.",
            ("step", "sum of squares", "damping", *names),
            tuple(rows),
            tuple(full),
        ),
        replace(
            _pairs("Polished to", [(name, one.value) for name, one in result.coefficients.items()], repr),
            words=result.message,
        ),
    ]
    for one in result.alternatives:
        pairs = [*one.values.items(), ("sum of squares", one.sum_of_squares)]
        steps.append(_pairs("Another answer that was met", pairs, lambda value: style.number(value, 6)))
    return tuple(steps)


def _pairs(title: str, pairs: Sequence[tuple[str, float]], show) -> Step:
    rows = tuple((name, show(value)) for name, value in pairs)
    return Step(title, "", (), rows, tuple(pairs))


def _columns(headings: Sequence[str], rows: Sequence[Sequence[str]]) -> list[str]:
    everything = [list(headings), *map(list, rows)] if headings else [list(row) for row in rows]
    if not everything:
        return []
    widths = [max(len(row[i]) for row in everything) for i in range(len(everything[0]))]
    return [
        "   " + "   ".join(f"{cell:>{width}}" for cell, width in zip(row, widths, strict=True)) for row in everything
    ]
