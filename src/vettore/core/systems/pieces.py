"""The text of a system cut into its lines, each of which knows where it stands."""

from __future__ import annotations

import re
from dataclasses import dataclass

from vettore.core.errors import Fault, FormulaError

_LINES = re.compile(r"[^;\n\r]+")


@dataclass(frozen=True)
class Piece:
    """A part of a text and where it begins in it."""

    text: str
    position: int

    def part(self, start: int, end: int) -> Piece:
        """Return a part of it."""
        return Piece(self.text[start:end], self.position + start)

    def error(
        self, message: str, hint: str = "", at: int | None = None, code: Fault = Fault.FORMULA_SYNTAX
    ) -> FormulaError:
        """Return an error at a place in it, at its first letter where none is given."""
        place = len(self.text) - len(self.text.lstrip()) if at is None else at
        return FormulaError(message, self.position + place, hint, code)

    def moved(self, error: FormulaError) -> FormulaError:
        """Return an error within it as one within the whole text."""
        return FormulaError(error.message, self.position + error.position, error.hint, error.code)

    def split_at_commas(self) -> list[Piece]:
        """Return the parts between commas that stand in no bracket."""
        depth, begun, out = 0, 0, []
        for place, character in enumerate(self.text):
            depth += {"(": 1, ")": -1}.get(character, 0)
            if character == "," and depth == 0:
                out.append(self.part(begun, place))
                begun = place + 1
        return [*out, self.part(begun, len(self.text))]


def pieces_of(text: str) -> list[Piece]:
    """Return the equations of a text, which stand one a line or are parted by semicolons."""
    return [Piece(match.group(), match.start()) for match in _LINES.finditer(text) if match.group().strip()]
