"""Every printed equation, read back, is the same function: as text, as it is typeset, and as LaTeX."""

import re
from html import unescape

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vettore.core.formula.evaluate import Program
from vettore.core.formula.formula import read_formula
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Binary, Call, Name, Negate, Number
from vettore.core.formula.write import to_text
from vettore.core.typesetting.markup import to_latex, to_mathml
from vettore.core.typesetting.typeset import (
    Fenced,
    Fraction,
    Lowered,
    Radical,
    Raised,
    Row,
    Slot,
    TextBox,
    filled,
    formula_terms,
    to_html,
)

NAMES = ("a", "b1", "k_2", "x", "alpha")
LEAVES = st.one_of(
    st.sampled_from([Name(name) for name in NAMES]),
    st.sampled_from([0.5, 2.0, 3.0, 10.0, 1.5e-7, 2.5e22, 1e16, 0.0001]).map(Number),
)


def branches(inside):
    """Sums, products, quotients, powers, signs and functions of smaller trees."""
    return st.one_of(
        st.builds(Binary, st.sampled_from("+-*/"), inside, inside),
        st.builds(lambda base, power: Binary("^", base, Number(power)), inside, st.sampled_from([2.0, 3.0, 0.5])),
        st.builds(lambda base, power: Binary("^", base, Negate(power)), inside, LEAVES),
        st.builds(Negate, inside),
        st.builds(
            lambda name, of: Call(name, (of,)),
            st.sampled_from(["exp", "sqrt", "cbrt", "abs", "sin", "log10"]),
            inside,
        ),
        st.builds(lambda a, b: Call("max", (a, b)), inside, inside),
    )


TREES = st.recursive(LEAVES, branches, max_leaves=9)
WORDS = {"log₁₀": "log10", "log₂": "log2", "π": "pi", "α": "alpha"}


def written(box):
    """What a box shows, in the formula language: side by side is a product, over each other a quotient."""
    match box:
        case TextBox("\u2009") | TextBox(" · "):
            return "*"
        case TextBox(text):
            return WORDS.get(text, text.replace("−", "-"))
        case Row(parts):
            return "".join(map(written, parts))
        case Raised(base, exponent):
            return f"{written(base)}^({written(exponent)})"
        case Lowered(base, index):
            joint = "" if len(written(index)) == 1 and written(index).isdigit() and written(base) == "b" else "_"
            return f"{written(base)}{joint}{written(index)}"
        case Fraction(above, below):
            return f"(({written(above)})/({written(below)}))"
        case Radical(of, index):
            return f"{'sqrt' if index == 2 else 'cbrt'}({written(of)})"
        case Fenced(of, bracket):
            return f"abs({written(of)})" if bracket == "|" else f"({written(of)})"
        case Slot(name):
            return name
    raise AssertionError(box)


def group(text, at):
    """The text in the braces that open at a place, and where they end."""
    depth, start = 0, at
    while True:
        depth += {"{": 1, "}": -1}.get(text[at], 0) if text[at - 1] != "\\" or at == 0 else 0
        at += 1
        if depth == 0:
            return text[start + 1 : at - 1], at


def from_latex(text):
    """LaTeX as this project writes it, in the formula language."""
    text = re.sub(r"\\mathrm\{([^{}]*)\}", r"\1", text)
    out, at = "", 0
    while at < len(text):
        rest = text[at:]
        if rest.startswith(r"\frac"):
            above, at = group(text, at + 5)
            below, at = group(text, at)
            out += f"(({from_latex(above)})/({from_latex(below)}))"
        elif rest.startswith(r"\sqrt"):
            root = "cbrt" if rest.startswith(r"\sqrt[3]") else "sqrt"
            inside, at = group(text, at + (8 if root == "cbrt" else 5))
            out += f"{root}({from_latex(inside)})"
        elif text[at] == "{":
            inside, at = group(text, at)
            out += from_latex(inside)
        elif rest.startswith("^{"):
            inside, at = group(text, at + 1)
            out += f"^({from_latex(inside)})"
        elif rest.startswith("_{"):
            inside, at = group(text, at + 1)
            out += inside if out.endswith("b") else f"_{inside}" if inside != "{10}" else inside
        else:
            signs = {
                r"\left|": "abs(", r"\right|": ")", r"\left(": "(", r"\right)": ")", r"\,": "*", r"\cdot": "*",
                r"\pi": "pi", r"\alpha": "alpha", r"\log_{10}": "log10", r"\sin": "sin", r"\exp": "exp", r"\max": "max",
            }  # fmt: skip
            found = next((sign for sign in signs if rest.startswith(sign)), None)
            out += signs[found] if found else text[at]
            at += len(found) if found else 1
    return out


