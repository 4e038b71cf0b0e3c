"""How the fit and its uncertainties were come by."""

from __future__ import annotations

from vettore.report.blocks import Block, Paragraph
from vettore.report.sections.entry import Entry, FitSubject
from vettore.words.fits import method_in_words


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    return (Paragraph(method_in_words(subject.fit)),)


METHOD = Entry("method", "Method", of_fit=_blocks)
