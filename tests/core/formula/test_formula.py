"""The formula language: what it reads, what it refuses and where, and that no text can harm it."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from vettore import core
from vettore.core.errors import FormulaError
from vettore.core.formula import Program, evaluate, read_condition, read_expression, read_formula, to_text
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Binary, Both, Call, Compare, Either, Name, Negate, Not, Number, Text

VALUES = {"x": 2.0, "y": 3.0, "k": 0.5, "t": 4.0, "a": 5.0, "b": 7.0, "lambda_2": 11.0, "C_0": 13.0, "theta": 0.25}


def value(text):
    return float(Program(Reader(text).read_all())(VALUES))


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("-x^2", -4.0),
        ("−x²", -4.0),
        ("2^3^2", 512.0),
        ("2^-1", 0.5),
        ("x⁻¹", 0.5),
        ("2x", 4.0),
        ("2 x y", 12.0),
        ("3(x − 1)", 3.0),
        ("(x + 1)(x - 1)", 3.0),
        ("x (y + 1)", 8.0),
        ("1/2x", 1.0),
        ("a*exp(-k t) + b", 5 * math.exp(-2) + 7),
        ("2·x × y", 12.0),
        ("√(x + 2)", 2.0),
        ("√t x", 4.0),
        ("2π", 2 * math.pi),
        ("sin(π/2)", 1.0),
        ("λ₂ + C₀", 24.0),
        ("θ", 0.25),
        ("e^x", math.e**2),
        ("2e", 2 * math.e),
        ("1.5e2", 150.0),
        (".5x", 1.0),
        ("x - -y", 5.0),
        ("a - b - x", -4.0),
        ("a/b/x", 5 / 14),
        ("if(x < 3, a, b)", 5.0),
        ("if(not (x < 3) or y == 3, a, b)", 5.0),
        ("min(a, b, x) + max(a, b)", 9.0),
        ("cbrt(-8) + abs(-3) + sign(-2)", 0.0),
        ("gamma(5) + lgamma(1) + erf(0) + erfc(0)", 25.0),
        ("ln(e) + log10(100) + log2(8)", 6.0),
        ("asinh(sinh(x)) + atanh(tanh(k)) + acosh(cosh(x))", 4.5),
        ("3²x", 18.0),
    ],
)
def test_plain_mathematics_is_read_as_written(text, expected):
    """Signs, products without a sign, powers, letters and functions mean what they mean on paper."""
    assert value(text) == pytest.approx(expected, rel=1e-14)


@pytest.mark.parametrize(
    ("text", "position", "found", "remedy"),
    [
        ("A*expp(-k*t)", 2, "Unknown function “expp”", "Did you mean exp?"),
        ("(x + 1", 0, "never closed", ")"),
        ("sin(x", 3, "never closed", ")"),
        ("x + 1)", 5, "closes nothing", "open one"),
        ("log(x)", 0, "not a function here", "ln"),
        ("x **2", 2, "**", "^"),
        ("x +", 3, "stops too early", "missing"),
        ("* x", 0, "Something is missing before", "Write"),
        ("1,5 x", 1, "comma", "decimal point"),
        ("2 3", 2, "side by side", "sign"),
        ("sin x", 0, "needs brackets", "sin("),
        ("x < y", 0, "condition stands where", "if("),
        ("exp()", 0, "1 argument; 0", "exp(a)"),
        ("atan(x, y)", 0, "1 argument; 2", "atan(a)"),
        ("max(x)", 0, "at least 2", "max(a, b)"),
        ("if(x, 1, 2)", 3, "joins conditions", "Compare"),
        ("x | y", 2, "no meaning", "abs"),
        ("y = x = 2", 6, "second =", "one ="),
        ("", 0, "nothing", "Write"),
        ("1e999", 0, "too large", "1.8e308"),
        ("()", 1, "nothing in front", "Write"),
        ("foo(x)", 0, "Unknown function", "foo*("),
        ("`x", 0, "never closed", "`"),
        ("y = y + 1", 4, "both sides", "Take it out"),
        ("1 < x < 2", 6, "chained", "and"),
    ],
)
def test_errors_say_where_what_and_the_remedy(text, position, found, remedy):
    """Every refusal has a position in the text, what was found there, and what to do."""
    with pytest.raises(FormulaError) as caught:
        read_formula(text)
    assert (caught.value.position, found in caught.value.message, remedy in caught.value.hint) == (
        position,
        True,
        True,
    )


def test_names_are_data_or_coefficients():
    """Names that are columns are data; all others are coefficients, in the order in which they stand."""
    formula = read_formula("ln(`dissolved oxygen`) = A*exp(-k*t) + C*z", ["dissolved oxygen", "t", "z", "A B"])
    assert (formula.response, formula.transformed) == ("dissolved oxygen", True)
    assert (formula.data, formula.coefficients) == (("t", "z"), ("A", "k", "C"))
    assert not read_formula("y = a + b x").transformed
    assert read_formula("e x + pi", ["e", "x"]).data == ("e", "x")
    with pytest.raises(FormulaError, match="not a column"):
        read_formula("u = a*x", ["x", "y"])
    with pytest.raises(FormulaError, match=r"no column “z”.*x, `my y`"):
        read_expression("x + z", ["x", "my y"])


def test_conditions_pick_rows():
    """Comparisons of numbers and of texts, joined by and, or and not; blanks never hold."""
    columns = {"t": np.array([1.0, 5, 9, np.nan]), "note": np.array(["", "ok", "bad", ""], dtype=object)}

    def rows(text):
        return Program(read_condition(text, columns))(columns).tolist()

    assert rows('t < 6 and note != ""') == [False, True, False, False]
    assert rows('note = "bad" or not (t > 2)') == [True, False, True, True]
    assert rows("t > 0") == [True, True, True, False]
    with pytest.raises(FormulaError, match="not a condition"):
        read_condition("t + 1", columns)
    with pytest.raises(FormulaError, match="Texts have no order"):
        read_condition('note < "b"', columns)


def test_long_columns_are_evaluated_in_blocks():
    """Blocks give the same values as one sweep, and a constant formula fills the column."""
    x = np.linspace(-3, 3, 50_000)
    tree = read_expression("if(x < 0, x^2, sqrt(x)) + sin(x)*exp(-x^2)", ["x"])
    expected = np.where(x < 0, x**2, np.sqrt(np.abs(x))) + np.sin(x) * np.exp(-(x**2))
    np.testing.assert_allclose(evaluate(tree, {"x": x}, len(x)), expected, rtol=1e-15)
    assert evaluate(read_expression("2", ["x"]), {"x": x}, 3).tolist() == [2, 2, 2]
    assert np.isnan(evaluate(read_expression("ln(x)", ["x"]), {"x": np.array([-1.0])}, 1)).all()


leaves = st.one_of(
    st.floats(0, 1e300).map(lambda v: Number(float(v))),
    st.sampled_from(["x", "k_1", "A", "my column", "sin", "and", "e", "lambda", "y'"]).map(Name),
)
trees = st.recursive(
    leaves,
    lambda inner: st.one_of(
        inner.map(Negate),
        st.builds(Binary, st.sampled_from("+-*/^"), inner, inner),
        st.builds(lambda f, a: Call(f, (a,)), st.sampled_from(["exp", "ln", "sqrt"]), inner),
        st.builds(lambda a, b: Call("max", (a, b)), inner, inner),
        st.builds(lambda a, b, c: Call("if", (Compare("<=", a, b), b, c)), inner, inner, inner),
    ),
    max_leaves=25,
)
conditions = st.recursive(
    st.one_of(
        st.builds(Compare, st.sampled_from(["<", ">=", "==", "!="]), trees, trees),
        st.builds(lambda t: Compare("!=", Name("note"), Text(t)), st.text("abc é'`", max_size=4)),
    ),
    lambda inner: st.one_of(inner.map(Not), st.builds(Both, inner, inner), st.builds(Either, inner, inner)),
    max_leaves=6,
)


@settings(max_examples=300)
@given(trees)
def test_what_is_printed_reads_back_as_the_same_tree(tree):
    """Printing and reading are inverse, names that look like words of the language included."""
    assert Reader(to_text(tree)).read_all() == tree


@settings(max_examples=100)
@given(conditions)
def test_conditions_print_and_read_back(tree):
    """The same for conditions."""
    assert Reader(to_text(tree)).read_all(condition=True) == tree


pieces = st.lists(
    st.sampled_from(
        [
            "x",
            "2",
            "(",
            ")",
            "+",
            "-",
            "*",
            "/",
            "^",
            "if(",
            ",",
            "sin",
            " ",
            "<",
            "and",
            "not",
            "√",
            "²",
            '"',
            "`",
            "=",
            "1e5",
        ]
    ),
    max_size=60,
).map("".join)


@settings(max_examples=500)
@given(st.one_of(st.text(max_size=200), pieces))
def test_no_text_hangs_or_crashes(text):
    """Any text is read or refused with a position inside it."""
    try:
        read_formula(text)
    except FormulaError as error:
        assert 0 <= error.position <= len(text)
        assert error.message


@pytest.mark.parametrize(
    "text", ["(" * 3999, "-" * 3999 + "x", "x^" * 1999 + "x", "√" * 3000 + "x", "x" * 5000, "2x " * 1300]
)
def test_depth_length_and_size_are_bounded(text):
    """Deep, long and large formulas are refused, not followed to the end."""
    with pytest.raises(FormulaError):
        read_formula(text)


def test_nothing_of_python_can_be_reached():
    """Attributes, calls of other functions and dunder names are names or errors, never code."""
    for text in ("__import__('os')", "x.real", "().__class__", "lambda: 1", "open(x)", "eval(x)"):
        with pytest.raises(FormulaError):
            read_expression(text, ["x"])


@pytest.mark.parametrize("sign", ["*", "+", "/", "-"])
def test_a_chain_is_as_long_as_it_may_be(sign):
    """Hundreds of parts joined by one sign are read and fitted, or refused in a sentence; never a fault."""
    x = np.linspace(0.2, 1.2, 12)
    fitted = core.fit("y = a" + f" {sign} x" * 200, {"x": x, "y": x}) if sign in "+-" else None
    assert fitted is None or fitted.converged
    with pytest.raises(FormulaError, match="joined in one chain"):
        read_formula("y = a" + f"{sign}x" * 590, ("x", "y"))


def test_a_coefficient_that_only_moves_a_step_is_not_linear():
    """Every derivative by it is zero, wherever the condition stands; the fit ends with an answer."""
    x = np.linspace(1, 5, 20)
    for formula in ("y = sign(if(a > x, 1, 2))*b", "y = sign(if(a > x, -1, 1))*b + c"):
        result = core.fit(formula, {"x": x, "y": np.where(x > 3, 2.0, -2.0)})
        assert set(result.coefficients) >= {"a", "b"}
    assert result.sum_of_squares < 1e-9


@pytest.mark.parametrize(
    ("text", "read", "coefficients"),
    [
        ("y = a*sin²(x − m)", "y = a*sin(x - m)^2", ("a", "m")),
        ("y = a*ln^2(x)", "y = a*ln(x)^2", ("a",)),
        ("y = a*x^½ + ¼", "y = a*x^(1/2) + 1/4", ("a",)),
        ("y = 2½x", "y = 2.5*x", ()),
        ("y = γ(x + 1)", "y = `gamma`*(x + 1)", ("gamma",)),
        ("y = Γ(x + 1) + a", "y = gamma(x + 1) + a", ("a",)),
        ("y = gamma(x + 1) + a", "y = gamma(x + 1) + a", ("a",)),
        ("y = β(x − 1)", "y = beta*(x - 1)", ("beta",)),
        ("y = A*ℯ^(−k x)", "y = A*e^(-k*x)", ("A", "k")),
        ("y = 𝑎*x", "y = a*x", ("a",)),
        ("y = a*log₁₀(x) + ∛x", "y = a*log10(x) + cbrt(x)", ("a",)),
    ],
)
def test_notation_of_the_trade_is_read_as_it_is_meant(text, read, coefficients):
    """Powers of functions, fractions, Greek letters, letters set for mathematics, logarithms with their base."""
    formula = read_formula(text, ["x", "y"])
    assert str(formula) == read
    assert formula.coefficients == coefficients
    assert read_formula(read, ["x", "y"]).right == formula.right


@pytest.mark.parametrize(
    ("text", "hint"),
    [
        ("y = A exp^(-k x)", "Write exp( … )"),
        ("y = sin⁻¹(x)", "asin for the inverse"),
        ("y = ln^-1(x)", "1/ln( … )"),
        ("y = a*sin^n(x)", "Write sin( … )"),
        ("y = a*sin + b", "Write sin( … )"),
        ("signal ~ a + b*conc", "signal = a + b*conc"),
    ],
)
def test_what_could_mean_two_things_is_refused_with_both(text, hint):
    """No function becomes a coefficient in silence."""
    with pytest.raises(FormulaError) as refused:
        read_formula(text, ["x", "y", "signal", "conc"])
    assert hint in refused.value.hint


@pytest.mark.parametrize(
    ("text", "written"),
    [
        ("y = A*exp(-x²/2s²)", "-x²/2s²"),
        ("y = 1/2x", "1/2x"),
        ("y = a/b c", "a/b c"),
        ("y = A*e^-k x", "A*e^-k x"),
        ("y = 1/2 x + a", ""),
        ("y = x/(2 s)", ""),
        ("y = x/2*s", ""),
        ("y = k x/2", ""),
    ],
)
def test_a_quotient_followed_by_a_product_without_a_sign_is_noted(text, written):
    """It is read from the left, and said so; a product with a sign, or in brackets, is clear."""
    doubts = read_formula(text, ["x", "y"]).doubts
    assert [doubt for doubt, _ in doubts] == ([written] if written else [])
