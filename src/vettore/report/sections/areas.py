"""Areas that were kept, and functions."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.study.series import Series
from vettore.words.areas import area_lines, function_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    def of(series: Series) -> list[Block]:
        lines = area_lines(subject.study, series, subject.style)
        figure = [subject.figure(series.id)] if subject.has_figure_in("areas", series) else []
        return [*figure, Pairs(lines)] if lines else []

    functions = function_lines(subject.study, subject.style)
    drawn = [subject.figure(function.id) for function in subject.study.functions]
    return (*subject.by_series(of), *([Pairs(functions), *drawn] if functions else []))


AREAS = Entry("areas", "Areas", of_study=_blocks)
