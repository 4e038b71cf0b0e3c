"""Polynomials of the shelf with their real roots."""

from __future__ import annotations

from vettore.report.blocks import Block, Pairs
from vettore.report.sections.entry import Entry, Subject
from vettore.words.areas import polynomial_lines


def _blocks(subject: Subject) -> tuple[Block, ...]:
    lines = polynomial_lines(subject.study, subject.style)
    drawn = [subject.figure(recipe.id) for recipe in subject.study.polynomials]
    return (Pairs(lines), *drawn) if lines else ()


POLYNOMIALS = Entry("polynomials", "Polynomials", of_study=_blocks)
