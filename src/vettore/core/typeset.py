"""A typeset formula as a small tree of boxes, which the app paints and the report writes as HTML."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from typing import TypeAlias


@dataclass(frozen=True)
class Text:
    """A run of characters; a single letter is set italic, a word or a sign upright."""

    text: str

    @property
    def italic(self) -> bool:
        """Whether the run is a one-letter symbol."""
        return len(self.text) == 1 and self.text.isalpha()


@dataclass(frozen=True)
class Row:
    """Boxes side by side on one baseline."""

    parts: tuple[Box, ...]


@dataclass(frozen=True)
class Raised:
    """A base with an exponent."""

    base: Box
    exponent: Box


@dataclass(frozen=True)
class Lowered:
    """A base with an index."""

    base: Box
    index: Box


@dataclass(frozen=True)
class Slot:
    """The place of a coefficient; what is shown for it is decided where it is drawn."""

    name: str


Box: TypeAlias = Text | Row | Raised | Lowered | Slot


def coefficient_symbol(name: str) -> Box:
    """Return ``a12`` as a with index 12; other names as they are."""
    head = name.rstrip("0123456789")
    index = name[len(head) :]
    return Lowered(Text(head), Text(index)) if head and index else Text(name)


def polynomial_terms(x: str, degree: int, intercept: bool) -> list[Row]:
    """Return the terms of a polynomial by rising power, each with its leading sign."""
    terms: list[Row] = []
    for power in range(0 if intercept else 1, degree + 1):
        sign = () if not terms else (Text(" + "),)
        variable: tuple[Box, ...] = ()
        if power == 1:
            variable = (Text(" "), Text(x))
        elif power > 1:
            variable = (Text(" "), Raised(Text(x), Text(str(power))))
        terms.append(Row((*sign, Slot(f"a{power}"), *variable)))
    return terms


def to_html(box: Box, slots: dict[str, str] | None = None) -> str:
    """Write a box as HTML; ``slots`` gives what stands for a coefficient (its symbol by default)."""
    match box:
        case Text(text):
            return f"<i>{escape(text)}</i>" if box.italic else escape(text).replace("  ", "&ensp;")
        case Row(parts):
            return "".join(to_html(part, slots) for part in parts)
        case Raised(base, exponent):
            return f"{to_html(base, slots)}<sup>{to_html(exponent, slots)}</sup>"
        case Lowered(base, index):
            return f"{to_html(base, slots)}<sub>{to_html(index, slots)}</sub>"
        case Slot(name):
            return slots[name] if slots and name in slots else to_html(coefficient_symbol(name))
