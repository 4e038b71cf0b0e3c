"""Formulas as a textbook writes them: products gathered, like powers merged, fractions cancelled and brought together.

A product is taken apart as  c · Π fᵢ^nᵢ  with a number c and whole powers n; a sum as a list of such products, of which
like ones are added up. Fractions are brought onto one denominator where that makes the formula shorter. For reading
only: what is evaluated keeps the form in which it was derived.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from fractions import Fraction

from vettore.core.formula.tree import Binary, Call, Name, Negate, Node, Number, walk

# Products of sums with more terms than this are not multiplied out.
MOST_TERMS = 12
# A number with a larger denominator than this stands as a decimal fraction.
LARGEST_DENOMINATOR = 1000

Factors = dict[Node, int]
Term = tuple[Fraction, Factors]


def simplified(tree: Node) -> Node:
    """Return an equal formula that is shorter or in a more usual order."""
    match tree:
        case Binary("+" | "-", _, _):
            return _sum(_summands(tree))
        case Binary("*" | "/", _, _) | Negate(_):
            return _product(_taken_apart(tree))
        case Binary("^", base, exponent):
            return _product(_power(base, exponent))
        case Call(function, arguments):
            return Call(function, tuple(simplified(argument) for argument in arguments))
        case _:
            return tree


def _taken_apart(tree: Node) -> Term:
    match tree:
        case Number(value) if value == value and abs(value) != float("inf"):
            exact = Fraction(value).limit_denominator(LARGEST_DENOMINATOR)
            return (exact, {}) if float(exact) == value else (Fraction(1), {tree: 1})
        case Negate(of):
            c, factors = _taken_apart(of)
            return -c, factors
        case Binary("*", left, right):
            return _times(_taken_apart(left), _taken_apart(right))
        case Binary("/", left, right):
            c, factors = _taken_apart(right)
            if c == 0:
                return Fraction(1), {tree: 1}
            return _times(_taken_apart(left), (1 / c, {factor: -n for factor, n in factors.items()}))
        case Binary("^", base, exponent):
            return _power(base, exponent)
        case _:
            short = simplified(tree)
            if short != tree and isinstance(short, (Binary, Negate, Number)) and not _is_sum(short):
                return _taken_apart(short)
            return Fraction(1), {short: 1}


def _power(base: Node, exponent: Node) -> Term:
    inner, up = simplified(base), simplified(exponent)
    whole = up.of if isinstance(up, Negate) else up
    if isinstance(whole, Number) and whole.value == int(whole.value) and abs(whole.value) <= 20:
        n = -int(whole.value) if isinstance(up, Negate) else int(whole.value)
        c, factors = _taken_apart(inner)
        if c == 0 and n <= 0:
            return Fraction(1), {Binary("^", inner, up): 1}
        return c**n, {factor: times * n for factor, times in factors.items() if times * n}
    return Fraction(1), {Binary("^", inner, up): 1}


def _is_sum(tree: Node) -> bool:
    return isinstance(tree, Binary) and tree.sign in "+-"


def _times(term: Term, other: Term) -> Term:
    factors = dict(term[1])
    for factor, n in other[1].items():
        factors[factor] = factors.get(factor, 0) + n
    return term[0] * other[0], {factor: n for factor, n in factors.items() if n}


def _summands(tree: Node, sign: int = 1) -> list[Term]:
    if isinstance(tree, Binary) and tree.sign in "+-":
        return [*_summands(tree.left, sign), *_summands(tree.right, sign if tree.sign == "+" else -sign)]
    c, factors = _taken_apart(tree)
    if len(factors) == 1 and sum(factors.values()) == 1:
        inner = next(iter(factors))
        if _is_sum(inner):
            return [(c * sign * d, parts) for d, parts in _summands(inner)]
    return [(c * sign, factors)]


def _gathered(terms: Iterable[Term]) -> list[Term]:
    """Add up terms with the same factors."""
    by_name: dict[frozenset[tuple[Node, int]], Term] = {}
    for c, factors in terms:
        key = frozenset(factors.items())
        before = by_name.get(key, (Fraction(0), factors))
        by_name[key] = (before[0] + c, factors)
    return [term for term in by_name.values() if term[0]]


def _sum(terms: list[Term]) -> Node:
    terms = _gathered(terms)
    plain = _joined(terms)
    together = _over_one(terms)
    return together if together is not None and _size(together) < _size(plain) else plain


def _joined(terms: list[Term]) -> Node:
    if not terms:
        return Number(0.0)
    # What is added comes before what is taken away, otherwise the order stays.
    ordered = sorted(terms, key=lambda term: term[0] < 0) if terms[0][0] < 0 else terms
    out: Node | None = None
    for c, factors in ordered:
        part = _product((abs(c), factors))
        if out is None:
            out = part if c > 0 else _minus(part)
        else:
            out = Binary("+" if c > 0 else "-", out, part)
    assert out is not None
    return out


def _over_one(terms: list[Term]) -> Node | None:
    """Return a sum of fractions as one fraction with its numerator multiplied out, or None where there are none."""
    below: Factors = {}
    for _, factors in terms:
        for factor, n in factors.items():
            if n < 0:
                below[factor] = max(below.get(factor, 0), -n)
    if not below or len(terms) < 2:
        return None
    above: list[Term] = []
    for term in terms:
        raised = _times(term, (Fraction(1), below))
        opened = _multiplied_out(raised)
        if opened is None:
            return None
        above += opened
    top = _gathered(above)
    if not top:
        return Number(0.0)
    # What all terms of the numerator share goes before it.
    shared: Mapping[Node, int] = top[0][1]
    for _, factors in top[1:]:
        shared = {f: min(n, factors[f]) for f, n in shared.items() if f in factors and min(n, factors[f]) > 0}
    rest = [_times(term, (Fraction(1), {f: -n for f, n in shared.items()})) for term in top]
    inner = _taken_apart(_joined(rest)) if len(rest) == 1 else (Fraction(1), {_joined(rest): 1})
    whole = _times(_times((Fraction(1), dict(shared)), inner), (Fraction(1), {f: -n for f, n in below.items()}))
    return _product(whole)


def _multiplied_out(term: Term) -> list[Term] | None:
    out: list[Term] = [(term[0], {})]
    for factor, n in term[1].items():
        if n > 0 and _is_sum(factor) and n <= 2:
            parts = _summands(factor)
            for _ in range(n):
                out = [_times(pair, part) for pair in out for part in parts]
                if len(out) > MOST_TERMS:
                    return None
        else:
            out = [_times(both, (Fraction(1), {factor: n})) for both in out]
    return out


def _order(factor: Node) -> int:
    """Numbers and names first, then powers and sums, then functions, as people write them."""
    if isinstance(factor, (Name, Number)):
        return 0
    if isinstance(factor, Binary):
        return 1 if factor.sign == "^" else 2
    return 4 if isinstance(factor, Call) and factor.function == "exp" else 3


def _product(term: Term) -> Node:
    c, factors = term
    if c == 0:
        return Number(0.0)
    sign, c = (-1, -c) if c < 0 else (1, c)
    above = _chain(c.numerator, [(f, n) for f, n in factors.items() if n > 0])
    below = _chain(c.denominator, [(f, -n) for f, n in factors.items() if n < 0])
    out = above if below == Number(1.0) else Binary("/", above, below)
    # exp stands after the fraction, where it is not alone above it.
    exps = [(f, n) for f, n in factors.items() if n > 0 and _order(f) == 4]
    if (
        below != Number(1.0)
        and exps
        and (len(factors) - sum(n < 0 for n in factors.values()) > len(exps) or c.numerator != 1)
    ):
        front = _chain(c.numerator, [(f, n) for f, n in factors.items() if n > 0 and _order(f) != 4])
        out = Binary("*", Binary("/", front, below), _chain(1, exps))
    return out if sign > 0 else _minus(out)


def _minus(tree: Node) -> Node:
    """Put a minus sign before the first factor, where it is written."""
    if isinstance(tree, Binary) and tree.sign in "*/":
        return Binary(tree.sign, _minus(tree.left), tree.right)
    return Negate(tree)


def _chain(number: int, factors: list[tuple[Node, int]]) -> Node:
    parts: list[Node] = [Number(float(number))] if number != 1 or not factors else []
    for factor, n in sorted(factors, key=lambda pair: _order(pair[0])):
        parts.append(factor if n == 1 else Binary("^", factor, Number(float(n))))
    out = parts[0]
    for part in parts[1:]:
        out = Binary("*", out, part)
    return out


def _size(tree: Node) -> int:
    return sum(1 for _ in walk(tree))
