"""A simplified formula has the same values, stays short, and reads like a textbook."""

import numpy as np
import pytest
from hypothesis import assume, given, settings

from tests.core.formula.test_derivative import trees
from vettore.core.formula.derivative import derivative
from vettore.core.formula.evaluate import Program
from vettore.core.formula.reader import Reader
from vettore.core.formula.simplify import simplified
from vettore.core.formula.tree import walk
from vettore.core.formula.write import to_text
from vettore.core.models.catalogue import CATALOGUE

AT = {"x": 1.37, "k": 0.71, "a": 2.13}


def value(tree, known):
    program = Program(tree)
    with np.errstate(all="ignore"):
        return float(program({name: np.float64(known[name]) for name in program.inputs}))


@given(trees)
@settings(max_examples=300)
def test_the_value_stays(tree):
    """On random trees, wherever the value is not lost in rounding."""
    before = value(tree, AT)
    assume(np.isfinite(before) and 1e-6 < abs(before) < 1e6)
    sizes = [abs(value(part, AT)) for part in walk(tree) if type(part).__name__ in ("Binary", "Call", "Negate")]
    assume(all(np.isfinite(size) and size < 1e6 for size in sizes))
    assert value(simplified(tree), AT) == pytest.approx(before, rel=1e-6)


@pytest.mark.parametrize("key", CATALOGUE)
def test_derivatives_of_the_catalogue_stay_short_and_the_same(key):
    """By x and by every coefficient, at a point; read back from their text, they say the same."""
    model = CATALOGUE[key]
    known = {name: 0.6 + 0.23 * i for i, name in enumerate((*model.coefficients, "x"))}
    for name in ("x", *model.coefficients):
        long = derivative(model.read.right, name)
        short = simplified(long)
        assert value(short, known) == pytest.approx(value(long, known), rel=1e-9, abs=1e-12)
        assert sum(1 for _ in walk(short)) <= 1.2 * sum(1 for _ in walk(long))
        again = Reader(to_text(short), frozenset(known)).read_all()
        assert value(again, known) == pytest.approx(value(short, known), rel=1e-12, abs=1e-15)


@pytest.mark.parametrize(
    ("formula", "by", "text"),
    [
        ("A*exp(-k*x) + C", "x", "-A*k*exp(-k*x)"),
        ("V*x/(K + x)", "x", "V*K/(K + x)^2"),
        ("(a + b*x)/(1 + c*x)", "x", "(b - a*c)/(1 + c*x)^2"),
        ("A*exp(-(x - m)^2/(2*s^2))", "s", "A*(x - m)^2/s^3*exp(-(x - m)^2/(2*s^2))"),
        ("a0 + a1*x + a2*x^2", "x", "a1 + 2*a2*x"),
        ("A*x^n", "x", "A*n*x^(n - 1)"),
        ("x - x", "x", "0"),
    ],
)
def test_derivatives_read_like_a_textbook(formula, by, text):
    """As one would write them by hand."""
    tree = Reader(formula, frozenset("x")).read_all()
    assert to_text(simplified(derivative(tree, by))) == text
