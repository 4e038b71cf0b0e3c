"""What the model derives from its coefficients."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, FitSubject
from vettore.words.fits import quantity_lines


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    # Those of peaks have a table of their own.
    lines = quantity_lines(subject.fit, subject.style) if subject.fit.peaks is None else ()
    return (Pairs(lines, short=True),) if lines else ()


QUANTITIES = Entry("quantities", "What follows from it", of_fit=_blocks)
