"""The formula of a function that a script wrote: it is called once with names in the place of numbers.

What it does with them, signs and NumPy's functions, becomes the tree. A function that decides by a value, or does anything
else, has no formula; then it is worked with by its values (``own_functions.py``).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from vettore.core.formula.evaluate import evaluate
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
    height,
)

# Deeper trees stay functions: a loop that adds a thousand terms is quicker by itself.
DEEPEST = 60
# By so much of the largest value may formula and function differ.
SAME = 1e-12
_SIGNS = {
    "add": "+",
    "subtract": "-",
    "multiply": "*",
    "divide": "/",
    "true_divide": "/",
    "power": "^",
    "float_power": "^",
}
_COMPARED = {"less": "<", "less_equal": "<=", "greater": ">", "greater_equal": ">=", "equal": "==", "not_equal": "!="}
_CALLED = {
    "exp": "exp", "log": "ln", "log10": "log10", "log2": "log2", "sqrt": "sqrt", "cbrt": "cbrt", "absolute": "abs",
    "fabs": "abs", "sign": "sign", "sin": "sin", "cos": "cos", "tan": "tan", "arcsin": "asin", "arccos": "acos",
    "arctan": "atan", "sinh": "sinh", "cosh": "cosh", "tanh": "tanh", "arcsinh": "asinh", "arccosh": "acosh",
    "arctanh": "atanh", "erf": "erf", "erfc": "erfc", "gammaln": "lgamma", "minimum": "min", "maximum": "max",
}  # fmt: skip


class _Untold(Exception):
    """What a function does is no formula."""


class _Traced(np.lib.mixins.NDArrayOperatorsMixin):
    """A node that answers to signs and to NumPy's functions."""

    def __init__(self, node: Node) -> None:
        self.node = node

    def __array_ufunc__(self, ufunc: np.ufunc, method: str, *inputs: Any, **options: Any) -> _Traced:
        if method != "__call__" or options:
            raise _Untold
        return _Traced(_node_of(ufunc.__name__, [_as_node(value) for value in inputs]))

    def __array_function__(self, function: Any, types: Any, inputs: Any, options: Any) -> _Traced:
        if function is np.where and len(inputs) == 3 and not options:
            condition, *values = (_as_node(value) for value in inputs)
            if isinstance(condition, CONDITIONS):
                return _Traced(Call("if", (condition, *values)))
        raise _Untold

    def __bool__(self) -> bool:
        raise _Untold

    def __float__(self) -> float:
        raise _Untold

    def __array__(self, *_: Any, **__: Any) -> Any:
        raise _Untold


def _as_node(value: Any) -> Node:
    if isinstance(value, _Traced):
        return value.node
    if isinstance(value, (bool, np.bool_)) or np.ndim(value) or not isinstance(value, (int, float, np.number)):
        raise _Untold
    number = float(value)
    if not np.isfinite(number):
        raise _Untold
    return Negate(Number(-number)) if number < 0 else Number(number)


def _node_of(name: str, parts: list[Node]) -> Node:
    if name in _SIGNS:
        return Binary(_SIGNS[name], *parts)
    if name in _COMPARED:
        return Compare(_COMPARED[name], *parts)
    if name in _CALLED:
        return Call(_CALLED[name], tuple(parts))
    match name, parts:
        case "negative", [of]:
            return Negate(of)
        case "positive", [of]:
            return of
        case "square", [of]:
            return Binary("^", of, Number(2.0))
        case "reciprocal", [of]:
            return Binary("/", Number(1.0), of)
        case "expm1", [of]:
            return Binary("-", Call("exp", (of,)), Number(1.0))
        case "log1p", [of]:
            return Call("ln", (Binary("+", Number(1.0), of),))
        case "logical_and" | "bitwise_and", [left, right]:
            return Both(left, right)
        case "logical_or" | "bitwise_or", [left, right]:
            return Either(left, right)
        case "logical_not" | "invert", [of]:
            return Not(of)
    raise _Untold


def formula_of(work: Callable[..., Any], names: list[str], tried: Mapping[str, Any], rows: int) -> Node | None:
    """Return the tree of a function of these names, None where it has none, or one that does not give its values.

    ``tried`` are columns (rows,) and coefficients at which both are compared.
    """
    try:
        with np.errstate(all="ignore"):
            answer = work(*(_Traced(Name(name)) for name in names))
            node = _as_node(answer)
            if isinstance(node, CONDITIONS) or height(node) > DEEPEST:
                return None
            mine, its = (
                evaluate(node, tried, rows),
                np.asarray(work(*(tried[name] for name in names)), dtype=np.float64),
            )
    except Exception:
        # Whatever a script's function raises at being given names: it is a function of numbers then.
        return None
    size = float(np.abs(its[np.isfinite(its)]).max(initial=0.0))
    same = np.isclose(mine, np.broadcast_to(its, (rows,)), rtol=1e-9, atol=SAME * size, equal_nan=True)
    return node if bool(same.all()) else None
