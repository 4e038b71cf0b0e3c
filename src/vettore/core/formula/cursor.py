"""A place in the tokens of a formula, and what is insisted on there: refusals say what stands where, and what to do."""

from __future__ import annotations

from vettore.core.errors import Fault, FormulaError
from vettore.core.formula.tokens import Token, tokens
from vettore.core.formula.tree import CONDITIONS, Node, Text

DEEPEST = 60
MOST_TOKENS = 1200


class Cursor:
    """Goes over the tokens of a text, and counts how deep it stands in what is nested."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = tokens(text)
        if len(self.tokens) > MOST_TOKENS:
            raise FormulaError(
                f"The formula has {len(self.tokens)} parts; the most is {MOST_TOKENS}.",
                self.tokens[MOST_TOKENS].position,
                "Split it.",
                code=Fault.FORMULA_TOO_LONG,
            )
        self.place = 0
        self.depth = 0

    @property
    def token(self) -> Token:
        """The token that comes next."""
        return self.tokens[self.place]

    def end(self) -> None:
        """Insist that nothing follows."""
        token = self.token
        if token.kind == "end":
            return
        if token.text == ")":
            raise FormulaError("This bracket closes nothing.", token.position, "Take it out, or open one before it.")
        if token.text == ",":
            hint = "Commas stand only between the arguments of a function; write a decimal point in numbers."
            raise FormulaError("A comma has no meaning here.", token.position, hint)
        raise FormulaError(f"“{token.text}” was not expected here.", token.position, "Put a sign before it.")

    def take(self, *texts: str) -> Token | None:
        """Take the next token if it is one of these signs or words."""
        token = self.token
        if token.kind in ("sign", "name") and token.text in texts:
            self.place += 1
            return token
        return None

    def value(self, node: Node, position: int) -> Node:
        """Insist that a node is a number, not a condition or a text."""
        if isinstance(node, CONDITIONS):
            hint = "Use it as if(condition, a, b)."
            raise FormulaError("A condition stands where a number is needed.", position, hint)
        if isinstance(node, Text):
            raise FormulaError(
                "A text stands where a number is needed.", position, "Texts can only be compared with == and !=."
            )
        return node

    def condition(self, node: Node, position: int, word: str) -> None:
        """Insist that a node is a condition."""
        if not isinstance(node, CONDITIONS):
            raise FormulaError(f"“{word}” joins conditions, and this is none.", position, "Compare it, as in x > 5.")

    def expected(self, token: Token) -> FormulaError:
        """Return the refusal of a token where a value should begin."""
        if token.kind == "end":
            return FormulaError(
                "The formula stops too early.", token.position, "A number, a name or a bracket is missing."
            )
        if token.text in ("*", "/", "^", ","):
            return FormulaError(
                f"Something is missing before “{token.text}”.", token.position, "Write a number, a name or a bracket."
            )
        if token.text == ")":
            return FormulaError(
                "There is nothing in front of this bracket.", token.position, "Write something there."
            )
        return FormulaError(
            f"A number, a name or a bracket was expected, not “{token.text}”.", token.position, "Take it out."
        )

    def enter(self, token: Token) -> None:
        """Go into what stands inside something else."""
        self.depth += 1
        if self.depth > DEEPEST:
            raise FormulaError(
                f"More than {DEEPEST} things stand inside each other here.",
                token.position,
                "Simplify it.",
                code=Fault.FORMULA_TOO_LONG,
            )
