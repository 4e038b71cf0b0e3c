"""A typeset formula as a small tree of boxes, which the app paints and the report writes as HTML."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from html import escape
from typing import TypeAlias

from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, Number, walk
from vettore.core.formula.words import GREEK_LETTERS
from vettore.core.formula.write import to_text


@dataclass(frozen=True)
class TextBox:
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
class Fraction:
    """One box over another with a line between."""

    above: Box
    below: Box


@dataclass(frozen=True)
class Radical:
    """A root; ``index`` is 2 for the square root, which is not written."""

    of: Box
    index: int = 2


@dataclass(frozen=True)
class Fenced:
    """A box in brackets as tall as it is: ``(``, ``|`` or ``[``."""

    of: Box
    bracket: str = "("


@dataclass(frozen=True)
class Slot:
    """The place of a coefficient; what is shown for it is decided where it is drawn."""

    name: str


Box: TypeAlias = TextBox | Row | Raised | Lowered | Fraction | Radical | Fenced | Slot


def coefficient_symbol(name: str) -> Box:
    """Return ``a12`` or ``a_12`` as a with index 12, Greek names as letters; other names as they are."""
    if "_" in name:
        return _named(name)
    head = name.rstrip("0123456789")
    index = name[len(head) :]
    letter = TextBox(GREEK_LETTERS.get(head, head))
    return Lowered(letter, TextBox(index)) if head and index else letter


def polynomial_terms(x: str, degree: int, intercept: bool) -> list[Row]:
    """Return the terms of a polynomial by rising power, each with its leading sign."""
    terms: list[Row] = []
    for power in range(0 if intercept else 1, degree + 1):
        sign = () if not terms else (TextBox(" + "),)
        variable: tuple[Box, ...] = ()
        if power == 1:
            variable = (TextBox(" "), TextBox(x))
        elif power > 1:
            variable = (TextBox(" "), Raised(TextBox(x), TextBox(str(power))))
        terms.append(Row((*sign, Slot(f"a{power}"), *variable)))
    return terms


def formula_terms(tree: Node, coefficients: Collection[str]) -> list[Row]:
    """Return the terms of a formula, each with its leading sign; coefficients are slots."""
    terms: list[Row] = []
    waiting: list[tuple[str, Node]] = [("", tree)]
    while waiting:
        sign, node = waiting.pop()
        if isinstance(node, Binary) and node.sign in "+-" and sign != "-":
            waiting += [(node.sign, node.right), (sign, node.left)]
            continue
        lead: tuple[Box, ...] = ()
        if terms or sign == "-":
            lead = (TextBox(" + " if sign != "-" else " − "),)
        tight = PRODUCT_TIGHT if sign == "-" else 0
        box = _behind_a_sign(node, frozenset(coefficients), tight) if lead else _box(node, frozenset(coefficients))
        terms.append(Row((*lead, box)))
    return terms


# How tightly a box holds together: sums, products, signs, powers.
SUM_TIGHT, PRODUCT_TIGHT, SIGN_TIGHT, POWER_TIGHT, WHOLE = 1, 2, 3, 4, 5


def _behind_a_sign(node: Node, slots: frozenset[str], around: int) -> Box:
    """Return the box of what follows a sign; in brackets when it begins with one of its own."""
    first = node
    while isinstance(first, Binary) and first.sign in "+-*":
        first = first.left
    box = _box(node, slots, around)
    return Fenced(box) if isinstance(first, Negate) and not isinstance(box, Fenced) else box


def _box(node: Node, slots: frozenset[str], around: int = 0) -> Box:
    box, tightness = _parts(node, slots)
    return Fenced(box) if tightness < around else box


def _parts(node: Node, slots: frozenset[str]) -> tuple[Box, int]:
    match node:
        case Name(name):
            return (Slot(name) if name in slots else _named(name)), WHOLE
        case Number():
            box = number_box(to_text(node))
            return box, WHOLE if isinstance(box, TextBox) else PRODUCT_TIGHT
        case Negate(of):
            return Row((TextBox("−"), _box(of, slots, POWER_TIGHT))), SIGN_TIGHT
        case Binary("+" | "-" as sign, left, right):
            middle = TextBox(" + " if sign == "+" else " − ")
            return Row((_box(left, slots, SUM_TIGHT), middle, _behind_a_sign(right, slots, PRODUCT_TIGHT))), SUM_TIGHT
        case Binary("*", left, right):
            return _product(left, right, slots), PRODUCT_TIGHT
        case Binary("/", left, right):
            return Fraction(_box(left, slots), _box(right, slots)), PRODUCT_TIGHT
        case Binary("^", left, right):
            # A function to a power is put in brackets as a whole, which no reader mistakes.
            tight = POWER_TIGHT + 2 if isinstance(left, Call) and left.function not in BRACKETED else WHOLE
            return Raised(_box(left, slots, tight), _box(right, slots)), POWER_TIGHT
        case Call("exp", (of,)) if _is_short(of):
            return Raised(TextBox("e"), _box(of, slots)), POWER_TIGHT
        case Call("sqrt" | "cbrt" as function, (of,)):
            return Radical(_box(of, slots), 2 if function == "sqrt" else 3), WHOLE
        case Call("abs", (of,)):
            return Fenced(_box(of, slots), "|"), WHOLE
        case Call(function, arguments):
            inside: list[Box] = []
            for argument in arguments:
                inside += [TextBox(", "), _box(argument, slots)] if inside else [_box(argument, slots)]
            return Row((TextBox(WRITTEN.get(function, function)), Fenced(Row(tuple(inside))))), WHOLE
        case _:
            return TextBox(to_text(node)), 0


# Functions that bring brackets of their own, and how some are written.
BRACKETED = frozenset({"abs", "sqrt", "cbrt"})
WRITTEN = {"log10": "log₁₀", "log2": "log₂", "gamma": "Γ", "lgamma": "ln Γ"}
# An exponent of e with more parts than this is set beside exp, on the line.
MOST_IN_EXPONENT = 12


def _is_short(node: Node) -> bool:
    parts = list(walk(node))
    tall = any(isinstance(part, Binary) and part.sign == "/" for part in parts)
    nested = any(isinstance(part, Call) for part in parts)
    return len(parts) <= MOST_IN_EXPONENT and not tall and not nested


def number_box(text: str) -> Box:
    """Return a number as it is set: ``1.5e-07`` as 1.5 · 10⁻⁷, pi as π, a minus sign as one."""
    mantissa, power, exponent = text.replace("−", "-").partition("e") if text[:1] != "e" else (text, "", "")
    written = TextBox("π" if mantissa == "pi" else mantissa.replace("-", "−"))
    if not power:
        return written
    return Row((written, TextBox(" · "), Raised(TextBox("10"), TextBox(str(int(exponent)).replace("-", "−")))))


def rebuilt(box: Box, change: Callable[[Box], Box]) -> Box:
    """Return a box made anew from its innermost parts outwards, each part changed once its own parts are."""
    match box:
        case Row(parts):
            box = Row(tuple(rebuilt(part, change) for part in parts))
        case Raised(base, exponent):
            box = Raised(rebuilt(base, change), rebuilt(exponent, change))
        case Lowered(base, index):
            box = Lowered(rebuilt(base, change), rebuilt(index, change))
        case Fraction(above, below):
            box = Fraction(rebuilt(above, change), rebuilt(below, change))
        case Radical(of, index):
            box = Radical(rebuilt(of, change), index)
        case Fenced(of, bracket):
            box = Fenced(rebuilt(of, change), bracket)
    return change(box)


def renamed(box: Box, names: Mapping[str, str]) -> Box:
    """Return a box with other words for some of its texts."""
    return rebuilt(box, lambda part: TextBox(names.get(part.text, part.text)) if isinstance(part, TextBox) else part)


def flat(box: Box) -> Box:
    """Return a box with fractions on one line, ``(a + b)/c``, where there is no height for them."""
    return rebuilt(
        box,
        lambda part: (
            Row((_as_factor(part.above, above=True), TextBox("/"), _as_factor(part.below)))
            if isinstance(part, Fraction)
            else part
        ),
    )


def _as_factor(box: Box, above: bool = False) -> Box:
    """Return a box in brackets unless it is one thing; ``above`` the line a product, or a sign before it, needs none."""
    while isinstance(box, Row) and len(box.parts) == 1:
        box = box.parts[0]
    if not isinstance(box, Row):
        return box
    is_sum = any(isinstance(part, TextBox) and part.text in (" + ", " − ") for part in box.parts)
    return box if above and not is_sum else Fenced(box)


def filled(box: Box, numbers: Mapping[str, str]) -> Box:
    """Return a box with numbers in the place of slots, in brackets where a sign or a power of ten would be misread.

    Behind an =, a + or a − a number's own sign becomes that of its term: ``+ (−2) x`` is − 2 x.
    """
    return _filled(rebuilt(box, lambda part: _signed(part, numbers) if isinstance(part, Row) else part), numbers)


# What a sign becomes before a number that has a minus of its own.
TURNED = {" + ": " − ", " − ": " + ", " = ": " = −"}


def _signed(row: Row, numbers: Mapping[str, str]) -> Row:
    """Return a row with the signs of numbers taken into those before them."""
    parts = list(row.parts)
    for place, (sign, part) in enumerate(itertools.pairwise(row.parts)):
        slot = _leading(part)
        number = "" if slot is None else numbers.get(slot.name, "")
        if isinstance(sign, TextBox) and sign.text in TURNED and number[:1] in ("-", "−"):
            written = number_box(number[1:])
            parts[place] = TextBox(TURNED[sign.text])
            parts[place + 1] = _with_leading(part, Fenced(written) if isinstance(written, Row) else written)
    return Row(tuple(parts))


def _leading(box: Box) -> Slot | None:
    """Return the coefficient that a box begins with."""
    while isinstance(box, Row) and box.parts:
        box = box.parts[0]
    return box if isinstance(box, Slot) else None


def _with_leading(box: Box, first: Box) -> Box:
    if not isinstance(box, Row):
        return first
    return Row((_with_leading(box.parts[0], first), *box.parts[1:]))


def _filled(box: Box, numbers: Mapping[str, str]) -> Box:
    match box:
        case Slot(name) if name in numbers:
            number = number_box(numbers[name])
            return Fenced(number) if isinstance(number, Row) or numbers[name].startswith(("-", "−")) else number
        case Row(parts):
            done = [_filled(part, numbers) for part in parts]
            for place in range(1, len(done) - 1):
                # Two numbers side by side would be one.
                if (
                    done[place] == TextBox(THIN)
                    and isinstance(parts[place + 1], Slot)
                    and isinstance(done[place + 1], TextBox)
                ):
                    done[place] = TextBox(" · ")
            return Row(tuple(done))
        case Raised(base, exponent):
            return Raised(_filled(base, numbers), _filled(exponent, numbers))
        case Fraction(above, below):
            return Fraction(_filled(above, numbers), _filled(below, numbers))
        case Radical(of, index):
            return Radical(_filled(of, numbers), index)
        case Fenced(of, bracket):
            return Fenced(_filled(of, numbers), bracket)
        case _:
            return box


# Between factors.
THIN = "\u2009"


def _product(left: Node, right: Node, slots: frozenset[str]) -> Box:
    """Set a product: numbers touch what follows, two numbers get a dot, a sign gets brackets."""
    text, other = _box(left, slots, PRODUCT_TIGHT), _box(right, slots, POWER_TIGHT)
    begins = right
    while isinstance(begins, Binary):
        begins = begins.left
    if isinstance(begins, Number):
        return Row((text, TextBox(" · "), other))
    return Row((text, TextBox(THIN), other))


def _named(name: str) -> Box:
    head, _, index = name.partition("_")
    base = TextBox(GREEK_LETTERS.get(head, head))
    return Lowered(base, TextBox(index)) if index else base


Slots = Mapping[str, str]


def to_html(box: Box, slots: Slots | None = None) -> str:
    """Write a box as HTML; ``slots`` gives what stands for a coefficient (its symbol by default)."""
    match box:
        case TextBox(text):
            return f"<i>{escape(text)}</i>" if box.italic else escape(text).replace("  ", "&ensp;")
        case Row(parts):
            return "".join(to_html(part, slots) for part in parts)
        case Raised(base, exponent):
            return f"{to_html(base, slots)}<sup>{to_html(exponent, slots)}</sup>"
        case Lowered(base, index):
            return f"{to_html(base, slots)}<sub>{to_html(index, slots)}</sub>"
        case Fraction(above, below):
            top, bottom = to_html(above, slots), to_html(below, slots)
            return f'<span class="fraction"><span>{top}</span><span>{bottom}</span></span>'
        case Radical(of, index):
            return f'{"" if index == 2 else f"<sup>{index}</sup>"}√<span class="radical">{to_html(of, slots)}</span>'
        case Fenced(of, bracket):
            inner = to_html(of, slots)
            sides = PAIRS[bracket]
            if has_fraction(of):
                return f'<span class="tall">{sides[0]}</span>{inner}<span class="tall">{sides[1]}</span>'
            return f"{sides[0]}{inner}{sides[1]}"
        case Slot(name):
            return slots[name] if slots and name in slots else to_html(coefficient_symbol(name))


PAIRS = {"(": ("(", ")"), "|": ("|", "|"), "[": ("[", "]")}


def has_fraction(box: Box) -> bool:
    """Whether a box holds a fraction on its line, so that brackets around it have to be tall."""
    match box:
        case Fraction():
            return True
        case Row(parts):
            return any(has_fraction(part) for part in parts)
        case Raised(base, _) | Lowered(base, _):
            return has_fraction(base)
        case Radical(of) | Fenced(of):
            return has_fraction(of)
        case _:
            return False
