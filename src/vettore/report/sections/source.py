"""Where the data came from, how they were read, and how many rows are used."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, FitSubject
from vettore.words.fits import rows_words
from vettore.words.lines import Line


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    source = subject.fit.series.table.full_source
    lines = [Line("file", source.name)] if source.name else []
    lines += [Line(label, text) for label, text in source.how]
    lines.append(Line("rows", rows_words(subject.fit)))
    if source.digest:
        lines.append(Line("SHA-256 of the file", source.digest[:16] + "…"))
    return (Pairs(tuple(lines), short=True),)


SOURCE = Entry("source", "Data and their source", of_fit=_blocks, whole=False)
