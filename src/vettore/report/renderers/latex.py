"""A report as LaTeX with its figures beside it as PDF; it needs no more than a usual installation."""

from __future__ import annotations

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
from vettore.report.figures.paper import WIDTH_MM
from vettore.report.notes import NoteBlock, Span

PREAMBLE = r"""\documentclass[11pt]{article}
\usepackage[utf8]{inputenc}
\usepackage[T1]{fontenc}
\usepackage{textcomp}
\usepackage{amsmath}
\usepackage{array}
\usepackage{booktabs}
\usepackage{graphicx}
\usepackage[margin=25mm]{geometry}
\setlength{\parindent}{0pt}
\setlength{\parskip}{6pt}
% Figures share their pages with text.
\renewcommand{\topfraction}{0.95}
\renewcommand{\bottomfraction}{0.9}
\renewcommand{\textfraction}{0.05}
\renewcommand{\floatpagefraction}{0.9}
"""
# Texts of a table from so many letters on break in a column of a width; a letter, and what is between columns, as shares of the
# line.
LONG, PER_LETTER, BETWEEN = 30, 0.012, 0.03
# What LaTeX reads as commands, and what its usual typefaces lack.
SPECIAL = {
    "\\": r"\textbackslash{}",
    "~": r"\textasciitilde{}",
    "^": r"\textasciicircum{}",
    **{mark: rf"\{mark}" for mark in "%&#_{}$"},
    "−": r"\ensuremath{-}",
    "±": r"\ensuremath{\pm}",
    "·": r"\ensuremath{\cdot}",
    "×": r"\ensuremath{\times}",
    "≤": r"\ensuremath{\leq}",
    "≥": r"\ensuremath{\geq}",
    "≈": r"\ensuremath{\approx}",
    "→": r"\ensuremath{\rightarrow}",
    "∞": r"\ensuremath{\infty}",
    "√": r"\ensuremath{\surd}",
    "°": r"\textdegree{}",
    "µ": r"\textmu{}",
    "μ": r"\textmu{}",
    "…": r"\ldots{}",
    "–": "--",
    "—": "---",
    "“": "``",
    "”": "''",
    "’": "'",
    "\u00a0": "~",
    "\u202f": r"\,",
    "\u2009": r"\,",
    "\u2060": "",
    "χ": r"\ensuremath{\chi}",
    "λ": r"\ensuremath{\lambda}",
    "ν": r"\ensuremath{\nu}",
    "σ": r"\ensuremath{\sigma}",
    **{raised: rf"\textsuperscript{{{plain}}}" for raised, plain in zip("⁰¹²³⁴⁵⁶⁷⁸⁹", "0123456789", strict=True)},
    "⁻": r"\textsuperscript{-}",
    **{lowered: rf"\textsubscript{{{plain}}}" for lowered, plain in zip("₀₁₂₃₄₅₆₇₈₉", "0123456789", strict=True)},
}
TABLE = str.maketrans(SPECIAL)


def latex(document: Document, name: str) -> dict[str, bytes]:
    """Return the source, and the figures beside it as PDF."""
    files: dict[str, bytes] = {}
    lines = [
        PREAMBLE,
        rf"\title{{{_plain(document.title)}}}",
        rf"\author{{{_plain(document.subtitle)}}}",
        r"\date{}",
        r"\begin{document}",
        r"\maketitle",
    ]
    for noted in document.note_blocks:
        lines += [*_noted(noted), ""]
    for chapter in document.chapters:
        if chapter.title:
            lines.append(rf"\section*{{{_plain(chapter.title)}}}")
        level = "sub" if chapter.title else ""
        for section in chapter.sections:
            if section.title:
                lines.append(rf"\{level}section*{{{_plain(section.title)}}}")
            for block in section.blocks:
                lines += [*_block(block, name, files, level), ""]
    lines += [r"\bigskip", _plain(document.footer), r"\end{document}", ""]
    files[""] = "\n".join(lines).encode("utf-8")
    return files


