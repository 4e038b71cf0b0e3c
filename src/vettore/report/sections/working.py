"""The working, step by step."""

from __future__ import annotations

from vettore.report.blocks import Block, Equation, Heading, Paragraph, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.report.working import working_steps


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    blocks: list[Block] = []
    for number, step in enumerate(working_steps(subject.fit, subject.style), 1):
        blocks.append(Heading(f"{number} · {step.title}"))
        blocks += [Paragraph(step.words)] if step.words else []
        blocks += [Equation(box) for box in step.boxes]
        blocks += [Table(step.headings, step.rows, matrix=step.matrix)] if step.rows else []
    return tuple(blocks)


WORKING = Entry("working", "Working (appendix)", of_fit=_blocks, title="Working", whole=False)
