"""The working of a fit, step by step: tables of numbers with words, for the drawer and for the appendix of a report."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from vettore.core.errors import FormulaError, VettoreError
from vettore.core.fitting.after.working import LinearWorking, linear_working
from vettore.core.fitting.details import Correlated, Counts, ErrorsInX, Growing
from vettore.core.fitting.linear.polynomial import polynomial_formula
from vettore.core.formula.derivative import derivative
from vettore.core.formula.formula import read_formula
from vettore.core.formula.simplify import simplified
from vettore.core.formula.write import name_text
from vettore.core.interpolation.interpolant import Interpolant
from vettore.core.interpolation.working import working
from vettore.core.rounding import MINUS, NumberStyle
from vettore.core.typesetting.typeset import (
    Box,
    Fenced,
    Fraction,
    Raised,
    Row,
    TextBox,
    coefficient_symbol,
    formula_terms,
)
from vettore.study.fitting.fits import DerivedFit
from vettore.study.kinds.polynomial_fit import PolynomialFit
from vettore.study.series import Role
from vettore.words.fits import method_in_words

# Rows of a table that are written out, and pieces that are typeset.
MOST_ROWS, MOST_TYPESET = 40, 8


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
    # Equations that are typeset above the table.
    boxes: tuple[Box, ...] = ()


def working_steps(fit: DerivedFit, style: NumberStyle) -> tuple[Step, ...]:
    """Return the working of a fit."""
    if isinstance(fit.result.details, Correlated | ErrorsInX):
        return (Step("The answer", method_in_words(fit)),)
    if fit.result.path:
        return _iterations(fit, style)
    try:
        return _linear(_worked(fit), fit, style)
    except VettoreError as error:
        return (Step("No working", str(error)),)


def curve_steps(curve: Interpolant, x_name: str, y_name: str, style: NumberStyle) -> tuple[Step, ...]:
    """Return the working of a curve through points; its first pieces are typeset."""
    steps = []
    for part in working(curve):
        rows = part.rows[:MOST_ROWS].tolist()
        words = part.words
        if len(part.rows) > MOST_ROWS:
            words += f" The first {MOST_ROWS} of {len(part.rows)}; all are copied."
        shown = tuple(tuple("" if value != value else style.short(value, 7) for value in row) for row in rows)
        full = tuple(tuple("" if value != value else value for value in row) for row in part.rows.tolist())
        boxes: tuple[Box, ...] = ()
        if part.headings[:2] == ("from", "to"):
            boxes = tuple(_piece(row, part.headings[2:], x_name, y_name, style) for row in rows[:MOST_TYPESET])
        steps.append(Step(part.title, words, part.headings, shown, full, boxes=boxes))
    return tuple(steps)


def _piece(row: Sequence[float], powers: Sequence[str], x_name: str, y_name: str, style: NumberStyle) -> Box:
    """Return a piece as y = c₀ + c₁ (x − from) + … with where it holds."""
    low, high, *values = row
    start = style.short(low, 6)
    apart = Fenced(Row((TextBox(x_name), TextBox(" − " if low >= 0 else " + "), TextBox(start.removeprefix(MINUS)))))
    base: Box = TextBox(x_name) if low == 0 else apart
    parts: list[Box] = [TextBox(y_name), TextBox(" = ")]
    for value, power in zip(values, powers, strict=True):
        if value == 0 and len(parts) > 2:
            continue
        sign = (" − " if value < 0 else " + ") if len(parts) > 2 else (MINUS if value < 0 else "")
        parts += [TextBox(sign), TextBox(style.number(abs(value), 5))]
        if power != "1":
            exponent = {"u": "", "u²": "2", "u³": "3"}[power]
            parts += [TextBox(" "), Raised(base, TextBox(exponent)) if exponent else base]
    end = style.short(high, 6)
    return Row((*parts, TextBox(f"     from {start} to {end}")))


def working_text(title: str, steps: Sequence[Step]) -> str:
    """Return the working as plain text in columns."""
    lines = [title]
    for number, step in enumerate(steps, 1):
        lines += ["", f"{number}  {step.title}"]
        lines += [f"   {step.words}"] if step.words else []
        lines += _columns(step.headings, step.rows)
    return "\n".join(lines)


def _worked(fit: DerivedFit) -> LinearWorking:
    """Work a linear fit out again from the rows it used."""
    series, rows = fit.series, fit.rows
    columns = series.numbers(rows)
    result = fit.result
    sigma = None if series.sigma is None or not fit.recipe.use_errors else series.sigma[rows]
    if isinstance(result.details, Counts | Growing):
        # The weights of counts, and of a scatter that grows, are those at the answer.
        sigma = result.sigma
    if isinstance(fit.recipe, PolynomialFit):
        names = (name_text(series.name_and_unit(Role.X)[0]), name_text(series.name_and_unit(Role.Y)[0]))
        result = replace(result, formula=polynomial_formula(fit.recipe.degree, fit.recipe.intercept, names))
    return linear_working(result, columns, sigma)


def _solution(work: LinearWorking, fit: DerivedFit, style: NumberStyle) -> list[Step]:
    """Return the solution by the inverse, where there is one, beside that of the fit itself."""
    if work.inverse is None or work.solution is None:
        return []
    inverse = work.inverse.tolist()
    shown = tuple(tuple(style.number(value, 8) for value in row) for row in inverse)
    pairs = list(zip(work.coefficients, work.solution.tolist(), strict=True))
    agreement = ""
    if work.agreement is not None:
        agreement = f"The two agree to {style.number(work.agreement, 2)} of their size."
    fitted = [(name, coefficient.value) for name, coefficient in fit.result.coefficients.items()]
    own = _pairs("The fit itself goes by orthogonal columns, which keep more digits", fitted, repr)
    return [
        Step("The inverse", "", (), shown, tuple(map(tuple, inverse)), True),
        _pairs("The solution: inverse times right side", pairs, repr),
        replace(own, words=agreement),
    ]


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
    steps += _solution(work, fit, style)
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
            _pairs(
                "Polished to", [(name, coefficient.value) for name, coefficient in result.coefficients.items()], repr
            ),
            words=result.message,
        ),
    ]
    steps += _derivatives(fit)
    for alternative in result.alternatives:
        pairs = [*alternative.values.items(), ("sum of squares", alternative.sum_of_squares)]
        steps.append(_pairs("Another answer that was met", pairs, lambda value: style.number(value, 6)))
    return tuple(steps)


def _derivatives(fit: DerivedFit) -> list[Step]:
    """Return the slope of the curve and what each coefficient does to it, typeset."""
    read = read_formula(fit.formula, [column.name for column in fit.series.columns])
    if len(read.data) != 1 or not fit.formula:
        return []
    y = fit.series.name_and_unit(Role.Y)[0]
    boxes = []
    names = [*read.data, *read.coefficients]
    if fit.peaks is not None:
        # One peak stands for all.
        names = [*fit.peaks.names[0], *fit.peaks.background_names]
    for name in (name for name in names if name in (*read.data, *read.coefficients)):
        try:
            tree = simplified(derivative(read.right, name))
        except FormulaError:
            return []
        by = TextBox(name) if name in read.data else coefficient_symbol(name)
        sides = Fraction(Row((TextBox("∂ "), TextBox(y))), Row((TextBox("∂ "), by)))
        boxes.append(Row((sides, TextBox("  =  "), *formula_terms(tree, read.coefficients))))
    words = "The slope of the curve, and how it moves with each coefficient; the search and the ± rest on these."
    return [Step("The derivatives", words, boxes=tuple(boxes))]


def _pairs(title: str, pairs: Sequence[tuple[str, float]], show: Callable[[float], str]) -> Step:
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
