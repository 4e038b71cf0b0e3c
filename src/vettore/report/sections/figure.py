"""Data, curve and residuals of the fit."""

from __future__ import annotations

from vettore.report.blocks import Block
from vettore.report.sections.entry import Entry, FitSubject


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    return (subject.figure(subject.curve.id),)


FIGURE = Entry("figure", "Figure", of_fit=_blocks, title="")
