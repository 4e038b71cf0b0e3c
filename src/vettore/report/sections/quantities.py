"""What the model derives from its coefficients."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.words.fits import quantity_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    lines = quantity_lines(subject.fit, subject.style)
    return (Pairs(lines, short=True),) if lines else ()


QUANTITIES = Entry("quantities", "What follows from it", _blocks)
