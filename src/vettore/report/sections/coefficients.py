"""The equation, and its coefficients with their uncertainty."""

from __future__ import annotations

from vettore.core.rounding import NumberStyle
from vettore.core.typeset import Row, Text, coefficient_symbol
from vettore.report.blocks import Block, Cell, Equation, Table
from vettore.report.sections.entry import Entry, Subject
from vettore.study.fits import DerivedFit, coefficient_units


def _blocks(subject: Subject) -> tuple[Block, ...]:
    left, terms = subject.fit.equation
    level = f"{subject.fit.result.level:.0%}".replace("%", " %")
    headings = ("Coefficient", "Value", "Standard error", f"{level} range", "t", "p", "Unit")
    return Equation(Row((left, Text(" = "), *terms))), Table(headings, _rows(subject.fit, subject.style))


def _rows(fit: DerivedFit, style: NumberStyle) -> tuple[tuple[Cell, ...], ...]:
    rows: list[tuple[Cell, ...]] = []
    for unit, coefficient in zip(coefficient_units(fit), fit.result.coefficients.values(), strict=True):
        value, error = style.with_error(coefficient.value, coefficient.standard_error)
        low, high = coefficient.low, coefficient.high
        interval = "—"
        if low is not None and high is not None:
            interval = style.interval(low, high, coefficient.standard_error)
        symbol = coefficient_symbol(coefficient.name)
        t = style.number(coefficient.t, 4) if coefficient.t is not None else "—"
        rows.append((symbol, value, error, interval, t, style.probability(coefficient.p), unit or "—"))
    return tuple(rows)


COEFFICIENTS = Entry("coefficients", "Equation and coefficients", _blocks)
