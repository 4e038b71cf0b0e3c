"""Cut the text of a formula into tokens, each with its place in the text."""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass

from vettore.core.errors import Fault, FormulaError
from vettore.core.formula.words import GREEK_NAMES

LONGEST_TEXT = 4000
_SUPERSCRIPTS = str.maketrans("⁰¹²³⁴⁵⁶⁷⁸⁹⁻⁺", "0123456789-+")
SUBSCRIPTS = "₀₁₂₃₄₅₆₇₈₉"
_SUBSCRIPTS = str.maketrans(SUBSCRIPTS, "0123456789")
# Fractions that are one letter each, by what they divide.
FRACTIONS = {letter: unicodedata.numeric(letter) for letter in "¼½¾⅐⅑⅒⅓⅔⅕⅖⅗⅘⅙⅚⅛⅜⅝⅞"}
_SIGNS = {"·": "*", "×": "*", "⋅": "*", "∙": "*", "−": "-", "–": "-", "÷": "/", "≤": "<=", "≥": ">=", "≠": "!="}

_PATTERN = re.compile(
    r"""(?P<space>\s+)
    |(?P<fraction>[0-9]*[¼½¾⅐-⅞])
    |(?P<number>(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:[eE][+\-−]?[0-9]+)?)
    |(?P<name>(?![⁰¹²³⁴-⁹¼½¾⅐-⅞])[^\W\d_](?:(?![⁰¹²³⁴-⁹¼½¾⅐-⅞])[^\W_₀-₉])*(?:_[^\W⁰¹²³⁴-⁹]+)*[₀-₉]*'*)
    |(?P<quoted>`[^`]*`?)
    |(?P<text>"[^"]*"?)
    |(?P<super>[⁺⁻]?[⁰¹²³⁴⁵⁶⁷⁸⁹]+)
    |(?P<sign><=|>=|==|!=|\*\*|[+\-*/^(),=<>√∛·×⋅∙−–÷≤≥≠])
    """,
    re.VERBOSE,
)


@dataclass(frozen=True, slots=True)
class Token:
    """A piece of a formula. ``kind`` is number, fraction, name, quoted, text, super, sign or end.

    ``spaced`` if a space precedes; ``letter`` is a name of one letter as it is written, whatever it is called.
    """

    kind: str
    text: str
    position: int
    spaced: bool = False
    letter: str = ""


def tokens(text: str) -> list[Token]:
    """Return the tokens of a formula, closed by one of kind ``end``. Raises FormulaError at what is no token."""
    if len(text) > LONGEST_TEXT:
        raise FormulaError(
            f"The formula has {len(text)} characters; the most is {LONGEST_TEXT}.",
            LONGEST_TEXT,
            "Shorten it.",
            code=Fault.FORMULA_TOO_LONG,
        )
    result: list[Token] = []
    place, spaced = 0, False
    while place < len(text):
        match = _PATTERN.match(text, place)
        if match is None:
            raise FormulaError(f"“{text[place]}” has no meaning in a formula.", place, _remedy(text, place))
        kind, piece = str(match.lastgroup), match.group()
        if kind == "space":
            spaced = True
        else:
            result.append(_token(kind, piece, place, spaced))
            spaced = False
        place = match.end()
    return [*result, Token("end", "", len(text), spaced)]


def _token(kind: str, piece: str, place: int, spaced: bool) -> Token:
    if kind == "sign":
        if piece == "**":
            raise FormulaError("“**” has no meaning in a formula.", place, "Write ^ for a power.")
        piece = _SIGNS.get(piece, piece)
    elif kind == "super":
        piece = piece.translate(_SUPERSCRIPTS)
    elif kind == "name":
        letter = piece if len(piece.rstrip(SUBSCRIPTS)) == 1 else ""
        return Token(kind, plain_name(piece), place, spaced, letter)
    elif kind in ("quoted", "text"):
        quote = piece[0]
        if len(piece) < 2 or piece[-1] != quote:
            raise FormulaError(f"This {quote} is never closed.", place, f"Put another {quote} at its end.")
        piece = piece[1:-1]
        if kind == "quoted" and not piece.strip():
            raise FormulaError("There is no name between these backquotes.", place, "Write a column's name in them.")
    elif kind == "number":
        piece = piece.replace("−", "-")
    return Token(kind, piece, place, spaced)


def plain_name(name: str) -> str:
    """Return a name with Greek letters by their names and subscript digits as ``_0``: ``λ₂`` is ``lambda_2``."""
    head = name.rstrip(SUBSCRIPTS)
    index = name[len(head) :].translate(_SUBSCRIPTS)
    plain = "".join(GREEK_NAMES.get(letter) or _upright(letter) for letter in head)
    return f"{plain}_{index}" if index else plain


def _upright(letter: str) -> str:
    """Return a letter that is set for mathematics (ℯ, 𝑥) as the letter that it is."""
    if letter in "ℯⅇ" or 0x1D400 <= ord(letter) <= 0x1D7FF:
        plain = unicodedata.normalize("NFKC", letter)
        return GREEK_NAMES.get(plain, plain)
    return letter


def _remedy(text: str, place: int) -> str:
    character = text[place]
    if character in "~∼":
        return f"Write = for it: {text[:place].strip()} = {text[place + 1 :].strip()}."
    remedies = {
        "|": "Write abs( … ) for an absolute value.",
        "[": "Use round brackets.",
        "]": "Use round brackets.",
        "{": "Use round brackets.",
        "}": "Use round brackets.",
        "%": "Divide by 100 instead.",
        "!": "Write gamma(n + 1) for a factorial, or != for “is not”.",
        "&": "Write and.",
        ";": "Put commas between arguments. Several equations are fitted by fit_system, or vettore fit --equations.",
        "'": 'Put texts in double quotes, as in note != "ok".',
    }
    return remedies.get(character, "Take it out.")
