"""Typeset boxes as LaTeX and as MathML (Presentation, W3C), and whole equations as text."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape

from vettore.core.formula.words import GREEK_NAMES
from vettore.core.typeset import (
    PAIRS,
    Box,
    Fenced,
    Fraction,
    Lowered,
    Radical,
    Raised,
    Row,
    Slot,
    Text,
    coefficient_symbol,
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
    "\u2009": r"\,",
    "log₁₀": r"\log_{10}",
    "log₂": r"\log_{2}",
    "Γ": r"\Gamma ",
}
_SPECIAL = str.maketrans({c: rf"\{c}" for c in "%&#_{}$"})


def to_latex(box: Box, numbers: Mapping[str, str] | None = None) -> str:
    """Return LaTeX for use in mathematics; ``numbers`` stand for coefficients instead of their symbols."""
    match box:
        case Text(text):
            return _latex_text(text)
        case Row(parts):
            return "".join(to_latex(part, numbers) for part in parts)
        case Raised(base, exponent):
            return f"{{{to_latex(base, numbers)}}}^{{{to_latex(exponent, numbers)}}}"
        case Lowered(base, index):
            return f"{to_latex(base, numbers)}_{{{to_latex(index, numbers)}}}"
        case Fraction(above, below):
            return rf"\frac{{{to_latex(above, numbers)}}}{{{to_latex(below, numbers)}}}"
        case Radical(of, index):
            order = "" if index == 2 else f"[{index}]"
            return rf"\sqrt{order}{{{to_latex(of, numbers)}}}"
        case Fenced(of, bracket):
            left, right = PAIRS[bracket]
            return rf"\left{left} {to_latex(of, numbers)} \right{right}"
        case Slot(name):
            if numbers and name in numbers:
                return _number(numbers[name])
            return to_latex(coefficient_symbol(name))


def _number(text: str) -> str:
    return rf"\left({text.replace('−', '-')}\right)" if text.startswith(("-", "−")) else text


def _latex_text(text: str) -> str:
    stripped = text.strip()
    if stripped in LATEX:
        return LATEX[stripped] if stripped != text or text == "\u2009" else LATEX[text]
    if stripped in GREEK_NAMES:
        return rf"\{GREEK_NAMES[stripped]} "
    if stripped in ("+", "=", ","):
        return f" {stripped} "
    if stripped in COMMANDS:
        return rf"\{stripped} "
    if len(stripped) > 1 and not stripped.replace(".", "").replace("e", "").replace("-", "").isdigit():
        return rf"\mathrm{{{stripped.translate(_SPECIAL)}}}"
    return stripped.replace("−", " - ").translate(_SPECIAL)


def to_mathml(box: Box, numbers: Mapping[str, str] | None = None) -> str:
    """Return MathML elements without the surrounding ``<math>``."""
    match box:
        case Text(text):
            return _mathml_text(text)
        case Row(parts):
            return "<mrow>" + "".join(to_mathml(part, numbers) for part in parts) + "</mrow>"
        case Raised(base, exponent):
            return f"<msup>{_one(base, numbers)}{_one(exponent, numbers)}</msup>"
        case Lowered(base, index):
            return f"<msub>{_one(base, numbers)}{_one(index, numbers)}</msub>"
        case Fraction(above, below):
            return f"<mfrac>{_one(above, numbers)}{_one(below, numbers)}</mfrac>"
        case Radical(of, index):
            if index == 2:
                return f"<msqrt>{to_mathml(of, numbers)}</msqrt>"
            return f"<mroot>{_one(of, numbers)}<mn>{index}</mn></mroot>"
        case Fenced(of, bracket):
            left, right = PAIRS[bracket]
            return f"<mrow><mo>{left}</mo>{to_mathml(of, numbers)}<mo>{right}</mo></mrow>"
        case Slot(name):
            if numbers and name in numbers:
                text = numbers[name]
                inner = f"<mn>{escape(text)}</mn>"
                return f"<mrow><mo>(</mo>{inner}<mo>)</mo></mrow>" if text.startswith(("-", "−")) else inner
            return to_mathml(coefficient_symbol(name))


def _one(box: Box, numbers: Mapping[str, str] | None) -> str:
    """Return exactly one element."""
    return f"<mrow>{to_mathml(box, numbers)}</mrow>"


def _mathml_text(text: str) -> str:
    stripped = text.strip()
    if not stripped:
        return '<mspace width="0.17em"/>'
    if stripped in ("+", "−", "=", ",", "·"):
        return f"<mo>{stripped}</mo>"
    if stripped[0].isdigit():
        return f"<mn>{escape(stripped)}</mn>"
    return f"<mi>{escape(stripped)}</mi>"


def mathml_document(box: Box, numbers: Mapping[str, str] | None = None) -> str:
    """Return a whole ``<math>`` element."""
    return f'<math xmlns="http://www.w3.org/1998/Math/MathML">{to_mathml(box, numbers)}</math>'
