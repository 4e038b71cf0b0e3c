"""The fits of a series side by side, when there are several on the same rows."""

from __future__ import annotations

from vettore.core.errors import VettoreError
from vettore.core.fitting.after.compare import compare
from vettore.report.blocks import Block, Paragraph, Table
from vettore.report.sections.entry import Entry, Subject
from vettore.study.derive import derive_fit
from vettore.study.series import Series
from vettore.words.comparison import COMPARED, compared_row, comparison_words


def _blocks(subject: Subject) -> tuple[Block, ...]:
    return subject.by_series(lambda series: _of_series(subject, series))


def _of_series(subject: Subject, series: Series) -> tuple[Block, ...]:
    curves = subject.study.curves_of(series.id)
    if len(curves) < 2:
        return ()
    fits = {}
    for number, curve in enumerate(curves, 1):
        name = curve.name if curve.name not in fits else f"{curve.name} ({number})"
        try:
            fits[name] = derive_fit(subject.study, curve.id).result
        except VettoreError:
            continue
    try:
        compared = compare(fits)
    except VettoreError as error:
        return (Paragraph(str(error)),)
    rows = tuple(compared_row(fit, subject.style) for fit in compared)
    return Paragraph(comparison_words(compared, subject.style)), Table(COMPARED, rows, words=(0,))


COMPARED_FITS = Entry("compared", "Fits compared", of_study=_blocks)
