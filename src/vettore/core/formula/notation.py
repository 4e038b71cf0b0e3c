"""Notation that people write in more than one sense: what is read as it is usually meant, noted as doubtful, or refused."""

from __future__ import annotations

from vettore.core.errors import FormulaError
from vettore.core.formula.cursor import Cursor
from vettore.core.formula.tokens import Token
from vettore.core.formula.tree import Binary, Node, Number
from vettore.core.formula.words import ALSO_NAMES, ARGUMENTS


class Notation(Cursor):
    """A cursor that notes ``doubts``: what may be meant otherwise, as it is written, with how it is read."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.doubts: list[tuple[str, str]] = []

    def call(self, token: Token, function: str) -> Node:
        """Read the arguments of a function in brackets."""
        raise NotImplementedError

    def ends_in_signed_power(self, first: int) -> bool:
        """Whether an exponent with a sign and without brackets stands last, as in e^-k x."""
        before = self.tokens[first : self.place]
        signed = [at for at in range(len(before) - 2) if before[at].text == "^" and before[at + 1].text == "-"]
        return bool(signed) and len(before) == signed[-1] + 4 and before[signed[-1] + 2].kind in ("name", "number")

    def doubt(self, begun: int, start: int, spaced: bool, node: Node) -> None:
        """Note a product without a sign behind a quotient, or behind a power with a sign, which are read from the left."""
        whole = isinstance(node, Binary) and isinstance(node.left, Number) and isinstance(node.right, Number)
        if whole and spaced:
            # ½ x, written 1/2 x, is meant so.
            return
        left, right = self.text[begun:start].strip(), self.text[start : self.token.position].strip()
        self.doubts.append((f"{left} {right}" if spaced else f"{left}{right}", f"({left})·{right}"))

    def power_of_call(self, function: Token) -> Node | None:
        """Read sin²(x) as (sin(x))²; None for a word that may be a name and is followed by no argument.

        Raises FormulaError where it may mean another thing, or nothing.
        """
        begun, word = self.place, function.text
        token = self.token
        self.place += 1
        exponent = self.token if token.text == "^" else token
        if token.text == "^":
            self.place += 1
        if self.token.text == "(" and exponent.kind in ("super", "number") and exponent.text.isdecimal():
            return Binary("^", self.call(function, word), Number(float(exponent.text)))
        if word in ALSO_NAMES:
            self.place = begun
            return None
        if exponent.text == "-1" or (exponent.text == "-" and self.token.text == "1"):
            inverse = (
                f"a{word} for the inverse function" if f"a{word}" in ARGUMENTS else "the inverse function by its name"
            )
            hint = f"Write 1/{word}( … ) for the reciprocal, {inverse}."
            raise FormulaError(f"{word} with the power −1 can mean two things.", function.position, hint)
        hint = f"Write {word}( … ), or {word}( … )^n for a power of it."
        raise FormulaError(
            f"{word} is a function: its argument stands in brackets behind it.", function.position, hint
        )
