"""What was tested about the fit."""

from __future__ import annotations

from vettore.report.blocks import Block, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.words.checks import check_figure, check_sentence


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    result, style = subject.fit.result, subject.style
    rows = tuple(
        (check.verdict.value, check_sentence(check, result), check_figure(check, result, style))
        for check in subject.fit.checks
    )
    return (Table((), rows, words=(1,)),) if rows else ()


CHECKS = Entry("checks", "Checks", of_fit=_blocks)
