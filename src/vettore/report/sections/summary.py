"""The fit in a sentence or two."""

from __future__ import annotations

from vettore.report.blocks import Block, Paragraph, Role
from vettore.report.sections.entry import Entry, FitSubject
from vettore.words.fits import summary_of


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    return (Paragraph(summary_of(subject.fit, subject.style), Role.SUMMARY),)


SUMMARY = Entry("summary", "Summary", of_fit=_blocks, title="")
