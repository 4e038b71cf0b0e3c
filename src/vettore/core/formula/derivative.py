"""Exact derivatives of a tree, simplified so that they read as on paper.

d(u·v) = u'v + uv',  d(u/v) = u'/v − u v'/v²,  d(uⁿ) = n uⁿ⁻¹ u' (n without the name), else
d(uᵛ) = uᵛ (v' ln u + v u'/u);  functions by the table below (Abramowitz & Stegun 1964, ch. 3–7).
``abs``, ``sign``, ``min``, ``max`` and ``if`` are differentiated piece by piece; at the joints the value is that
of one side.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from vettore.core.errors import FormulaError
from vettore.core.formula.own_functions import argument_count, slope_name
from vettore.core.formula.tree import Binary, Call, Compare, Name, Negate, Node, Number, names

ZERO, ONE, TWO = Number(0.0), Number(1.0), Number(2.0)


def derivative(node: Node, name: str) -> Node:
    """Return the derivative of a value by a name. Raises FormulaError for functions that have none here."""
    if name not in names(node):
        return ZERO
    match node:
        case Name():
            return ONE
        case Negate(of):
            return negated(derivative(of, name))
        case Binary("+", left, right):
            return added(derivative(left, name), derivative(right, name))
        case Binary("-", left, right):
            return subtracted(derivative(left, name), derivative(right, name))
        case Binary("*", left, right):
            return added(
                multiplied(derivative(left, name), right),
                multiplied(left, derivative(right, name)),
            )
        case Binary("/", left, right):
            first = divided(derivative(left, name), right)
            change = derivative(right, name)
            if change == ZERO:
                return first
            return subtracted(first, divided(multiplied(left, change), raised(right, TWO)))
        case Binary("^", left, right):
            return _of_power(left, right, name)
        case Call("if", (condition, a, b)):
            return Call("if", (condition, derivative(a, name), derivative(b, name)))
        case Call("min" | "max" as function, arguments):
            return _of_extreme(function, arguments, name)
        case Call("voigt" | "dispersion" | "tailed" as function, (first, second)):
            by_first, by_second = _OF_TWO[function](first, second)
            return added(
                multiplied(by_first, derivative(first, name)), multiplied(by_second, derivative(second, name))
            )
        case Call(function, arguments) if argument_count(function) is not None:
            return _of_own(function, arguments, name)
        case Call(function, (of,)):
            return multiplied(_outer(function, of), derivative(of, name))
        case _:
            raise FormulaError("A condition has no derivative.", 0)


def _of_own(function: str, arguments: tuple[Node, ...], name: str) -> Node:
    total: Node = ZERO
    for place, argument in enumerate(arguments):
        change = derivative(argument, name)
        if change != ZERO:
            total = added(total, multiplied(Call(slope_name(function, place), arguments), change))
    return total


def _of_power(base: Node, exponent: Node, name: str) -> Node:
    if name not in names(exponent):
        lower = Number(exponent.value - 1) if isinstance(exponent, Number) and exponent.value >= 1 else None
        less = lower if lower is not None else subtracted(exponent, ONE)
        return multiplied(multiplied(exponent, raised(base, less)), derivative(base, name))
    grown = multiplied(derivative(exponent, name), Call("ln", (base,)))
    if name in names(base):
        grown = added(grown, divided(multiplied(exponent, derivative(base, name)), base))
    return multiplied(Binary("^", base, exponent), grown)


def _of_extreme(function: str, arguments: tuple[Node, ...], name: str) -> Node:
    sign = "<=" if function == "min" else ">="
    result, best = derivative(arguments[-1], name), arguments[-1]
    for argument in reversed(arguments[:-1]):
        result = Call("if", (Compare(sign, argument, best), derivative(argument, name), result))
        best = Call(function, (argument, best))
    return result


def _of_voigt(x: Node, y: Node) -> tuple[Node, Node]:
    """Return ∂/∂x and ∂/∂y of Re w, with w′ = 2i/√π − 2z w."""
    along, across = Call("voigt", (x, y)), Call("dispersion", (x, y))
    by_x = multiplied(TWO, subtracted(multiplied(y, across), multiplied(x, along)))
    return by_x, negated(_slope_of_dispersion(x, y, along, across))


def _of_dispersion(x: Node, y: Node) -> tuple[Node, Node]:
    along, across = Call("voigt", (x, y)), Call("dispersion", (x, y))
    by_y = multiplied(TWO, subtracted(multiplied(y, across), multiplied(x, along)))
    return _slope_of_dispersion(x, y, along, across), by_y


def _slope_of_dispersion(x: Node, y: Node, along: Node, across: Node) -> Node:
    return subtracted(
        Number(2 / math.sqrt(math.pi)), multiplied(TWO, added(multiplied(x, across), multiplied(y, along)))
    )


def _of_tailed(z: Node, s: Node) -> tuple[Node, Node]:
    """Return ∂/∂z and ∂/∂s of a Gaussian g with a tail, u: s ∂u/∂z + u = g."""
    g, u = Call("exp", (negated(divided(raised(z, TWO), TWO)),)), Call("tailed", (z, s))
    share = added(subtracted(ONE, multiplied(z, s)), raised(s, TWO))
    return divided(subtracted(g, u), s), divided(subtracted(g, multiplied(u, share)), raised(s, Number(3.0)))


_OF_TWO: dict[str, Callable[[Node, Node], tuple[Node, Node]]] = {
    "voigt": _of_voigt,
    "dispersion": _of_dispersion,
    "tailed": _of_tailed,
}


_TABLE: dict[str, Callable[[Node], Node]] = {
    "exp": lambda u: Call("exp", (u,)),
    "ln": lambda u: divided(ONE, u),
    "log10": lambda u: divided(ONE, multiplied(Number(math.log(10)), u)),
    "log2": lambda u: divided(ONE, multiplied(Number(math.log(2)), u)),
    "sqrt": lambda u: divided(ONE, multiplied(TWO, Call("sqrt", (u,)))),
    "cbrt": lambda u: divided(ONE, multiplied(Number(3.0), raised(Call("cbrt", (u,)), TWO))),
    "abs": lambda u: Call("sign", (u,)),
    "sign": lambda u: ZERO,
    "sin": lambda u: Call("cos", (u,)),
    "cos": lambda u: negated(Call("sin", (u,))),
    "tan": lambda u: divided(ONE, raised(Call("cos", (u,)), TWO)),
    "asin": lambda u: divided(ONE, Call("sqrt", (subtracted(ONE, raised(u, TWO)),))),
    "acos": lambda u: negated(divided(ONE, Call("sqrt", (subtracted(ONE, raised(u, TWO)),)))),
    "atan": lambda u: divided(ONE, added(ONE, raised(u, TWO))),
    "sinh": lambda u: Call("cosh", (u,)),
    "cosh": lambda u: Call("sinh", (u,)),
    "tanh": lambda u: subtracted(ONE, raised(Call("tanh", (u,)), TWO)),
    "asinh": lambda u: divided(ONE, Call("sqrt", (added(raised(u, TWO), ONE),))),
    "acosh": lambda u: divided(ONE, Call("sqrt", (subtracted(raised(u, TWO), ONE),))),
    "atanh": lambda u: divided(ONE, subtracted(ONE, raised(u, TWO))),
    "erf": lambda u: multiplied(Number(2 / math.sqrt(math.pi)), Call("exp", (negated(raised(u, TWO)),))),
    "erfc": lambda u: negated(multiplied(Number(2 / math.sqrt(math.pi)), Call("exp", (negated(raised(u, TWO)),)))),
}


def _outer(function: str, of: Node) -> Node:
    if function not in _TABLE:
        raise FormulaError(f"{function} has no derivative in this language.", 0, "Use it only on data.")
    return _TABLE[function](of)


# Building trees that are already simple.


def added(left: Node, right: Node) -> Node:
    """Return left + right."""
    if left == ZERO:
        return right
    if right == ZERO:
        return left
    if isinstance(right, Negate):
        return subtracted(left, right.of)
    if isinstance(left, Number) and isinstance(right, Number):
        return Number(left.value + right.value)
    return multiplied(TWO, left) if left == right else Binary("+", left, right)


def subtracted(left: Node, right: Node) -> Node:
    """Return left − right."""
    if right == ZERO:
        return left
    if left == ZERO:
        return negated(right)
    if left == right:
        return ZERO
    if isinstance(right, Negate):
        return added(left, right.of)
    if isinstance(left, Number) and isinstance(right, Number):
        return number(left.value - right.value)
    return Binary("-", left, right)


def negated(of: Node) -> Node:
    """Return −of."""
    if of == ZERO:
        return ZERO
    return of.of if isinstance(of, Negate) else Negate(of)


def multiplied(left: Node, right: Node) -> Node:
    """Return left·right, with signs in front and numbers first."""
    if ZERO in (left, right):
        return ZERO
    if left == ONE:
        return right
    if right == ONE:
        return left
    if isinstance(left, Negate):
        return negated(multiplied(left.of, right))
    if isinstance(right, Negate):
        return negated(multiplied(left, right.of))
    if isinstance(left, Number) and isinstance(right, Number):
        return Number(left.value * right.value)
    if isinstance(right, Number):
        return multiplied(right, left)
    if (
        isinstance(left, Number)
        and isinstance(right, Binary)
        and right.sign == "*"
        and isinstance(right.left, Number)
    ):
        return multiplied(Number(left.value * right.left.value), right.right)
    if isinstance(right, Binary) and right.sign == "/" and right.left == ONE:
        return divided(left, right.right)
    if left == right:
        return raised(left, TWO)
    return Binary("*", left, right)


def divided(left: Node, right: Node) -> Node:
    """Return left/right."""
    if left == ZERO:
        return ZERO
    if right == ONE:
        return left
    if isinstance(left, Negate):
        return negated(divided(left.of, right))
    if isinstance(right, Negate):
        return negated(divided(left, right.of))
    return Binary("/", left, right)


def raised(base: Node, exponent: Node) -> Node:
    """Return base^exponent."""
    if exponent == ONE:
        return base
    if exponent == ZERO:
        return ONE
    return Binary("^", base, exponent)


def number(value: float) -> Node:
    """Return a number of either sign."""
    return Number(value) if value >= 0 else Negate(Number(-value))
