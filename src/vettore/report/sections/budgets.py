"""What the ± of the kept numbers from formulas are made of."""

from __future__ import annotations

from vettore.core.budget import Budget
from vettore.core.errors import VettoreError
from vettore.core.rounding import NumberStyle
from vettore.report.blocks import Block, Cell, Number, Paragraph, Table
from vettore.report.sections.entry import Entry, FitSubject
from vettore.study.derive import derive_reading
from vettore.study.fitting.budgets import budget_of
from vettore.study.kinds.readings import FormulaReading
from vettore.words.budgets import expanded_in_words, share_in_words
from vettore.words.readings import reading_question

HEADINGS = ("Quantity", "Value", "Standard uncertainty", "Sensitivity", "Share of the variance")


def _blocks(subject: FitSubject) -> tuple[Block, ...]:
    kept = subject.study.readings_of(subject.curve.id)
    out: list[Block] = []
    for reading in kept:
        if not isinstance(reading, FormulaReading):
            continue
        try:
            budget = budget_of(subject.fit, reading, kept)
        except VettoreError:
            # The reading itself says why there is no number.
            continue
        unit = subject.style.unit(derive_reading(subject.study, reading).unit)
        words = f"What the ± of {reading_question(subject.fit, reading, subject.style)} is made of."
        out += [_table(budget, words, subject.style), Paragraph(expanded_in_words(budget, unit, subject.style))]
    return tuple(out)


def _table(budget: Budget, words: str, style: NumberStyle) -> Table:
    rows: list[tuple[Cell, ...]] = []
    for share in budget.shares:
        value, u = style.with_error(share.value, share.uncertainty)
        numbers = (
            (value, share.value),
            (u, share.uncertainty),
            (style.number(share.sensitivity, 4), share.sensitivity),
        )
        rows.append(
            (share.name, *(Number(text, number) for text, number in numbers), share_in_words(share.share, style))
        )
    if len(budget.shares) > 1 and budget.together:
        rows.append(("covariance", "", "", "", share_in_words(budget.together, style)))
    return Table(HEADINGS, tuple(rows), caption=words)


BUDGETS = Entry("budgets", "What the ± are made of", of_fit=_blocks)
