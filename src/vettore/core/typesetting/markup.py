"""Typeset boxes as LaTeX, as MathML (Presentation, W3C) and as Office mathematics; whole equations as text."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape

from vettore.core.formula.words import GREEK_NAMES
from vettore.core.typesetting.typeset import (
    PAIRS,
    Box,
    Fenced,
    Fraction,
    Lowered,
    Radical,
    Raised,
    Row,
    Slot,
    TextBox,
    coefficient_symbol,
    filled,
)


def with_numbers(formula: str, numbers: Mapping[str, str]) -> str:
    """Return a formula's text with numbers in the place of its coefficients."""
    from vettore.core.formula.reader import Reader
    from vettore.core.formula.tree import Negate, Node, Number, replaced
    from vettore.core.formula.write import to_text

    left, sign, right = formula.partition("=")
    tree: Node = Reader(right if sign else left, frozenset()).read_all()
    for name, text in numbers.items():
        value = float(text)
        tree = replaced(tree, name, Number(value) if value >= 0 else Negate(Number(-value)))
    return f"{left.strip()} = {to_text(tree)}" if sign else to_text(tree)


# Functions that LaTeX has a command for; others are set upright as operators.
COMMANDS = frozenset(
    {"exp", "ln", "sin", "cos", "tan", "sinh", "cosh", "tanh", "min", "max", "arcsin", "arccos", "arctan"}
)
LATEX = {
    "−": "-",
    "·": r"\cdot ",
    "π": r"\pi ",
    "log₁₀": r"\log_{10}",
    "log₂": r"\log_{2}",
    "Γ": r"\Gamma ",
}
_SPECIAL = str.maketrans({c: rf"\{c}" for c in "%&#_{}$"})


def to_latex(box: Box, numbers: Mapping[str, str] | None = None) -> str:
    """Return LaTeX for use in mathematics; ``numbers`` stand for coefficients instead of their symbols."""
    return _latex(box if numbers is None else filled(box, numbers))


def _latex(box: Box) -> str:
    match box:
        case TextBox(text):
            return _latex_text(text)
        case Row(parts):
            return "".join(_latex(part) for part in parts)
        case Raised(base, exponent):
            return f"{{{_latex(base)}}}^{{{_latex(exponent)}}}"
        case Lowered(base, index):
            return f"{_latex(base)}_{{{_latex(index)}}}"
        case Fraction(above, below):
            return rf"\frac{{{_latex(above)}}}{{{_latex(below)}}}"
        case Radical(of, index):
            order = "" if index == 2 else f"[{index}]"
            return rf"\sqrt{order}{{{_latex(of)}}}"
        case Fenced(of, bracket):
            left, right = PAIRS[bracket]
            return rf"\left{left} {_latex(of)} \right{right}"
        case Slot(name):
            return _latex(coefficient_symbol(name))


def _latex_text(text: str) -> str:
    stripped = text.strip()
    # Between factors; a plain blank would be none in mathematics.
    if text and not stripped:
        return r"\,"
    if stripped in LATEX:
        return LATEX[stripped]
    if stripped in GREEK_NAMES:
        return rf"\{GREEK_NAMES[stripped]} "
    if stripped in ("+", "=", ","):
        return f" {stripped} "
    if stripped in COMMANDS:
        return rf"\{stripped} "
    if len(stripped) > 1 and not stripped.replace(".", "").replace("−", "").isdecimal():
        return rf"\mathrm{{{stripped.translate(_SPECIAL)}}}"
    return stripped.replace("−", " - ").translate(_SPECIAL)


def to_mathml(box: Box, numbers: Mapping[str, str] | None = None) -> str:
    """Return MathML elements without the surrounding ``<math>``."""
    return _mathml(box if numbers is None else filled(box, numbers))


