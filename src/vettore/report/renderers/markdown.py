"""A report as Markdown with its figures beside it; equations as LaTeX between dollars."""

from __future__ import annotations

import re

from vettore.core.typesetting.markup import to_latex
from vettore.core.typesetting.typeset import Box
from vettore.report.blocks import (
    Block,
    Cell,
    Document,
    Equation,
    Figure,
    Heading,
    Pairs,
    Paragraph,
    Table,
    words_of,
)
from vettore.report.notes import NoteBlock, Span

# What Markdown, or HTML in it, would take for more than a text.
SPECIAL = re.compile(r"([\\`*_{}\[\]<>|$~])")
# What would begin a list, a heading or a line of numbers.
BEGINS = re.compile(r"^(\s*)([#+-]|\d+[.)])(\s)", re.MULTILINE)


def markdown(document: Document, name: str) -> dict[str, bytes]:
    """Return the text, and the figures beside it as SVG."""
    files: dict[str, bytes] = {}
    lines = [f"# {_plain(document.title)}", "", _plain(document.subtitle), ""]
    for noted in document.note_blocks:
        lines += [*_noted(noted), ""]
    for chapter in document.chapters:
        lines += [f"## {_plain(chapter.title)}", ""] if chapter.title else []
        level = "###" if chapter.title else "##"
        for section in chapter.sections:
            lines += [f"{level} {_plain(section.title)}", ""] if section.title else []
            for block in section.blocks:
                lines += [*_block(block, name, files, level + "#"), ""]
    lines += ["---", "", _plain(document.footer), ""]
    files[""] = "\n".join(lines).encode("utf-8")
    return files


def _block(block: Block, name: str, files: dict[str, bytes], level: str) -> list[str]:
    match block:
        case Heading(text):
            return [f"{level} {_plain(text)}"]
        case Paragraph(text):
            return [_plain(text)]
        case Pairs(pairs):
            return [f"- {_plain(pair.label)}: {_plain(pair.text)}" for pair in pairs]
        case Equation(box):
            return [f"$${to_latex(box)}$$"]
        case NoteBlock():
            return _noted(block)
        case Table():
            return markdown_table(block)
        case Figure():
            ending = f"-figure-{len(files) + 1}.svg"
            files[ending] = block.draw("svg")
            # Blanks and brackets in a file's name would end the address.
            return [f"![{_plain(block.caption)}](<{name}{ending}>)", "", f"*{_plain(block.caption)}*"]


def _noted(noted: NoteBlock) -> list[str]:
    texts = ["".join(map(_span, line)) for line in noted.lines]
    return [f"- {line}" for line in texts] if noted.is_list else texts


def _span(span: Span) -> str:
    if span.box is not None:
        return f"${to_latex(span.box)}$"
    return f"*{_plain(span.text)}*" if span.emphasised else _plain(span.text)


def markdown_table(table: Table) -> list[str]:
    """Return the lines of a table, its caption above."""
    width = max((len(row) for row in (table.headings, *table.rows)), default=0)
    headings = table.headings or ("",) * width
    sides = [":--" if place in table.words else "--:" for place in range(width)]
    rows = [_row(headings), f"| {' | '.join(sides)} |"]
    words = [f"*{_plain(table.caption)}*", ""] if table.caption else []
    return words + rows + [_row(row) for row in table.rows]


def _row(cells: tuple[Cell, ...]) -> str:
    return f"| {' | '.join(f'${to_latex(cell)}$' if isinstance(cell, Box) else _plain(words_of(cell)) for cell in cells)} |"


def _plain(text: str) -> str:
    return BEGINS.sub(r"\1\\\2\3", SPECIAL.sub(r"\\\1", text))
