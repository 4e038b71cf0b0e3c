"""Several equations at once: as they were read, their figure, coefficients, columns, and what was read off them."""

from __future__ import annotations

from vettore.core.errors import VettoreError
from vettore.core.remarks import counted
from vettore.core.systems.typeset import equation_lines, reaction_lines
from vettore.core.typesetting.typeset import coefficient_symbol
from vettore.report.blocks import Block, Cell, Equation, Heading, Number, Pairs, Paragraph, Role, Table
from vettore.report.sections.entry import Entry, Subject
from vettore.study.fitting.systems import DerivedSystem, derive_system, name_of
from vettore.words.lines import Line
from vettore.words.systems import conserved_words, doubts_of, notes_of, reading_lines, sentence_of


def _blocks(subject: Subject) -> tuple[Block, ...]:
    blocks: list[Block] = []
    for recipe in subject.study.equations:
        series = subject.study.find_series(recipe.series)
        if series not in subject.series:
            continue
        blocks.append(Heading(f"{name_of(recipe)} · {series.name}"))
        try:
            blocks += _of_system(subject, derive_system(series, recipe))
        except VettoreError as error:
            blocks.append(Paragraph(str(error)))
    return tuple(blocks)


def _of_system(subject: Subject, system: DerivedSystem) -> list[Block]:
    style, result = subject.style, system.result
    blocks: list[Block] = [Paragraph(sentence_of(system, style), Role.SUMMARY)]
    blocks += [Equation(line) for line in (*reaction_lines(result.system), *equation_lines(result.system))]
    blocks += [subject.figure(system.recipe.id), _coefficients(system, subject), _columns(system, subject)]
    blocks += [Paragraph(sentence) for sentence in (*doubts_of(system), *notes_of(system))]
    lines = [Line("never changes", text) for text in conserved_words(result.conserved, style)]
    lines += [line for _, line, _ in reading_lines(system, style)]
    return [*blocks, *([Pairs(tuple(lines))] if lines else [])]


def _coefficients(system: DerivedSystem, subject: Subject) -> Table:
    style = subject.style
    level = f"{system.result.level:.0%}".replace("%", " %")
    rows: list[tuple[Cell, ...]] = []
    for name, entry in system.result.coefficients.items():
        value, error = style.with_error(entry.value, entry.standard_error)
        spread: Cell = "held" if entry.held else "at its limit" if entry.at_limit else "—"
        if entry.standard_error is not None:
            spread = Number(error, entry.standard_error)
        reach = style.interval(entry.low, entry.high, entry.standard_error)
        unit = style.unit(system.unit_of(name)) or "—"
        rows.append((coefficient_symbol(name), Number(value, entry.value), spread, reach, unit))
    headings = ("Coefficient", "Value", "Standard error", f"{level} range", "Unit")
    caption = f"Coefficients, common to all equations, from {counted(system.result.n, 'number')}."
    return Table(headings, tuple(rows), words=(4,), caption=caption)


def _columns(system: DerivedSystem, subject: Subject) -> Table:
    style, result = subject.style, system.result
    rows: list[tuple[Cell, ...]] = []
    for name, scatter in result.scatters.items():
        share = result.r_squared[name]
        cells = (Number(style.number(scatter, 3), scatter), style.unit(system.unit_of(name)) or "—")
        told: Cell = "—" if share is None else Number(style.number(share, 5), share)
        rows.append((name, *cells, told, str(len(result.residuals[name]))))
    caption = "Measured columns: the standard deviation of the rows about the curve, told by the rows themselves."
    return Table(("Column", "Scatter", "Unit", "R²", "Rows"), tuple(rows), words=(0, 2), caption=caption)


EQUATIONS = Entry("equations", "Several equations", of_study=_blocks, whole=False)
