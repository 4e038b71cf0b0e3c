"""Values that were read between the points."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.study.series import Series
from vettore.words.areas import between_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    def of(series: Series) -> list[Block]:
        lines = between_lines(subject.study, series, subject.style)
        figure = [subject.figure(series.id)] if subject.has_figure_in("between", series) else []
        return [*figure, Pairs(lines)] if lines else []

    return subject.by_series(of)


BETWEEN = Entry("between", "Values between points", of_study=_blocks)
