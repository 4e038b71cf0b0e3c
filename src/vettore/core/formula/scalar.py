"""Trees written as Python source over plain floats: for what is worked out one number at a time, a hundred thousand times.

Python's floats take a fifth of the time of NumPy's numbers. Where NumPy gives inf or NaN they raise ArithmeticError or
ValueError: whoever calls goes by ``evaluate.Program`` then.
"""

from __future__ import annotations

import math
from typing import Any

from vettore.core.formula.tree import Binary, Both, Call, Compare, Either, Name, Negate, Node, Not, Number, children

_SAME = ("exp", "log10", "log2", "sqrt", "sin", "cos", "tan", "asin", "acos", "atan", "sinh", "cosh", "tanh")
_FUNCTIONS = {name: name for name in (*_SAME, "asinh", "acosh", "atanh", "erf", "erfc")} | {
    "ln": "log",
    "abs": "fabs",
}
# To these powers a product is taken.
_SHORT_POWERS = {1.0: "{0}", 2.0: "{0} * {0}", 3.0: "{0} * {0} * {0}"}


def _least(a: float, b: float) -> float:
    """Return the smaller of two, NaN where one is."""
    return a if a < b else b if b <= a else math.nan


def _greatest(a: float, b: float) -> float:
    return a if a > b else b if b >= a else math.nan


def namespace() -> dict[str, Any]:
    """Return the names that written source may use."""
    return {
        **{name: getattr(math, name) for name in {*_FUNCTIONS.values(), "pow"}},
        "least": _least,
        "greatest": _greatest,
    }


class Source:
    """Lines of Python that work out trees; equal parts are worked out once. ``called`` gives the variable of each input."""

    def __init__(self, called: dict[str, str]) -> None:
        self._called = called
        self._known: dict[Node, str] = {}
        self.lines: list[str] = []

    def of(self, tree: Node) -> str | None:
        """Return what stands for a tree once the lines have run; None for one that cannot be written so."""
        waiting: list[tuple[Node, bool]] = [(tree, False)]
        while waiting:
            node, is_ready = waiting.pop()
            if node in self._known:
                continue
            if not is_ready:
                waiting.append((node, True))
                waiting.extend((child, False) for child in reversed(children(node)))
                continue
            text = self._written(node)
            if text is None:
                return None
            if not isinstance(node, Name | Number):
                self.lines.append(f"w{len(self._known)} = {text}")
                text = f"w{len(self._known)}"
            self._known[node] = text
        return self._known[tree]

    def _written(self, node: Node) -> str | None:
        parts = [self._known[child] for child in children(node)]
        match node:
            case Number(value):
                return repr(float(value)) if math.isfinite(value) else None
            case Name(name):
                return self._called.get(name)
            case Negate():
                return f"-{parts[0]}"
            case Binary("^", _, Number(value)) if value in _SHORT_POWERS:
                return _SHORT_POWERS[value].format(parts[0])
            case Binary("^"):
                return f"pow({parts[0]}, {parts[1]})"
            case Binary(sign) | Compare(sign):
                return f"{parts[0]} {sign} {parts[1]}"
            case Both():
                return f"{parts[0]} and {parts[1]}"
            case Either():
                return f"{parts[0]} or {parts[1]}"
            case Not():
                return f"not {parts[0]}"
            case Call("if"):
                return f"{parts[1]} if {parts[0]} else {parts[2]}"
            case Call("min" | "max" as function):
                text, by = parts[0], "least" if function == "min" else "greatest"
                for part in parts[1:]:
                    text = f"{by}({text}, {part})"
                return text
            case Call(function) if function in _FUNCTIONS:
                return f"{_FUNCTIONS[function]}({parts[0]})"
        return None
