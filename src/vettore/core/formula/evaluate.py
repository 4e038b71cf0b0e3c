"""Evaluate a tree on arrays, in blocks that stay in cache.

A tree becomes a list of steps over numbered slots; equal subtrees share a slot, so each is worked out
once. Outside a function's domain the value is NaN; nothing is raised and no warning is given.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError
from vettore.core.formula.tree import (
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
    children,
)

BLOCK = 8192


def _special(name: str) -> Callable[..., Any]:
    def call(x: Any) -> Any:
        from scipy import special

        return getattr(special, name)(x)

    return call


def _gamma(x: Any) -> Any:
    from scipy import special

    values = special.gamma(x)
    return np.where(np.isfinite(values), values, np.nan)


FUNCTIONS: dict[str, Callable[..., Any]] = {
    "exp": np.exp,
    "ln": np.log,
    "log10": np.log10,
    "log2": np.log2,
    "sqrt": np.sqrt,
    "cbrt": np.cbrt,
    "abs": np.abs,
    "sign": np.sign,
    "sin": np.sin,
    "cos": np.cos,
    "tan": np.tan,
    "asin": np.arcsin,
    "acos": np.arccos,
    "atan": np.arctan,
    "sinh": np.sinh,
    "cosh": np.cosh,
    "tanh": np.tanh,
    "asinh": np.arcsinh,
    "acosh": np.arccosh,
    "atanh": np.arctanh,
    "erf": _special("erf"),
    "erfc": _special("erfc"),
    "gamma": _gamma,
    "lgamma": _special("gammaln"),
}
_BINARY: dict[str, Callable[[Any, Any], Any]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "^": np.power,
}
_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
    "==": np.equal,
    "!=": np.not_equal,
}


@dataclass(frozen=True)
class Step:
    """Work out one slot from others."""

    target: int
    work: Callable[..., Any]
    sources: tuple[int, ...]


class Program:
    """One or several trees made ready to be evaluated many times; what they share is worked out once."""

    def __init__(self, *trees: Node) -> None:
        self._slots: dict[Node, int] = {}
        self._steps: list[Step] = []
        self._constants: list[tuple[int, Any]] = []
        self.inputs: dict[str, int] = {}
        self._results = [self._place(tree) for tree in trees]

    def _place(self, root: Node) -> int:
        """Give every distinct subtree a slot, parts before wholes."""
        waiting: list[tuple[Node, bool]] = [(root, False)]
        while waiting:
            node, ready = waiting.pop()
            if node in self._slots:
                continue
            if not ready:
                waiting.append((node, True))
                waiting.extend((child, False) for child in reversed(children(node)))
                continue
            slot = self._slots[node] = len(self._slots)
            if isinstance(node, Number):
                self._constants.append((slot, np.float64(node.value)))
            elif isinstance(node, Text):
                self._constants.append((slot, node.text))
            elif isinstance(node, Name):
                self.inputs[node.name] = slot
            else:
                self._steps.append(Step(slot, _work(node), tuple(self._slots[child] for child in children(node))))
        return self._slots[root]

    def __call__(self, values: Mapping[str, Any]) -> Any:
        """Return the value of the (first) tree; ``values`` are scalars or arrays that broadcast against each other."""
        return self.all(values)[0]

    def all(self, values: Mapping[str, Any]) -> list[Any]:
        """Return the values of all trees."""
        missing = [name for name in self.inputs if name not in values]
        if missing:
            raise DataError(f"There is no value for {', '.join(missing)}.")
        with np.errstate(all="ignore"):
            long = {n: v for n, v in values.items() if n in self.inputs and np.ndim(v) == 1 and len(v) > BLOCK}
            if not long:
                return self._run({name: values[name] for name in self.inputs})
            rows = len(next(iter(long.values())))
            blocks = [slice(start, min(start + BLOCK, rows)) for start in range(0, rows, BLOCK)]
            parts = [
                self._run({n: long[n][block] if n in long else values[n] for n in self.inputs}) for block in blocks
            ]
            sizes = [block.stop - block.start for block in blocks]
            return [
                np.concatenate([np.broadcast_to(part[k], (size,)) for part, size in zip(parts, sizes, strict=True)])
                for k in range(len(self._results))
            ]

    def _run(self, values: Mapping[str, Any]) -> list[Any]:
        slots: list[Any] = [None] * len(self._slots)
        for slot, constant in self._constants:
            slots[slot] = constant
        for name, slot in self.inputs.items():
            slots[slot] = values[name]
        for step in self._steps:
            slots[step.target] = step.work(*(slots[source] for source in step.sources))
        return [slots[slot] for slot in self._results]


def evaluate(tree: Node, columns: Mapping[str, Any], rows: int) -> Array:
    """Return the values of a tree over columns, always of shape (rows,)."""
    value = np.asarray(Program(tree)(columns), dtype=np.float64)
    return np.ascontiguousarray(np.broadcast_to(value, (rows,)))


def _work(node: Node) -> Callable[..., Any]:
    match node:
        case Negate():
            return np.negative
        case Binary(sign, _, _):
            return _BINARY[sign]
        case Compare(sign, left, right):
            if isinstance(left, Text) or isinstance(right, Text):
                return _compare_texts(sign)
            return _COMPARE[sign]
        case Both():
            return np.logical_and
        case Either():
            return np.logical_or
        case Not():
            return np.logical_not
        case Call("if", _):
            return np.where
        case Call("min", _):
            return lambda *values: _extreme(np.minimum, values)
        case Call("max", _):
            return lambda *values: _extreme(np.maximum, values)
        case Call(function, _):
            return FUNCTIONS[function]
        case _:  # pragma: no cover
            raise AssertionError(node)


def _compare_texts(sign: str) -> Callable[[Any, Any], Any]:
    def compare(left: Any, right: Any) -> Any:
        equal = np.asarray(left, dtype=object) == np.asarray(right, dtype=object)
        return equal if sign == "==" else np.logical_not(equal)

    return compare


def _extreme(two: Callable[[Any, Any], Any], values: tuple[Any, ...]) -> Any:
    result = values[0]
    for value in values[1:]:
        result = two(result, value)
    return result
