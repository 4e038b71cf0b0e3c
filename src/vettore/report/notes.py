"""Notes of a report: plain text with *emphasis*, lists and `formulas`, as blocks that every format can write.

A line is a paragraph; lines that begin with ``- `` or ``• `` are a list. What stands between two asterisks that touch it is
emphasised; all other asterisks are asterisks. What stands between two backquotes is set as a formula where it is one.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from vettore.core.errors import VettoreError
from vettore.core.formula.formula import read_formula
from vettore.core.typesetting.typeset import Box, Row, TextBox, formula_terms

_MARKED = re.compile(r"(?<![\w*])\*(?=[^\s*])(?P<words>[^*\n]*[^\s*])\*(?![\w*])|`(?P<formula>[^`\n]+)`")
_ITEM = re.compile(r"\s*[-•]\s+(?=\S)")


@dataclass(frozen=True)
class Span:
    """A piece of text, emphasised or not; or a formula in its ``box``."""

    text: str
    emphasised: bool = False
    box: Box | None = None


@dataclass(frozen=True)
class NoteBlock:
    """A paragraph, or (``is_list``) the items of a list; each is a row of spans."""

    lines: tuple[tuple[Span, ...], ...]
    is_list: bool = False


def note_blocks(text: str) -> tuple[NoteBlock, ...]:
    """Return the paragraphs and lists of a note."""
    blocks: list[NoteBlock] = []
    for line in text.splitlines():
        item = _ITEM.match(line)
        if not line.strip():
            continue
        spans = _spans(line[item.end() :] if item else line)
        if item and blocks and blocks[-1].is_list:
            blocks[-1] = NoteBlock((*blocks[-1].lines, spans), True)
        else:
            blocks.append(NoteBlock((spans,), item is not None))
    return tuple(blocks)


def _spans(line: str) -> tuple[Span, ...]:
    out, at = [], 0
    for match in _MARKED.finditer(line):
        if match.start() > at:
            out.append(Span(line[at : match.start()]))
        formula = match["formula"]
        out.append(Span(match["words"], True) if formula is None else Span(formula, box=_typeset(formula)))
        at = match.end()
    if at < len(line):
        out.append(Span(line[at:]))
    return tuple(out)


def _typeset(text: str) -> Box | None:
    try:
        read = read_formula(text)
    except VettoreError:
        return None
    left: tuple[Box, ...] = () if read.left is None else (*formula_terms(read.left, ()), TextBox(" = "))
    return Row((*left, *formula_terms(read.right, read.coefficients)))