def jogged(tree, rng):
    """The tree with each of its numbers and names a little off, each by itself: what rounding could make of it."""
    match tree:
        case Number() | Name():
            return Binary("*", tree, Number(1 + float(rng.uniform(-1, 1)) * 1e-13))
        case Negate(of):
            return Negate(jogged(of, rng))
        case Binary(sign, left, right):
            return Binary(sign, jogged(left, rng), jogged(right, rng))
        case Call(function, arguments):
            return Call(function, tuple(jogged(argument, rng) for argument in arguments))
    return tree


def same(one, other):
    """Whether two trees are the same function of their names, but for rounding: x + (a − a) may be printed x + a − a."""
    rng = np.random.default_rng(1)
    values = {name: rng.uniform(0.3, 2.0, 40) for name in NAMES}

    def at(tree):
        return np.broadcast_to(
            np.asarray(Program(tree)({n: values[n] for n in Program(tree).inputs}), dtype=float), (40,)
        )

    with np.errstate(all="ignore"):
        a, b = at(one), at(other)
        rounding = np.max([np.abs(at(jogged(one, rng)) - a) for _ in range(3)], axis=0)
        allowed = 1e-9 * np.abs(b) + 100 * np.nan_to_num(rounding)
        agree = (np.abs(a - b) <= allowed) | (a == b) | (np.isnan(a) & np.isnan(b))
    assert agree.all(), (a[~agree], b[~agree])


@given(TREES)
@settings(max_examples=400)
def test_a_printed_equation_is_the_function_that_it_prints(tree):
    """Text, the strip and LaTeX, each read back by a reader of its own."""
    same(tree, Reader(to_text(tree)).read_all())
    terms = Row(tuple(formula_terms(tree, ("a", "b1", "k_2"))))
    same(tree, Reader(written(terms)).read_all())
    same(tree, Reader(from_latex(to_latex(terms))).read_all())


NUMBERS = (
    {"a": "-1.25", "b1": "2.5e-07", "k_2": "3"},
    {"a": "-1.25", "b1": "-2.5e-07", "k_2": "-3"},
)


@given(TREES, st.sampled_from(NUMBERS))
@settings(max_examples=300)
def test_an_equation_with_its_numbers_is_the_function_with_these_values(tree, numbers):
    """Negative numbers and powers of ten in the place of coefficients change nothing else."""
    from vettore.core.formula.tree import replaced

    expected = tree
    for name, text in numbers.items():
        value = float(text)
        expected = replaced(expected, name, Number(value) if value >= 0 else Negate(Number(-value)))
    equation = Row((TextBox("y"), TextBox(" = "), *formula_terms(tree, numbers)))
    same(expected, Reader(from_latex(to_latex(equation, numbers)).partition("=")[2]).read_all())
    assert to_mathml(equation, numbers).count("<mrow>") == to_mathml(equation, numbers).count("</mrow>")


@pytest.mark.parametrize(
    ("formula", "shown"),
    [
        ("a*-b", "a*(-b)"),
        ("exp(-k*-x)", "e^(-k*(-x))"),
        ("1.5e-7*x", "1.5*10^(-7)*x"),
        ("2*3^x", "2*3^(x)"),
        ("a - -b", "a - (-b)"),
        ("(-a)^2", "(-a)^(2)"),
        ("-(a + b)", "-(a + b)"),
    ],
)
def test_products_and_signs_are_not_lost(formula, shown):
    """What was read wrong once."""
    assert written(Row(tuple(formula_terms(Reader(formula).read_all(), ())))) == shown


@pytest.mark.parametrize(
    ("text", "numbers", "wanted"),
    [
        ("y = a + b*x", {"a": "-2", "b": "-0.5"}, "y = −2 − 0.5 x"),
        ("y = a - b*x + c*x^2", {"a": "2", "b": "-0.5", "c": "-1.5e-7"}, "y = 2 + 0.5 x − (1.5 · 10−7) x2"),
        ("y = A*exp(-k*x) + C", {"A": "-2", "k": "-0.5", "C": "-3"}, "y = −2 e−(−0.5) x − 3"),
        ("y = a*b - c^2 + d/x", {"a": "-2", "b": "3", "c": "-4", "d": "-5"}, "y = −2 · 3 − (−4)2 + (−5)x"),
    ],
)
def test_numbers_take_their_signs_into_the_formula(text, numbers, wanted):
    """A minus joins the sign before it; within products, powers and fractions it stays in brackets."""
    read = read_formula(text, ["x", "y"])
    equation = Row((TextBox("y"), TextBox(" = "), *formula_terms(read.right, read.coefficients)))
    written = unescape(re.sub("<[^>]*>", "", to_html(filled(equation, numbers))))
    assert written.replace("\u2009", " ") == wanted
