"""Areas that were kept, and functions."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.words.areas import area_lines, function_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    areas = area_lines(subject.study, subject.fit.series, subject.style)
    lines = (*areas, *function_lines(subject.study, subject.style))
    return (Pairs(lines),) if lines else ()


AREAS = Entry("areas", "Areas", _blocks)
