"""Read a formula: precedence climbing (Pratt 1973) over the tokens.

From loose to tight:  or · and · not · comparisons · + − · products and quotients · unary minus · powers.
So −x² is −(x²), powers are taken from the right, and products written by a space or by standing
side by side bind like ``*``: 1/2 x is (1/2)·x. Depth and size are bounded, so no text can exhaust the stack.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction

from vettore.core.errors import Fault, FormulaError
from vettore.core.formula.notation import Notation
from vettore.core.formula.own_functions import argument_count
from vettore.core.formula.tokens import FRACTIONS, Token
from vettore.core.formula.tree import (
    CONDITIONS,
    Binary,
    Both,
    Call,
    Compare,
    Either,
    Name,
    Negate,
    Node,
    Not,
    Number,
    Text,
    height,
)
from vettore.core.formula.words import ALSO_NAMES, ARGUMENTS, CONSTANTS, OTHER_NAMES, RESERVED, SUBSCRIPTED, near_miss

LONGEST_CHAIN = 250
IN_PARTS = "Put parts of it in brackets, or work out a column for them."
COMPARISONS = ("<", "<=", ">", ">=", "==", "!=", "=")


class Reader(Notation):
    """Reads one text; ``columns`` are names that stand for data even where the language has a word for them."""

    def __init__(self, text: str, columns: frozenset[str] = frozenset()) -> None:
        super().__init__(text)
        self.columns = columns

    def read_all(self, condition: bool = False) -> Node:
        """Read the whole text as one value, or as one condition."""
        if self.token.kind == "end":
            raise FormulaError("There is nothing here.", 0, "Write a formula.")
        node = self.either()
        self.end()
        # A sum or product of many parts stands as deep in the tree as it is long.
        if height(node) > LONGEST_CHAIN:
            words = f"More than {LONGEST_CHAIN} parts are joined in one chain."
            raise FormulaError(words, 0, IN_PARTS, Fault.FORMULA_TOO_LONG)
        if condition and not isinstance(node, CONDITIONS):
            raise FormulaError("This is a value, not a condition.", 0, "Compare it with something, as in x > 5.")
        if not condition:
            self.value(node, 0)
        return node

    def either(self) -> Node:
        """Read conditions joined by ``or``."""
        return self._joined("or", self.both, Either)

    def both(self) -> Node:
        """Read conditions joined by ``and``."""
        return self._joined("and", self.negation, Both)

    def _joined(self, word: str, part: Callable[[], Node], make: Callable[[Node, Node], Node]) -> Node:
        start = self.token.position
        node: Node = part()
        while (token := self.take(word)) is not None:
            self.condition(node, start, word)
            start = self.token.position
            right = part()
            self.condition(right, start, word)
            node = make(node, right)
            del token
        return node

    def negation(self) -> Node:
        """Read ``not`` and what follows."""
        token = self.take("not")
        if token is None:
            return self.comparison()
        self.enter(token)
        start = self.token.position
        node = self.negation()
        self.condition(node, start, "not")
        self.depth -= 1
        return Not(node)

    def comparison(self) -> Node:
        """Read two values compared, or one value."""
        start = self.token.position
        left = self.sum()
        token = self.take(*COMPARISONS)
        if token is None:
            return left
        second = self.token.position
        right = self.sum()
        sign = "==" if token.text == "=" else token.text
        if isinstance(left, Text) or isinstance(right, Text):
            if sign not in ("==", "!="):
                raise FormulaError("Texts have no order here.", token.position, "Compare them with == or !=.")
            for node, place in ((left, start), (right, second)):
                if isinstance(node, CONDITIONS):
                    self.value(node, place)
        else:
            self.value(left, start)
            self.value(right, second)
        if self.token.kind == "sign" and self.token.text in COMPARISONS:
            hint = "Join two comparisons with and, as in 1 < x and x < 5."
            raise FormulaError("Comparisons cannot be chained.", self.token.position, hint)
        return Compare(sign, left, right)

    def sum(self) -> Node:
        """Read terms joined by + and −."""
        start = self.token.position
        node = self.product()
        while (token := self.take("+", "-")) is not None:
            self.value(node, start)
            start = self.token.position
            node = Binary(token.text, node, self.value(self.product(), start))
        return node

    def product(self) -> Node:
        """Read factors joined by * or /, by a space, or by standing side by side."""
        start = begun = self.token.position
        first = self.place
        node = self.unary()
        divided = False
        while True:
            token = self.take("*", "/")
            if token is None and not self._starts_factor():
                return node
            self.value(node, start)
            start, spaced = self.token.position, self.token.spaced
            factor = self.unary() if token is not None else self.power()
            if token is None and (divided or self.ends_in_signed_power(first)):
                self.doubt(begun, start, spaced, node)
            divided = token.text == "/" if token is not None else divided
            first = self.place if token is None else first
            node = Binary(token.text if token is not None else "*", node, self.value(factor, start))

    def _starts_factor(self) -> bool:
        """Whether the next token begins a factor of a product written without a sign."""
        token, before = self.token, self.tokens[self.place - 1]
        if token.kind == "name":
            return token.text not in RESERVED
        if token.kind == "quoted" or token.text in ("(", "√", "∛"):
            return True
        if token.kind in ("number", "fraction"):
            if before.kind == "name" or before.text == ")" or before.kind in ("quoted", "super"):
                return True
            hint = "Put a sign between them."
            raise FormulaError("Two numbers stand side by side.", token.position, hint)
        return False

    def unary(self) -> Node:
        """Read a sign before a power."""
        token = self.take("+", "-")
        if token is None:
            return self.power()
        self.enter(token)
        start = self.token.position
        node = self.value(self.unary(), start)
        self.depth -= 1
        return Negate(node) if token.text == "-" else node

    def power(self) -> Node:
        """Read a power; its exponent may carry a sign and be a power itself."""
        start = self.token.position
        node = self.primary()
        if self.token.kind == "super":
            token = self.token
            self.place += 1
            exponent = int(token.text)
            number: Node = Number(float(abs(exponent)))
            node = Binary("^", self.value(node, start), Negate(number) if exponent < 0 else number)
        token_or_none = self.take("^")
        if token_or_none is None:
            return node
        self.value(node, start)
        self.enter(token_or_none)
        start = self.token.position
        exponent_node = self.value(self.unary(), start)
        self.depth -= 1
        return Binary("^", node, exponent_node)

    def primary(self) -> Node:
        """Read a number, a name, a call or a bracket."""
        token = self.token
        self.place += 1
        if token.kind == "number":
            return Number(_number(token))
        if token.kind == "fraction":
            return _fraction(token.text)
        if token.kind == "text":
            return Text(token.text)
        if token.kind == "quoted":
            return Name(token.text)
        if token.kind == "name":
            return self._named(token)
        if token.text == "(":
            return self._bracket(token)
        if token.text in ("√", "∛"):
            self.enter(token)
            start = self.token.position
            node = self.value(self.primary(), start)
            self.depth -= 1
            return Call("sqrt" if token.text == "√" else "cbrt", (node,))
        self.place -= 1
        raise self.expected(token)

    def _bracket(self, token: Token) -> Node:
        self.enter(token)
        node = self.either()
        if self.take(")") is None:
            if self.token.kind == "end":
                raise FormulaError("This bracket is never closed.", token.position, "Put a ) where it ends.")
            self.end()
        self.depth -= 1
        return node

    def _named(self, token: Token) -> Node:
        word = token.text
        called = self.token.text == "(" and self.token.kind == "sign"
        direct = called and not self.token.spaced
        if word in self.columns and not (direct and word in ARGUMENTS):
            return Name(word)
        if called and (token.letter == "Γ" or word in SUBSCRIPTED):
            return self.call(token, SUBSCRIPTED.get(word, "gamma"))
        if token.letter:
            # A letter is a number, like k(x − a); γ is one, whatever the function is called.
            return Number(CONSTANTS[word]) if word in CONSTANTS else Name(word)
        if word in ARGUMENTS and (self.token.kind == "super" or self.token.text == "^"):
            power = self.power_of_call(token)
            if power is not None:
                return power
        if word in RESERVED:
            raise FormulaError(f"“{word}” joins conditions.", token.position, "Put a condition before it.")
        if (called and word in ARGUMENTS) or (direct and argument_count(word) is not None):
            return self.call(token, word)
        if word in OTHER_NAMES and called:
            raise _no_function(f"“{word}” is not a function here.", token.position, OTHER_NAMES[word])
        if word in ARGUMENTS:
            if self._begins_value() or word not in ALSO_NAMES:
                hint = f"Write {word}( … )."
                raise FormulaError(f"{word} needs brackets around its argument.", token.position, hint)
            return Name(word)
        if direct and len(word.split("_")[0]) > 1:
            raise _no_function(f"Unknown function “{word}”.", token.position, near_miss(word))
        if word in CONSTANTS:
            return Number(CONSTANTS[word])
        return Name(word)

    def _begins_value(self) -> bool:
        return self.token.kind in ("number", "fraction", "quoted") or (
            self.token.kind == "name" and self.token.text not in RESERVED
        )

    def call(self, token: Token, function: str) -> Node:
        bracket = self.token
        self.place += 1
        self.enter(token)
        arguments: list[Node] = []
        if self.token.text != ")":
            while True:
                start = self.token.position
                node = self.either()
                if function == "if" and not arguments:
                    self.condition(node, start, "if")
                else:
                    self.value(node, start)
                arguments.append(node)
                if self.take(",") is None:
                    break
        if self.take(")") is None:
            if self.token.kind == "end":
                raise FormulaError("This bracket is never closed.", bracket.position, "Put a ) where it ends.")
            self.end()
        self.depth -= 1
        fewest, most = ARGUMENTS.get(function) or (argument_count(function) or 0,) * 2
        if not fewest <= len(arguments) <= most:
            raise FormulaError(_argument_words(function, len(arguments)), token.position, _usage(function))
        return Call(function, tuple(arguments))


def _number(token: Token) -> float:
    value = float(token.text)
    if not math.isfinite(value):
        raise FormulaError("This number is too large.", token.position, "Numbers reach up to about 1.8e308.")
    return value


def _fraction(text: str) -> Node:
    """Return ½ as 1/2, 2½ as a number."""
    whole, part = text[:-1], FRACTIONS[text[-1]]
    if whole:
        return Number(float(whole) + part)
    ratio = Fraction(part).limit_denominator(10)
    return Binary("/", Number(float(ratio.numerator)), Number(float(ratio.denominator)))


def _argument_words(function: str, given: int) -> str:
    fewest, most = ARGUMENTS[function]
    wanted = str(fewest) if fewest == most else f"at least {fewest}"
    return f"{function} takes {wanted} argument{'' if fewest == 1 else 's'}; {given} {'was' if given == 1 else 'were'} given."


def _usage(function: str) -> str:
    if function == "if":
        return "Write if(condition, a, b)."
    return f"Write {function}(a, b)." if ARGUMENTS[function][0] == 2 else f"Write {function}(a)."


def _no_function(words: str, position: int, hint: str) -> FormulaError:
    return FormulaError(words, position, _sentence(hint), Fault.FORMULA_NAME)


def _sentence(text: str) -> str:
    return text[0].upper() + text[1:] + ("" if text.endswith("?") else ".")
