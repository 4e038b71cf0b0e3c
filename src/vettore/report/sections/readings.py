"""The readings that were kept of the fit."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.derive import derive_reading
from vettore.words.readings import reading_line


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    kept = subject.study.readings_of(subject.curve.id)
    lines = [reading_line(subject.fit, derive_reading(subject.study, reading), subject.style) for reading in kept]
    return (Pairs(tuple(lines)),) if lines else ()


READINGS = Entry("readings", "Kept readings", of_fit=_blocks)