def _mathml(box: Box) -> str:
    match box:
        case TextBox(text):
            return _mathml_text(text)
        case Row(parts):
            return "<mrow>" + "".join(_mathml(part) for part in parts) + "</mrow>"
        case Raised(base, exponent):
            return f"<msup>{_of_box(base)}{_of_box(exponent)}</msup>"
        case Lowered(base, index):
            return f"<msub>{_of_box(base)}{_of_box(index)}</msub>"
        case Fraction(above, below):
            return f"<mfrac>{_of_box(above)}{_of_box(below)}</mfrac>"
        case Radical(of, index):
            if index == 2:
                return f"<msqrt>{_mathml(of)}</msqrt>"
            return f"<mroot>{_of_box(of)}<mn>{index}</mn></mroot>"
        case Fenced(of, bracket):
            left, right = PAIRS[bracket]
            return f"<mrow><mo>{left}</mo>{_mathml(of)}<mo>{right}</mo></mrow>"
        case Slot(name):
            return _mathml(coefficient_symbol(name))


def _of_box(box: Box) -> str:
    """Return exactly one element."""
    return f"<mrow>{_mathml(box)}</mrow>"


def _mathml_text(text: str) -> str:
    stripped = text.strip()
    if not stripped:
        return '<mspace width="0.17em"/>'
    if stripped in ("+", "−", "=", ",", "·"):
        return f"<mo>{stripped}</mo>"
    if stripped.lstrip("−")[:1].isdecimal():
        return f"<mn>{escape(stripped)}</mn>"
    return f"<mi>{escape(stripped)}</mi>"


def mathml_document(box: Box, numbers: Mapping[str, str] | None = None) -> str:
    """Return a whole ``<math>`` element."""
    return f'<math xmlns="http://www.w3.org/1998/Math/MathML">{to_mathml(box, numbers)}</math>'


def to_line(box: Box) -> str:
    """Return a box as a line of text, as ``A·exp(−k t)/(1 + x)^2``."""
    match box:
        case TextBox(text):
            return text
        case Row(parts):
            return "".join(to_line(part) for part in parts)
        case Raised(base, exponent):
            return f"{to_line(base)}^{_one_word(exponent)}"
        case Lowered(base, index):
            return f"{to_line(base)}_{to_line(index)}"
        case Fraction(above, below):
            return f"{_one_word(above)}/{_one_word(below)}"
        case Radical(of, index):
            return f"{'√' if index == 2 else '∛' if index == 3 else f'root {index} of '}({to_line(of)})"
        case Fenced(of, bracket):
            left, right = PAIRS[bracket]
            return f"{left}{to_line(of)}{right}"
        case Slot(name):
            return to_line(coefficient_symbol(name))


def _one_word(box: Box) -> str:
    """Return a box as a line, in brackets unless it is a single word or number."""
    line = to_line(box)
    return line if len(line) < 2 or line.replace("_", "").isalnum() or isinstance(box, Fenced) else f"({line})"


# XML has no place for these, which a file may have brought in.
NO_XML = dict.fromkeys([*range(9), 11, 12, *range(14, 32)])


def to_office(box: Box) -> str:
    """Return Office mathematics (ECMA-376) inside ``m:oMath``."""
    match box:
        case TextBox(text):
            return f'<m:r><m:t xml:space="preserve">{escape(text.translate(NO_XML))}</m:t></m:r>'
        case Row(parts):
            return "".join(to_office(part) for part in parts)
        case Raised(base, exponent):
            return f"<m:sSup><m:e>{to_office(base)}</m:e><m:sup>{to_office(exponent)}</m:sup></m:sSup>"
        case Lowered(base, index):
            return f"<m:sSub><m:e>{to_office(base)}</m:e><m:sub>{to_office(index)}</m:sub></m:sSub>"
        case Fraction(above, below):
            return f"<m:f><m:num>{to_office(above)}</m:num><m:den>{to_office(below)}</m:den></m:f>"
        case Radical(of, index):
            hidden = '<m:radPr><m:degHide m:val="1"/></m:radPr><m:deg/>' if index == 2 else ""
            order = hidden or f"<m:deg><m:r><m:t>{index}</m:t></m:r></m:deg>"
            return f"<m:rad>{order}<m:e>{to_office(of)}</m:e></m:rad>"
        case Fenced(of, bracket):
            left, right = (escape(mark, quote=True) for mark in PAIRS[bracket])
            ends = f'<m:dPr><m:begChr m:val="{left}"/><m:endChr m:val="{right}"/></m:dPr>'
            return f"<m:d>{ends}<m:e>{to_office(of)}</m:e></m:d>"
        case Slot(name):
            return to_office(coefficient_symbol(name))
