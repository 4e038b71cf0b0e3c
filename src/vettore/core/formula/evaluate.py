"""Evaluate a tree on arrays, in blocks that stay in cache.

A tree becomes a list of steps over numbered slots; equal subtrees share a slot, so each is worked out
once. Outside a function's domain the value is NaN; nothing is raised and no warning is given.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable, Mapping
from typing import Any

import numpy as np

from vettore.core.arrays import Array
from vettore.core.errors import DataError, Fault
from vettore.core.formula.own_functions import own_work
from vettore.core.formula.peak_functions import dispersion, tailed, voigt
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
    "voigt": voigt,
    "dispersion": dispersion,
    "tailed": tailed,
    "gamma": _gamma,
    "lgamma": _special("gammaln"),
}
# Python's operators reach NumPy's by a shorter way between two numbers, and take the same time between arrays.
_BINARY: dict[str, Callable[[Any, Any], Any]] = {
    "+": operator.add,
    "-": operator.sub,
    "*": operator.mul,
    "/": operator.truediv,
    "^": operator.pow,
}
_COMPARE: dict[str, Callable[[Any, Any], Any]] = {
    "<": np.less,
    "<=": np.less_equal,
    ">": np.greater,
    ">=": np.greater_equal,
    "==": np.equal,
    "!=": np.not_equal,
}

# Work out one slot from others: its place, the work, what picks the others out of all slots, and where they are.
# One source is handed over as it is, several as a tuple, as the last entry tells.
Step = tuple[int, Callable[..., Any], Callable[[list[Any]], Any], tuple[int, ...], bool]


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
                sources = tuple(self._slots[child] for child in children(node))
                self._steps.append((slot, _work(node), operator.itemgetter(*sources), sources, len(sources) == 1))
        return self._slots[root]

    def __call__(self, values: Mapping[str, Any]) -> Any:
        """Return the value of the (first) tree; ``values`` are scalars or arrays that broadcast against each other."""
        return self.all(values)[0]

    def all(self, values: Mapping[str, Any]) -> list[Any]:
        """Return the values of all trees."""
        missing = [name for name in self.inputs if name not in values]
        if missing:
            raise DataError(f"There is no value for {', '.join(missing)}.", Fault.MISSING)
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
        return self._finished(self._filled(values), self._steps)

    def _filled(self, values: Mapping[str, Any]) -> list[Any]:
        """Return all slots, with the constants and these inputs in place."""
        slots: list[Any] = [None] * len(self._slots)
        for slot, constant in self._constants:
            slots[slot] = constant
        for name, value in values.items():
            slots[self.inputs[name]] = _number(value)
        return slots

    def _finished(self, slots: list[Any], steps: Iterable[Step]) -> list[Any]:
        for target, work, pick, _, alone in steps:
            slots[target] = work(pick(slots)) if alone else work(*pick(slots))
        return [slots[slot] for slot in self._results]

    def bound(self, fixed: Mapping[str, Any], free: Iterable[str]) -> Callable[[Iterable[Any]], list[Any]]:
        """Return what gives the values of all trees for values of the ``free`` inputs, the others being ``fixed``.

        What does not depend on the free ones is worked out once. Numbers are to be given as NumPy's, and warnings of
        arithmetic are the caller's.
        """
        waiting = list(free)
        given = {name: fixed[name] for name in self.inputs if name not in waiting}
        open_slots = {self.inputs[name] for name in waiting if name in self.inputs}
        first, rest = [], []
        for step in self._steps:
            if open_slots.intersection(step[3]):
                open_slots.add(step[0])
                rest.append(step)
            else:
                first.append(step)
        ready = self._filled(given)
        self._finished(ready, first)
        places = [self.inputs.get(name) for name in waiting]

        def run(values: Iterable[Any]) -> list[Any]:
            slots = ready.copy()
            for place, value in zip(places, values, strict=True):
                if place is not None:
                    slots[place] = value
            return self._finished(slots, rest)

        return run


def evaluate(tree: Node, columns: Mapping[str, Any], rows: int) -> Array:
    """Return the values of a tree over columns, always of shape (rows,)."""
    value = np.asarray(Program(tree)(columns), dtype=np.float64)
    return np.ascontiguousarray(np.broadcast_to(value, (rows,)))


def number_of(tree: Node, values: Mapping[str, float]) -> float:
    """Return the value of a tree of numbers; those that it does not name are left alone."""
    program = Program(tree)
    return float(program({name: np.float64(values[name]) for name in program.inputs}))


def _work(node: Node) -> Callable[..., Any]:
    match node:
        case Negate():
            return operator.neg
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
            return FUNCTIONS[function] if function in FUNCTIONS else _own(function)
        case _:  # pragma: no cover
            raise AssertionError(node)


def _own(function: str) -> Callable[..., Any]:
    work = own_work(function)
    if work is None:
        raise DataError(f"{function} is a function of a script that is over. Give it again.", Fault.UNAVAILABLE)
    return work


def _number(value: Any) -> Any:
    """Return NumPy's number for Python's, which raises where NumPy gives inf or NaN."""
    return np.float64(value) if isinstance(value, float | int) else value


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
