"""The note under the title of a report: plain text with *emphasis* and lists, as blocks that every format can write.

A line is a paragraph; lines that begin with ``- `` or ``• `` are a list. What stands between two asterisks that touch it is
emphasised; all other asterisks are asterisks.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

_EMPHASIS = re.compile(r"(?<![\w*])\*(?=[^\s*])([^*\n]*[^\s*])\*(?![\w*])")
_ITEM = re.compile(r"\s*[-•]\s+(?=\S)")


@dataclass(frozen=True)
class Span:
    """A piece of text, emphasised or not."""

    text: str
    emphasised: bool = False


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
    for found in _EMPHASIS.finditer(line):
        if found.start() > at:
            out.append(Span(line[at : found.start()]))
        out.append(Span(found[1], True))
        at = found.end()
    if at < len(line):
        out.append(Span(line[at:]))
    return tuple(out)
