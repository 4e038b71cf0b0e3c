"""Trees as Python source give what the program over arrays gives, or raise."""

import pytest

from vettore.core.formula.evaluate import number_of
from vettore.core.formula.reader import Reader
from vettore.core.formula.scalar import Source, namespace

VALUES = {"a": 1.7, "b": -0.6, "c": 3.0}


def worked_out(text, values):
    source = Source({name: name for name in values})
    result = source.of(Reader(text).read_all())
    if result is None:
        return None
    made = {**namespace(), **values}
    exec("\n".join([*source.lines, f"result = {result}"]), made)
    return made["result"]


@pytest.mark.parametrize(
    "text",
    [
        "a*b - c/(a + 2)",
        "-a^2 + b^3 - c^b + a^-1",
        "exp(b)*ln(a) + sqrt(c) + abs(b) + log10(c) - tanh(a)*erf(b)",
        "min(a, b, c) - max(b, 2, a)",
        "if(a > b and not (c <= 1 or b == 2), a - b, c)",
        "(a + b)*(a + b) - (a - (b - c))",
        "a/b/c - a/(b/c)",
        "2^3^0.5",
    ],
)
def test_equal_to_arrays(text):
    assert worked_out(text, VALUES) == pytest.approx(number_of(Reader(text).read_all(), VALUES), rel=1e-15)


@pytest.mark.parametrize("text", ["ln(b)", "b^0.5", "a/(c - 3)", "exp(1000*a)", "sqrt(b)"])
def test_raises_where_arrays_have_no_number(text):
    with pytest.raises((ArithmeticError, ValueError)):
        worked_out(text, VALUES)


def test_what_cannot_be_written_is_none():
    assert worked_out("gamma(a)", VALUES) is None
