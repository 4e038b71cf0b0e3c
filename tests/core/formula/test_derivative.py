"""Derivatives are exact, and models are taken apart into what is linear and what is not."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from vettore.core.formula import Program, read_formula, to_text
from vettore.core.formula.derivative import derivative
from vettore.core.formula.linear import linear_parts
from vettore.core.formula.reader import Reader
from vettore.core.formula.tree import Binary, Call, Name, Negate, Number, walk

SMOOTH = ["exp", "sin", "cos", "tanh", "atan", "sinh", "cosh", "asinh", "sqrt", "ln", "erf"]
trees = st.recursive(
    st.one_of(st.sampled_from(["x", "k", "a"]).map(Name), st.floats(0.1, 3).map(lambda v: Number(round(v, 2)))),
    lambda inner: st.one_of(
        inner.map(Negate),
        st.builds(Binary, st.sampled_from("+-*/^"), inner, inner),
        st.builds(lambda f, a: Call(f, (a,)), st.sampled_from(SMOOTH), inner),
    ),
    max_leaves=12,
)


@settings(max_examples=300)
@given(trees)
def test_derivatives_agree_with_high_precision_differences(tree):
    """Against central differences of two widths in extended precision, on random trees."""
    at = {"x": np.longdouble(0.7), "k": np.longdouble(1.3), "a": np.longdouble(0.4)}
    if any(isinstance(part, Call) and part.function == "erf" for part in walk(tree)):
        at = {name: np.float64(value) for name, value in at.items()}
    program = Program(tree)

    def value(k):
        return program({**at, "k": k})

    # Random trees divide by zero and overflow; such places are passed over below.
    np.seterr(all="ignore")
    exact = float(Program(derivative(tree, "k"))({n: np.float64(v) for n, v in at.items()}))
    h = np.longdouble(1e-4) if isinstance(at["x"], np.longdouble) else np.float64(1e-3)
    k = at["k"]
    wide = (value(k + h) - value(k - h)) / (2 * h)
    narrow = (value(k + h / 2) - value(k - h / 2)) / h
    estimate, doubt = (4 * narrow - wide) / 3, abs(narrow - wide)
    assume(
        np.isfinite(float(estimate)) and np.isfinite(exact) and abs(exact) < 1e6 and doubt < 1e-4 * (1 + abs(exact))
    )
    assert exact == pytest.approx(float(estimate), rel=1e-6, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "name", "expected"),
    [
        ("A*exp(-k*t) + C", "A", "exp(-(k*t))"),
        ("A*exp(-k*t) + C", "k", "-(A*(exp(-(k*t))*t))"),
        ("A*exp(-k*t) + C", "C", "1"),
        ("a*x^2 + b*x", "x", "a*(2*x) + b"),
        ("x^n", "n", "x^n*ln(x)"),
        ("ln(x)", "x", "1/x"),
        ("sqrt(x)", "x", "1/(2*sqrt(x))"),
        ("if(x < x0, a, b*x)", "b", "if(x < x0, 0, x)"),
    ],
)
def test_derivatives_read_as_on_paper(text, name, expected):
    """Zeros and ones do not clutter them."""
    found = to_text(derivative(Reader(text).read_all(), name)).replace("-(k*t)", "-k*t").replace(" ", "")
    assert found.replace("(", "").replace(")", "") == expected.replace("-(k*t)", "-k*t").replace(" ", "").replace(
        "(", ""
    ).replace(")", "")


@pytest.mark.parametrize(
    ("text", "linear", "nonlinear"),
    [
        ("y = A*exp(-k*t) + C", ("A", "C"), ("k",)),
        ("y = a*sin(t) + b*t^2 + c", ("a", "b", "c"), ()),
        ("y = b1*(1 - exp(-b2*t))", ("b1",), ("b2",)),
        ("y = V*t/(K + t)", ("V",), ("K",)),
        ("y = a*b*t", ("a",), ("b",)),
        ("y = (a + b*t)/(1 + c*t)", ("a", "b"), ("c",)),
        ("y = exp(a + b*t)", (), ("a", "b")),
        ("y = a*(t - b)^2 + c", ("a", "c"), ("b",)),
    ],
)
def test_models_are_taken_apart(text, linear, nonlinear):
    """The linear coefficients are found, and the parts put together give the model again."""
    formula = read_formula(text, ["t", "y"])
    parts = linear_parts(formula.right, formula.coefficients)
    assert (parts.linear, parts.nonlinear) == (linear, nonlinear)
    rng = np.random.default_rng(1)
    values = {name: rng.uniform(0.5, 2) for name in formula.coefficients}
    t = np.linspace(0.1, 3, 7)
    whole = Program(formula.right)({**values, "t": t})
    built = Program(parts.offset)({**values, "t": t}) + sum(
        values[name] * Program(term)({**values, "t": t}) for name, term in zip(parts.linear, parts.terms, strict=True)
    )
    np.testing.assert_allclose(np.broadcast_to(built, t.shape), whole, rtol=1e-12)
