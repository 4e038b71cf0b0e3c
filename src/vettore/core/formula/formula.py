"""A formula as a whole: what it is for, what in it is data, and what is a coefficient."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from functools import cached_property

from vettore.core.errors import Fault, FormulaError
from vettore.core.formula.reader import Reader
from vettore.core.formula.tokens import tokens
from vettore.core.formula.tree import CONDITIONS, Name, Node, children, names
from vettore.core.formula.write import name_text, to_text


@dataclass(frozen=True)
class Formula:
    """``left = right`` over columns.

    ``left`` is the response, a transform of it, or an expression of several measured columns of which ``response`` is
    the first (None when the text has no =); ``data`` are the names on the right that are columns, ``coefficients`` all
    other names, in the order in which they stand.
    """

    text: str
    left: Node | None
    right: Node
    response: str
    data: tuple[str, ...]
    coefficients: tuple[str, ...]
    # What on the right may be meant otherwise, as it is written, with how it is read.
    doubts: tuple[tuple[str, str], ...] = ()

    @cached_property
    def measured(self) -> tuple[str, ...]:
        """The columns on the left side, the response first."""
        return () if self.left is None else names(self.left)

    @property
    def transformed(self) -> bool:
        """Whether the left side is a transform of the response, so that residuals are those of the transform."""
        return self.left is not None and not isinstance(self.left, Name)

    @cached_property
    def in_conditions(self) -> tuple[str, ...]:
        """The coefficients that stand in conditions only."""
        smooth: set[str] = set()
        waiting: list[Node] = [self.right]
        while waiting:
            node = waiting.pop()
            if isinstance(node, Name):
                smooth.add(node.name)
            waiting += [part for part in children(node) if not isinstance(part, CONDITIONS)]
        return tuple(name for name in self.coefficients if name not in smooth)

    @cached_property
    def left_text(self) -> str:
        """The left side as text; empty without one."""
        return "" if self.left is None else to_text(self.left)

    @cached_property
    def _whole(self) -> str:
        right = to_text(self.right)
        return right if self.left is None else f"{self.left_text} = {right}"

    def __str__(self) -> str:
        return self._whole


def read_formula(text: str, columns: Iterable[str] = ()) -> Formula:
    """Read ``left = right`` or a bare right side. Raises FormulaError with the place and a remedy."""
    if not isinstance(text, str):
        raise FormulaError(f"A formula is a text; {text!r} was given.", 0)
    known = frozenset(columns)
    left_text, right_start = _split(text)
    left = None
    if left_text is not None:
        left = Reader(left_text, known).read_all()
    try:
        reader = Reader(text[right_start:], known)
        right = reader.read_all()
    except FormulaError as error:
        raise FormulaError(error.message, error.position + right_start, error.hint, error.code) from None
    response = _response(left, known, text)
    texts = names(right)
    both = next((name for name in ((response, *names(left)) if left is not None else ()) if name in texts), "")
    if both:
        place = text.find(both, right_start)
        raise FormulaError(
            f"{both} stands on both sides of the formula.", max(place, right_start), "Take it out on the right."
        )
    data = tuple(name for name in texts if name in known)
    free = tuple(name for name in texts if name not in known)
    return Formula(text, left, right, response, data, free, tuple(reader.doubts))


def read_expression(text: str, columns: Collection[str]) -> Node:
    """Read a worked column: every name must be a column. Raises FormulaError."""
    tree = Reader(text, frozenset(columns)).read_all()
    _only_columns(tree, columns, text)
    return tree


def read_condition(text: str, columns: Collection[str]) -> Node:
    """Read a condition on rows: every name must be a column. Raises FormulaError."""
    tree = Reader(text, frozenset(columns)).read_all(condition=True)
    _only_columns(tree, columns, text)
    return tree


def _only_columns(tree: Node, columns: Collection[str], text: str) -> None:
    unknown = [name for name in names(tree) if name not in columns]
    if unknown:
        known = ", ".join(name_text(name) for name in columns)
        place = max(text.find(unknown[0]), 0)
        raise FormulaError(
            f"There is no column “{unknown[0]}”.", place, f"The columns are {known}.", code=Fault.FORMULA_NAME
        )


def _split(text: str) -> tuple[str | None, int]:
    """Return the text left of the = and where the right side begins."""
    depth, place = 0, -1
    for token in tokens(text):
        if token.kind != "sign":
            continue
        depth += {"(": 1, ")": -1}.get(token.text, 0)
        if token.text == "=" and depth == 0:
            if place >= 0:
                raise FormulaError("There is a second = here.", token.position, "A formula has one = at most.")
            place = token.position
    return (text[:place], place + 1) if place >= 0 else (None, 0)


def _response(left: Node | None, known: frozenset[str], text: str) -> str:
    if left is None:
        return ""
    written = names(left)
    candidates = [name for name in written if name in known] if known else list(written)
    if candidates and len(candidates) == len(written) and (known or len(written) == 1):
        return candidates[0]
    if not written:
        raise FormulaError(
            "The left side names no column.", 0, "Write the measured column before the =.", code=Fault.FORMULA_NAME
        )
    if not candidates:
        listed = ", ".join(name_text(name) for name in sorted(known))
        rate = " A rate is fitted by fit_system, or vettore fit --equations." if written[0].endswith("'") else ""
        raise FormulaError(
            f"“{written[0]}” is not a column.", 0, f"The columns are {listed}.{rate}", code=Fault.FORMULA_NAME
        )
    strange = next((name for name in written if name not in known), written[-1]) if known else written[-1]
    raise FormulaError(
        f"{strange} on the left side is no column.",
        max(text.find(strange), 0),
        "Move it to the right side.",
        code=Fault.FORMULA_NAME,
    )
