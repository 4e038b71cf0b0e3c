"""All fits of the study in small plots beside each other."""

from __future__ import annotations

from vettore.report.blocks import Block
from vettore.report.sections.entry import Entry, Subject
from vettore.study.figures import FEWEST_PLOTS
from vettore.study.kinds.figure import ALL_FITS


def _blocks(subject: Subject) -> tuple[Block, ...]:
    return (subject.figure(ALL_FITS),) if len(subject.study.curves) >= FEWEST_PLOTS else ()


MULTIPLES = Entry("multiples", "All fits side by side", of_study=_blocks, overview=True)
