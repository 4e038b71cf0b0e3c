"""How to repeat the fit: the file, the rows, what was asked, and the result in all its digits."""

from __future__ import annotations

import platform

from vettore import __version__
from vettore.core.errors import name_rows
from vettore.core.typesetting.typeset import coefficient_symbol
from vettore.report.blocks import Block, Cell, Heading, Number, Pairs, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.kinds.formula_fit import FormulaFit
from vettore.words.lines import Line


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    fit = subject.fit
    result, source = fit.result, fit.series.table.full_source
    lines = [Line("file", source.name)] if source.name else []
    if source.digest:
        lines.append(Line("SHA-256 of the file", source.digest))
    lines.append(Line("rows used", name_rows((fit.rows + 1).tolist(), most=24)))
    lines.append(Line("formula", result.formula))
    if isinstance(subject.curve, FormulaFit):
        lines.append(Line("seed of the search", str(subject.curve.seed)))
    lines.append(Line("made with", f"Vettore {__version__}, {_versions()}"))
    rows: list[tuple[Cell, ...]] = [
        (coefficient_symbol(name), _full(coefficient.value), _full(coefficient.standard_error))
        for name, coefficient in result.coefficients.items()
    ]
    blocks: list[Block] = [Pairs(tuple(lines)), Table(("Coefficient", "Value", "Standard error"), tuple(rows))]
    if result.covariance is not None:
        matrix = tuple(tuple(_full(value) for value in row) for row in result.covariance)
        named: tuple[tuple[Cell, ...], ...] = tuple(
            (coefficient_symbol(name), *row) for name, row in zip(result.fitted_names, matrix, strict=True)
        )
        blocks += [Heading("Covariance of the coefficients"), Table((), named)]
    return tuple(blocks)


def _full(value: float | None) -> Cell:
    return "—" if value is None else Number(repr(float(value)), float(value))


def _versions() -> str:
    import numpy
    import scipy

    return f"Python {platform.python_version()}, NumPy {numpy.__version__}, SciPy {scipy.__version__}"


REPEAT = Entry("repeat", "How to repeat this", of_fit=_blocks, whole=False)
