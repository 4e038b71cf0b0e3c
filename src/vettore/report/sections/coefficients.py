"""The equation, and its coefficients with their uncertainty."""

from __future__ import annotations

import math

from vettore.core.formula.formula import read_formula
from vettore.core.formula.write import name_text
from vettore.core.peaks.result import PeaksFit
from vettore.core.remarks import counted
from vettore.core.rounding import NumberStyle
from vettore.core.typesetting.typeset import Box, Lowered, Row, TextBox, coefficient_symbol, filled, formula_terms
from vettore.report.blocks import Block, Cell, Equation, Number, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.fitting.fits import DerivedFit
from vettore.study.fitting.quantities import coefficient_units
from vettore.study.series import Role
from vettore.words.fits import weights_in_words


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    left, terms = subject.fit.equation
    level = f"{subject.fit.result.level:.0%}".replace("%", " %")
    headings = ("Coefficient", "Value", "Standard error", f"{level} range", "t", "p", "Unit")
    equation = Row((left, TextBox(" = "), *terms))
    numbers = {
        name: _numeral(coefficient.value, coefficient.standard_error, subject.style)
        for name, coefficient in subject.fit.result.coefficients.items()
    }
    table = Table(headings, _rows(subject.fit, subject.style), words=(6,), caption=_caption(subject.fit))
    if subject.fit.peaks is not None:
        return Equation(sum_of_peaks(subject.fit, subject.fit.peaks)), table
    return Equation(equation), Equation(filled(equation, numbers)), table


def sum_of_peaks(fit: DerivedFit, peaks: PeaksFit) -> Row:
    """Return the formula of peaks as the background and a sum over one peak with the index i."""
    x = fit.series.name_and_unit(Role.X)[0]
    own = ("height_i", "place_i", "width" if peaks.request.equal_widths else "width_i")
    extras = tuple(f"{extra.name}_i" for extra in peaks.shape.extras)
    written = f"{own[0]}*{peaks.shape.written(own[1], own[2], extras, name_text(x))}"
    read = read_formula(written, [x])
    one_peak = formula_terms(read.right, read.coefficients)
    sum_sign = Lowered(TextBox("Σ"), TextBox("i"))
    ground: list[Box] = []
    if peaks.background_names:
        behind = read_formula(peaks.background_formula, [x])
        ground = [*formula_terms(behind.right, behind.coefficients), TextBox(" + ")]
    return Row((fit.equation[0], TextBox(" = "), *ground, sum_sign, TextBox(" "), *one_peak))


def _numeral(value: float, error: float | None, style: NumberStyle) -> str:
    """Return a number with as many digits as its ± gives it, as ``1.5e-07``, a second digit of the ± included."""
    digits = 6
    if error and math.isfinite(error) and value:
        digits = min(max(math.floor(math.log10(abs(value))) - math.floor(math.log10(error)) + 2, 2), 15)
    return f"{value:.{digits}g}".replace(".", style.decimal_mark)


def _caption(fit: DerivedFit) -> str:
    result = fit.result
    if result.deviance is not None:
        how = "standard errors and ranges from their likelihood"
    elif result.absolute_sigma:
        how = "standard errors from the known ± of y"
    else:
        how = f"standard errors from the scatter of {counted(result.n, 'row')}"
    return f"Coefficients of the {fit.name.lower()}; {weights_in_words(result)}, {how}."


def _rows(fit: DerivedFit, style: NumberStyle) -> tuple[tuple[Cell, ...], ...]:
    rows: list[tuple[Cell, ...]] = []
    for unit, coefficient in zip(coefficient_units(fit), fit.result.coefficients.values(), strict=True):
        value, error = style.with_error(coefficient.value, coefficient.standard_error)
        interval = style.interval(coefficient.low, coefficient.high, coefficient.standard_error)
        symbol = coefficient_symbol(coefficient.name)
        p = _shown(style.probability(coefficient.p), coefficient.p)
        t = style.number(coefficient.t, 4) if coefficient.t is not None else "—"
        cells: tuple[Cell, ...] = (
            symbol,
            Number(value, coefficient.value),
            _shown(error, coefficient.standard_error),
        )
        rows.append((*cells, interval, _shown(t, coefficient.t), p, style.unit(unit) or "—"))
    return tuple(rows)


def _shown(text: str, value: float | None) -> Cell:
    return text if value is None or not math.isfinite(value) else Number(text, value)


COEFFICIENTS = Entry("coefficients", "Equation and coefficients", of_fit=_blocks)
