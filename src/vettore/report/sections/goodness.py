"""The figures of merit of the fit."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.words.fits import goodness_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    return (Pairs(goodness_lines(subject.fit, subject.style), short=True),)


GOODNESS = Entry("goodness", "Goodness of fit", _blocks)