def _block(block: Block, name: str, files: dict[str, bytes], level: str) -> list[str]:
    match block:
        case Heading(text):
            return [rf"\{level}subsection*{{{_plain(text)}}}"]
        case Paragraph(text):
            return [_plain(text)]
        case Pairs(pairs):
            # Texts may be long, and break in a column of a set width.
            rows = [rf"{_plain(pair.label)} & {_breaking(pair.text)} \\" for pair in pairs]
            return [r"\begin{tabular}{@{}p{0.38\linewidth}p{0.56\linewidth}@{}}", *rows, r"\end{tabular}"]
        case Equation(box):
            return [r"\[", to_latex(box), r"\]"]
        case NoteBlock():
            return _noted(block)
        case Table():
            return latex_table(block)
        case Figure():
            ending = f"-figure-{len(files) + 1}.pdf"
            files[ending] = block.draw("pdf")
            share = min(block.width / WIDTH_MM, 1.0)
            return [
                r"\begin{figure}[!htbp]\centering",
                rf"\includegraphics[width={share:.3f}\linewidth]{{\detokenize{{{name}{ending}}}}}",
                rf"\par\small {_plain(block.caption)}",
                r"\end{figure}",
            ]


def _noted(noted: NoteBlock) -> list[str]:
    texts = ["".join(map(_span, line)) for line in noted.lines]
    if not noted.is_list:
        return texts
    return [r"\begin{itemize}", *(rf"\item {line}" for line in texts), r"\end{itemize}"]


def _span(span: Span) -> str:
    if span.box is not None:
        return f"${to_latex(span.box)}$"
    return rf"\emph{{{_plain(span.text)}}}" if span.emphasised else _plain(span.text)


def latex_table(table: Table) -> list[str]:
    """Return the lines of a table set with booktabs, no wider than the text."""
    width = max((len(row) for row in (table.headings, *table.rows)), default=0)
    sides = _sides(table, width)
    rows = [r"\toprule"]
    if table.headings:
        rows += [_row(table.headings), r"\midrule"]
    rows += [*(_row(row) for row in table.rows), r"\bottomrule"]
    words = [rf"\par\small {_plain(table.caption)}\par\nopagebreak\normalsize"] if table.caption else []
    if "p{" in sides:
        # Long texts break in their columns; the others are made to fit as they are.
        return [
            *words,
            rf"\begin{{center}}\small\begin{{tabular}}{{@{{}}{sides}@{{}}}}",
            *rows,
            r"\end{tabular}\end{center}",
        ]
    return [
        *words,
        r"\begin{center}\resizebox{\ifdim\width>\linewidth\linewidth\else\width\fi}{!}{%",
        rf"\begin{{tabular}}{{@{{}}{sides}@{{}}}}",
        *rows,
        r"\end{tabular}}\end{center}",
    ]


def _sides(table: Table, width: int) -> str:
    """Return how columns are set: numbers right, words left, long texts in columns of a width."""
    rows = [row for row in (table.headings, *table.rows) if row]
    longest = [
        max(
            (0 if isinstance(cell, Box) else len(words_of(cell)) for row in rows for cell in row[place : place + 1]),
            default=0,
        )
        for place in range(width)
    ]
    long = sum(length for length in longest if length > LONG)
    left = 1.0 - sum(PER_LETTER * length for length in longest if length <= LONG) - BETWEEN * width
    out = ""
    for place, length in enumerate(longest):
        if length > LONG:
            share = max(left, 0.3) * length / long
            out += rf">{{\raggedright\arraybackslash}}p{{{share:.3f}\linewidth}}"
        else:
            out += "l" if place in table.words or place == 0 else "r"
    return out


def _row(cells: tuple[Cell, ...]) -> str:
    texts = [f"${to_latex(cell)}$" if isinstance(cell, Box) else _plain(words_of(cell)) for cell in cells]
    return rf"{' & '.join(texts)} \\"


def _breaking(text: str) -> str:
    """Return a text whose long words, such as a digest, may be broken."""
    return " ".join(
        r"\allowbreak{}".join(_plain(word[at : at + 8]) for at in range(0, len(word), 8))
        if len(word) > LONG
        else _plain(word)
        for word in text.split(" ")
    )


def _plain(text: str) -> str:
    return text.translate(TABLE)
