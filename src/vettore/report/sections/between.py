"""Values that were read between the points."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.words.areas import between_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    lines = between_lines(subject.study, subject.fit.series, subject.style)
    return (Pairs(lines),) if lines else ()


BETWEEN = Entry("between", "Values between points", _blocks)
